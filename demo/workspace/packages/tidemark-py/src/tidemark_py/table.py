from datetime import datetime, timezone

from . import stations, tide_table


def main():
    today = datetime.now(timezone.utc).date()
    for station in stations.values():
        tides = (f"{kind:4} {moment:%H:%M} {metres:.1f} m" for kind, moment, metres in tide_table(station, today))
        print(f"{station['name']:17} " + "   ".join(tides))
