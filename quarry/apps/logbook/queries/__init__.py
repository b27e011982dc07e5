"""Reading the logbook: what was flown (`recorded`), logs and their flights (`logs`), what flights teach (`learning`)."""

from quarry.apps.logbook.queries.learning import calibration_view, claims, lessons
from quarry.apps.logbook.queries.logs import (
    Group,
    compare,
    file_of,
    file_page,
    file_view,
    flight_of,
    flight_page,
    flights_like,
    groupings,
    import_of,
    track_of,
)
from quarry.apps.logbook.queries.recorded import book_page, book_records, flight_rows, flown, import_view, totals

__all__ = [
    "Group",
    "book_page",
    "calibration_view",
    "claims",
    "compare",
    "file_view",
    "file_of",
    "file_page",
    "flight_of",
    "flight_page",
    "flight_rows",
    "flights_like",
    "flown",
    "groupings",
    "import_of",
    "import_view",
    "book_records",
    "lessons",
    "totals",
    "track_of",
]
