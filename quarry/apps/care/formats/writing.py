"""Rows of values to delimited text."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from quarry.apps.care.formats.tables import TABLES, What, written


def table_lines(what: What, rows: Iterable[Mapping[str, Any]]) -> Iterator[str]:
    """Yield the lines of a table, head first."""
    columns = TABLES[what]
    buffer = io.StringIO()
    out = csv.writer(buffer, lineterminator="\r\n")
    out.writerow([c.name for c in columns])
    for row in rows:
        yield _taken(buffer)
        out.writerow([written(row.get(c.name), c.kind) for c in columns])
    yield _taken(buffer)


def _taken(buffer: io.StringIO) -> str:
    text = buffer.getvalue()
    buffer.seek(0)
    buffer.truncate()
    return text
