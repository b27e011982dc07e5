"""Delimited text to rows of values: encoding, separator and head found, every cell that is wrong named."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from quarry.apps.care.formats.tables import TABLES, CellError, What, read

MOST_ROWS = 500_000
MOST_PROBLEMS = 100
STEP = 2000


class TableError(ValueError):
    """The file as a whole cannot be read; the message says what to do."""


@dataclass(slots=True)
class Problem:
    """One cell that is wrong: line of the file from 1, head of the column, what to do."""

    row: int
    column: str
    detail: str


@dataclass(slots=True)
class Table:
    """Rows with the line each began on, and what is wrong with them."""

    what: What
    rows: list[tuple[int, dict[str, Any]]] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    wrong: int = 0
    bad_rows: set[int] = field(default_factory=set)

    def complain(self, row: int, column: str, detail: str) -> None:
        """Note a problem; only the first hundred are kept, all are counted."""
        self.wrong += 1
        self.bad_rows.add(row)
        if len(self.problems) < MOST_PROBLEMS:
            self.problems.append(Problem(row, column, detail))


def decode(data: bytes) -> str:
    """Return the text of a file in UTF-8, or UTF-16 with its mark; raises `TableError` naming the line that is neither."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            return data.decode("utf-16")
        except UnicodeDecodeError:
            raise TableError("The file is cut off or damaged. Save the sheet as CSV with the encoding UTF-8 again.") from None
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as bad:
        line = data[: bad.start].count(b"\n") + 1
        raise TableError(
            f"Line {line} is not in UTF-8. Save the sheet as CSV with the encoding UTF-8 and read it again."
        ) from None
    if "\0" in text:
        raise TableError("This is not a text file. Save the sheet as CSV and read that.")
    return text


def read_table(data: bytes, report: Callable[[int], None] = lambda _done: None) -> Table:
    """Return the rows of a file; which table it is follows from its head. ``report`` is called with the lines read."""
    text = decode(data)
    head_line = text.split("\n", 1)[0]
    if not head_line.strip():
        raise TableError("The file is empty. Its first line must name the columns.")
    separator = max((",", ";", "\t"), key=head_line.count)
    lines = csv.reader(io.StringIO(text), delimiter=separator, strict=True)
    try:
        heads = [h.strip().lower() for h in next(lines)]
        table = Table(_which(heads))
        columns = {c.name: c for c in TABLES[table.what]}
        _check_heads(heads, table.what)
        for k, cells in enumerate(lines, start=1):
            number = lines.line_num
            if k % STEP == 0:
                report(number)
            if not any(c.strip() for c in cells):
                continue
            if len(cells) > len(heads):
                table.complain(number, heads[-1], f"The row has {len(cells)} cells, the head {len(heads)}.")
                continue
            if len(table.rows) >= MOST_ROWS:
                raise TableError(f"More than {MOST_ROWS} rows. Split the file.")
            row = {}
            for name, cell in zip(heads, cells, strict=False):
                try:
                    row[name] = read(cell, columns[name], separator != ",")
                except CellError as bad:
                    table.complain(number, name, str(bad))
            for column in columns.values():
                if column.needed and row.get(column.name) is None and number not in table.bad_rows:
                    table.complain(number, column.name, "This cell is empty. Fill it in.")
            table.rows.append((number, row))
    except csv.Error as bad:
        raise TableError(f"Line {lines.line_num} cannot be read: {bad}. Look for a quote that is not closed.") from None
    return table


def _which(heads: list[str]) -> What:
    if "chemistry" in heads:
        return "models"
    if "kind" in heads and "pack" in heads:
        return "records"
    if "name" in heads and "model" in heads:
        return "packs"
    raise TableError(
        "The first line must name the columns: of models (name, chemistry, cells …), of packs (name, model …) "
        "or of records (pack, kind, at …). Export a table to see all of them."
    )


def _check_heads(heads: list[str], what: What) -> None:
    known = {c.name for c in TABLES[what]}
    for k, head in enumerate(heads):
        if head not in known:
            raise TableError(f"Column {k + 1} is called {head!r}, which is none of the {what}. Rename it, or leave it out.")
        if head in heads[:k]:
            raise TableError(f"The column {head} stands there twice. Leave one out.")
    missing = [c.name for c in TABLES[what] if c.needed and c.name not in heads]
    if missing:
        raise TableError(f"The column {missing[0]} is missing. Every row of the {what} needs it.")
