"""Tide heights and tide tables for the Fenmarsh estuary."""

from .stations import stations
from .tide import height_at, tide_table

__all__ = ["height_at", "stations", "tide_table"]
