import math
from datetime import datetime, timedelta, timezone

_EPOCH = datetime(2000, 1, 1, tzinfo=timezone.utc)
_STEP = timedelta(minutes=1)


def height_at(station, moment):
    """Height of the tide in metres above Fenmarsh Datum."""
    hours = (moment - _EPOCH).total_seconds() / 3600
    return station["mean"] + sum(
        one["amplitude"] * math.cos(math.radians(one["speed"] * hours - one["phase"]))
        for one in station["constituents"]
    )


def tide_table(station, day):
    """High and low waters of one UTC day, as (kind, moment, metres)."""
    moment = datetime(day.year, day.month, day.day, tzinfo=timezone.utc)
    tides = []
    for _ in range(24 * 60):
        before, here, after = (height_at(station, moment + step) for step in (-_STEP, 0 * _STEP, _STEP))
        if before < here >= after:
            tides.append(("high", moment, round(here, 1)))
        if before > here <= after:
            tides.append(("low", moment, round(here, 1)))
        moment += _STEP
    return tides
