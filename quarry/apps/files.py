"""Files that go out and come in: their names, cells that no spreadsheet takes for a formula, rows whatever parts them."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass


def stem_of(name: str, otherwise: str) -> str:
    """Return the stem of a file's name from the name of a thing, in any script."""
    return "".join(c if c.isalnum() else "-" for c in name[:60].lower()).strip("-") or otherwise


def safe(value: object) -> object:
    """Return a value as it may stand in a cell: a spreadsheet must not take it for a formula."""
    if isinstance(value, str) and value[:1] in ("=", "+", "-", "@", "\t", "\r"):
        return f"'{value}"
    return "" if value is None else value


@dataclass(frozen=True, slots=True)
class Table:
    """Delimited text: its headers, its rows as long as these, and whether a comma may be a decimal sign in it."""

    head: list[str]
    rows: list[list[str]]
    comma: bool

    def column(self, k: int | None) -> list[str]:
        """Return a column; empty texts where there is none."""
        return ["" if k is None else row[k] for row in self.rows]


def read_table(data: bytes, remarks: tuple[str, ...] = ("//", "%")) -> Table | None:
    """Return delimited text in UTF-8 whatever parts its cells; None where it holds no row under its headers."""
    text = data.decode("utf-8-sig", errors="replace")
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith(remarks)]
    if len(lines) < 2:
        return None
    separator = max((",", ";", "\t"), key=lambda c: min(lines[0].count(c), lines[1].count(c)))
    head, *rows = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=separator))
    width = len(head)
    return Table([h.strip().lstrip("#") for h in head], [(row + [""] * width)[:width] for row in rows], separator != ",")
