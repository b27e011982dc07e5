"""Files to the core's logs and flights, what they teach, and back to plain data."""

from quarry.apps.logbook.mappers.comparing import compared
from quarry.apps.logbook.mappers.learning import Lesson, claims_of, covered, day_ratio, lesson_of
from quarry.apps.logbook.mappers.matching import best_matches
from quarry.apps.logbook.mappers.reading import (
    LogError,
    choices,
    flights_of,
    look_of,
    mark_of,
    phase_words,
    samples_of,
    seen_of,
    unpack_all,
)
from quarry.core.defaults import SWAP

SWAP_S = SWAP.value

__all__ = [
    "SWAP_S",
    "Lesson",
    "LogError",
    "best_matches",
    "day_ratio",
    "choices",
    "claims_of",
    "compared",
    "covered",
    "flights_of",
    "lesson_of",
    "look_of",
    "mark_of",
    "phase_words",
    "samples_of",
    "seen_of",
    "unpack_all",
]
