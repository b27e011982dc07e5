"""Days, logs and photos to the core's flown sorties, and what the core finds to what screens show."""

from quarry.apps.flown.formats.handover import PhotoRow, SeenRow
from quarry.apps.flown.mappers.as_flown import FlownHead, to_as_flown
from quarry.apps.flown.mappers.asking import Asked, FlightLog, Sorties, Wind, asked, mean_wind, note_further, plan_lines, rule_of
from quarry.apps.flown.mappers.gap_job import gap_job
from quarry.apps.flown.mappers.photos import PhotosRead, lines_of, read_photos, rows_of, seen_of, with_photos
from quarry.apps.flown.mappers.words import limit_words, override_words
from quarry.core.base.errors import CoreError
from quarry.core.covered.flown import Enough
from quarry.core.covered.settings import CoveredPolicy

FlownError = CoreError

__all__ = [
    "Asked",
    "CoveredPolicy",
    "FlightLog",
    "Enough",
    "FlownError",
    "FlownHead",
    "PhotoRow",
    "PhotosRead",
    "SeenRow",
    "Sorties",
    "Wind",
    "asked",
    "gap_job",
    "limit_words",
    "lines_of",
    "mean_wind",
    "override_words",
    "note_further",
    "plan_lines",
    "read_photos",
    "rows_of",
    "rule_of",
    "seen_of",
    "to_as_flown",
    "with_photos",
]
