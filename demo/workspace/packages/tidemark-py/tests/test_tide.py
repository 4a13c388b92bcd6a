from datetime import date

from tidemark_py import stations, tide_table


def test_four_tides_a_day():
    assert len(tide_table(stations["bar"], date(2026, 7, 1))) in (3, 4)
