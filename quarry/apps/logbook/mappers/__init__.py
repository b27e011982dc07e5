"""Files to the core's logs and flights, what they teach, and back to plain data."""

from collections.abc import Mapping

from quarry.apps.logbook.formats.logs import (
    Found,
    FoundFlight,
    LogError,
    Looked,
    choices,
    columns_used,
    flights_of,
    is_unit_of,
    look_of,
    mark_of,
    phase_words,
    seen_of,
    slowed,
    too_long,
    unpack_all,
)
from quarry.apps.logbook.mappers.comparing import Compared, compared, conditions_of
from quarry.apps.logbook.mappers.learning import RESERVE_FRAC, Lesson, band_of_air, claims_of, covered, day_ratio, lesson_of
from quarry.apps.logbook.mappers.matching import LogFlown, best_matches, volts_fit
from quarry.apps.logbook.views import ColumnSaid
from quarry.core.defaults import SWAP
from quarry.core.logs.archive import Packed
from quarry.core.logs.discharge import Discharge, warnings_by_percent
from quarry.core.logs.endurance import endurance_of, measured_min
from quarry.core.logs.reading import Log
from quarry.core.logs.wind import WindMet

SWAP_S = SWAP.value
Columns = Mapping[str, ColumnSaid]

__all__ = [
    "SWAP_S",
    "Columns",
    "RESERVE_FRAC",
    "band_of_air",
    "endurance_of",
    "measured_min",
    "Compared",
    "Discharge",
    "Log",
    "WindMet",
    "Found",
    "FoundFlight",
    "Lesson",
    "LogFlown",
    "Looked",
    "Packed",
    "LogError",
    "best_matches",
    "day_ratio",
    "choices",
    "columns_used",
    "is_unit_of",
    "claims_of",
    "compared",
    "conditions_of",
    "covered",
    "flights_of",
    "lesson_of",
    "look_of",
    "mark_of",
    "phase_words",
    "seen_of",
    "slowed",
    "too_long",
    "unpack_all",
    "volts_fit",
    "warnings_by_percent",
]
