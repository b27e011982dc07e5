"""Rows, plans and days to the core's mixes, seasons and records, and back to what screens show."""

from quarry.apps.spraying.mappers.mixing import SprayError, due_season, left_of, mix_workings, mixed, sheet_out
from quarry.apps.spraying.mappers.recording import (
    FIELD_WORDS,
    Entered,
    check_entry,
    facts_of,
    lacks_of,
    operators_of,
    record_out,
    taken_from,
    treatments_of,
    with_entries,
)
from quarry.apps.spraying.mappers.swath import check_flown, widest_even
from quarry.core.spraying.mix import StockBatch

__all__ = [
    "FIELD_WORDS",
    "Entered",
    "SprayError",
    "StockBatch",
    "check_entry",
    "check_flown",
    "due_season",
    "facts_of",
    "lacks_of",
    "left_of",
    "mix_workings",
    "mixed",
    "operators_of",
    "record_out",
    "sheet_out",
    "taken_from",
    "treatments_of",
    "widest_even",
    "with_entries",
]
