"""Spring and neap tides follow the moon."""

from saltmarsh_lunar import phase_at


def is_spring_tide(moment):
    """Whether the moon is new or full, give or take two days."""
    return abs((phase_at(moment) % 180) - 90) > 65
