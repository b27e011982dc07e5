"""Flights as delimited text; a spreadsheet must not take a cell for a formula."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator

from quarry.apps.files import safe

Row = dict[str, object]


def flights_csv(rows: Iterable[Row]) -> list[bytes]:
    """Return rows as CSV in UTF-8, head first."""
    return list(_lines(list(rows)))


def _lines(rows: list[Row]) -> Iterator[bytes]:
    heads = list(rows[0]) if rows else ["flight"]
    buffer = io.StringIO()
    out = csv.writer(buffer, lineterminator="\r\n")
    out.writerow(heads)
    for row in rows:
        out.writerow([safe(row.get(h)) for h in heads])
        yield buffer.getvalue().encode()
        buffer.seek(0)
        buffer.truncate()
    yield buffer.getvalue().encode()
