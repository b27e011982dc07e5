"""The text forms in which tables of samples come: delimited, lined up with blanks, or JSON line by line; and their encodings."""

from __future__ import annotations

import io
import json
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
import polars as pl

from quarry.core.base.errors import BadReading
from quarry.core.logs.lexicon import units_spelled

Form = Literal["delimited", "lined up", "json lines"]
_LOOK_LINES = 400
_MOST_PREAMBLE = 60
_NOTHING = ("", "NaN", "nan", "null", "NULL", "-", "--", "N/A", "n/a")
_NO_TEXT = "This file is no text table, and not a table of another kind that is known: export the log as CSV."
_DELIMITERS = (";", "\t", "|", ",")
_NUMBER = re.compile(r"^[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?\s?%?$")
CLOCK = re.compile(
    r"^(?:\d{1,4}[-./]\d{1,2}[-./]\d{1,4}[ T]+)?\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?\s*(?:[ap]m)?\s*Z?(?:[+-]\d{2}:?\d{2})?$",
    re.I,
)
_COMPACT = re.compile(r"^\d{8}T\d{6}(?:[.,]\d+)?Z?$")
DATE = re.compile(r"^\d{1,4}[-./]\d{1,2}[-./]\d{1,4}$")
_LIST = re.compile(r"^\[?\s*[+-]?\d+(?:[.,]\d+)?(?:\s*[;:/ ]\s*[+-]?\d+(?:[.,]\d+)?){1,27}\s*\]?$")


@dataclass(frozen=True, slots=True)
class Shape:
    """The form of a table of text: where its parts are, and how numbers are written.

    ``above``: the lines over the table; ``edges``: where columns end that are lined up with blanks.
    """

    encoding: str
    delimiter: str
    comma: bool
    header: int
    unit_row: int | None
    first: int
    names: tuple[str, ...]
    units: tuple[str, ...]
    above: tuple[str, ...] = ()
    form: Form = "delimited"
    edges: tuple[tuple[int, int], ...] = field(default=())


def decode(data: bytes) -> tuple[str, str]:
    """Return (text, encoding) of a file's bytes.

    Raises
    ------
    BadReading
        The file is empty or is no text.
    """
    if not data.strip():
        raise BadReading("This file is empty: export the log again.", "file")
    for mark, name in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if data.startswith(mark):
            return data.decode(name, errors="replace"), name
    head = data[:4096]
    if b"\x00" in head:
        for name, at in (("utf-16-le", 1), ("utf-16-be", 0)):
            # Of text in the letters of the west every other byte is nothing.
            if len(head) > 8 and head[at::2].count(0) > 0.8 * len(head[at::2]) and head[1 - at :: 2].count(0) == 0:
                return data.decode(name, errors="replace"), name
        raise BadReading(_NO_TEXT, "file")
    try:
        return data.decode("utf-8"), "utf-8"
    except UnicodeDecodeError:
        text = data.decode("cp1252", errors="replace")
    odd = sum(not (c.isprintable() or c in "\r\n\t") for c in text[:4096])
    if odd > 0.05 * min(len(text), 4096):
        raise BadReading(_NO_TEXT, "file")
    return text, "cp1252"


def as_utf8(data: bytes, encoding: str) -> bytes:
    """Return the bytes as the table reader takes them; a first part that is ASCII says nothing of the rest."""
    if encoding == "utf-8":
        if data.isascii():
            return data
        try:
            data.decode("utf-8")
        except UnicodeDecodeError:
            return data.decode("cp1252", errors="replace").encode()
        return data
    return data.decode(encoding, errors="replace").encode()


def shape_of(text: str, encoding: str = "utf-8") -> Shape:
    """Return the form of a table of text.

    Raises
    ------
    BadReading
        No table is found in it, or it has a header and nothing below.
    """
    lines = text[: 400 * _LOOK_LINES].splitlines()[:_LOOK_LINES]
    filled = [(k, line) for k, line in enumerate(lines) if line.strip()]
    if sum(line.lstrip().startswith("{") for _, line in filled) > 0.8 * len(filled):
        return _json_shape(filled, encoding)
    found = _delimiter([line for _, line in filled])
    # Decimal commas alone make columns too; another sign that is steady parts them for certain.
    lined = _lined_up(filled, encoding) if found is None or found[0] == "," else None
    if lined is not None and (found is None or len(lined.names) > found[1]):
        return lined
    if found is None:
        raise BadReading("No table was found in this file: export the log as CSV.", "file")
    return _delimited(filled, *found, encoding)


def _delimited(filled: list[tuple[int, str]], delimiter: str, width: int, encoding: str) -> Shape:
    whole = [(k, r) for k, line in filled if len(r := split(line, delimiter)) == width]
    first = next(
        (n for n, (_, r) in enumerate(whole) if _numbers(r, delimiter) >= max(1, (len([c for c in r if c]) + 1) // 2)), None
    )
    if first is None:
        raise BadReading("There is a header and no row below it that holds numbers: no data. Export the log again.", "file")
    # A header holds no figures: rows between it and the first that can be read are bad rows of the table.
    top = next((n for n in range(first - 1, -1, -1) if not any(map(_is_figure, whole[n][1]))), None)
    header, unit_row = -1, None
    if top is None:
        names, units = tuple(f"column {k + 1}" for k in range(width)), ("",) * width
    else:
        below = [c.strip().strip('"') for c in whole[top][1]]
        apart = top >= 1 and whole[top][0] - whole[top - 1][0] == 1
        first = top + 1
        # A row of units spells units or nothing; a short table above the table does not.
        if apart and sum(bool(units_spelled(re.sub(r"\(.*?\)", "", c))) for c in below) >= 0.4 * max(1, sum(map(bool, below))):
            unit_row, top, units = whole[top][0], top - 1, tuple(below)
        else:
            units = ("",) * width
        header, names = whole[top][0], tuple(c.strip().strip('"') for c in whole[top][1])
    body = [r for _, r in whole[first : first + 60]]
    comma = delimiter != "," and sum("," in c for r in body for c in r) > sum(
        "." in c and not CLOCK.match(c) and not DATE.match(c) for r in body for c in r
    )
    above = tuple(line for k, line in filled if k < header)[:_MOST_PREAMBLE]
    return Shape(encoding, delimiter, comma, header, unit_row, whole[first][0], names, units, above)


def split(line: str, delimiter: str) -> list[str]:
    """Return the parts of a line; what stands in quotes is one part."""
    if '"' not in line:
        return [c.strip() for c in line.split(delimiter)]
    # Every other part lies between quotes; a doubled quote inside one only opens and closes it again.
    cells, cell = [], ""
    for k, part in enumerate(line.split('"')):
        if k % 2:
            cell += part
            continue
        first, *rest = part.split(delimiter)
        cell += first
        for more in rest:
            cells.append(cell.strip())
            cell = more
    return [*cells, cell.strip()]


def _is_figure(text: str) -> bool:
    return bool(_NUMBER.match(text) or CLOCK.match(text) or _COMPACT.match(text) or DATE.match(text) or _LIST.match(text))


def _numbers(row: Sequence[str], delimiter: str) -> int:
    return sum(_is_figure(c) for c in row if delimiter != "," or "," not in c)


def _delimiter(lines: list[str]) -> tuple[str, int] | None:
    """Return the separator that most lines share, and how many columns it makes."""
    best: tuple[float, str, int] = (0.0, "", 0)
    for d in _DELIMITERS:
        counts = [len(split(line, d)) for line in lines]
        wide = [c for c in counts if c > 1]
        if not wide:
            continue
        width = max(set(wide), key=lambda w: (wide.count(w), w))
        share = wide.count(width) / len(lines)
        # A decimal comma makes columns too: a rarer sign that is as steady comes first, unless it only parts a list.
        if share > best[0] + (0.2 if best[1] else 0.0) or (d == "," and share >= best[0] - 0.02 and _parts_lists(lines, best[1])):
            best = (share, d, width)
    return (best[1], best[2]) if best[0] >= 0.3 else None


def _parts_lists(lines: list[str], delimiter: str) -> bool:
    """Return whether a sign stands only within lists of numbers, between other separators."""
    if not delimiter:
        return False
    rows = [line for line in lines[-60:] if delimiter in line]
    return bool(rows) and all(
        sum(delimiter in part for part in split(line, ",")) == 1
        and len(split(line, ",")) > line.count(delimiter) + 1
        and any(_LIST.match(part) for part in split(line, ","))
        for line in rows
    )


def _lined_up(filled: list[tuple[int, str]], encoding: str) -> Shape | None:
    """Return the form of a table whose columns are lined up with blanks; None where it is no such table."""
    wide = Counter(len(line.rstrip()) // 12 for _, line in filled).most_common(1)
    if not wide:
        return None
    rows = [(k, line.expandtabs(8)) for k, line in filled]
    body = [(k, line) for k, line in rows if len(line.split()) >= 4][-200:]
    if len(body) < 12:
        return None
    counts = Counter(len(line.split()) for _, line in body).most_common(1)[0]
    if counts[1] < 0.6 * len(body):
        return None
    sample = [line for _, line in body if sum(_is_figure(w) for w in line.split()) >= 0.5 * len(line.split())]
    if len(sample) < 8:
        return None
    first = next(
        (
            n
            for n, (_, line) in enumerate(rows)
            if len(ws := line.split()) >= 0.8 * counts[0] and sum(map(_is_figure, ws)) >= 0.5 * len(ws)
        ),
        None,
    )
    if first is None or first == 0:
        return None
    head = rows[first - 1][1]
    long = max(len(line) for line in [*sample, head])
    inked = np.zeros(long, dtype=bool)
    for line in [*sample, head]:
        inked[: len(line)] |= np.frombuffer(line.encode("latin-1", "replace"), dtype=np.uint8) != 32
    marks = np.flatnonzero(np.diff(np.concatenate(([0], inked.astype(int), [0]))))
    parts = list(zip(marks[::2].tolist(), marks[1::2].tolist(), strict=True))
    if len(parts) < 3 or any(not head[a:b].strip() for a, b in parts):
        return None
    # What is wider farther down stands in the blanks before it: numbers are set flush right.
    edges = tuple((0 if k == 0 else parts[k - 1][1], b if k < len(parts) - 1 else 10_000) for k, (_, b) in enumerate(parts))
    names = tuple(head[a:b].strip() for a, b in parts)
    comma = sum(bool(re.search(r"\d,\d", w)) for line in sample[:60] for w in line.split()) > sum(
        bool(re.search(r"\d\.\d", w)) for line in sample[:60] for w in line.split()
    )
    above = tuple(line for _, line in rows[: first - 1])[:_MOST_PREAMBLE]
    return Shape(
        encoding, " ", comma, rows[first - 1][0], None, rows[first][0], names, ("",) * len(names), above, "lined up", edges
    )


def _json_shape(filled: list[tuple[int, str]], encoding: str) -> Shape:
    """Return the form of JSON line by line: the names that most lines share; others stand above the table."""
    rows: list[tuple[int, dict[str, Any], str]] = []
    for k, line in filled:
        try:
            row = json.loads(line)
        except ValueError:
            continue
        if isinstance(row, dict):
            rows.append((k, row, line))
    keys = Counter(tuple(sorted(row)) for _, row, _ in rows)
    if not keys:
        raise BadReading("No table was found in this file: export the log as CSV.", "file")
    usual = set(keys.most_common(1)[0][0])
    first = next(n for n, (_, row, _) in enumerate(rows) if len(usual & set(row)) >= 0.7 * len(usual))
    names = tuple(rows[first][1]) + tuple(sorted(usual - set(rows[first][1])))
    above = tuple(", ".join(f"{k}: {v}" for k, v in row.items()) for _, row, _ in rows[:first])
    spoken = tuple(line for text in above for line in _pieces(text))
    return Shape(encoding, "", False, -1, None, rows[first][0], names, ("",) * len(names), spoken, "json lines")


def _pieces(text: str) -> list[str]:
    """Return what stands above JSON rows, name by name; a text with commas in it stays one."""
    return re.split(r", (?=\w+: )", text)


def table_of(data: bytes, shape: Shape) -> pl.DataFrame:
    """Return the rows of a table as columns of numbers or words, one for each name.

    Raises
    ------
    BadReading
        It cannot be read.
    """
    try:
        if shape.form == "json lines":
            frame = _json_table(data, shape)
        elif shape.form == "lined up":
            frame = _lined_table(data, shape)
        else:
            frame = pl.read_csv(
                io.BytesIO(data),
                has_header=False,
                separator=shape.delimiter,
                skip_rows=shape.first,
                decimal_comma=shape.comma,
                infer_schema_length=5000,
                ignore_errors=True,
                truncate_ragged_lines=True,
                encoding="utf8-lossy",
            )
    except pl.exceptions.PolarsError as bad:
        raise BadReading(f"The table cannot be read: {str(bad).splitlines()[0]}", "file") from bad
    # Words for nothing make a column of words of one of numbers.
    frame = frame.with_columns(pl.col(pl.String).str.strip_chars().replace(dict.fromkeys(_NOTHING)))
    width = len(shape.names)
    if frame.width < width:
        frame = frame.with_columns([pl.lit(None, dtype=pl.Float64).alias(f"more_{k}") for k in range(width - frame.width)])
    return frame[:, :width]


def _lined_table(data: bytes, shape: Shape) -> pl.DataFrame:
    lines = pl.Series("line", data.decode("utf-8", "replace").splitlines()[shape.first :]).str.replace_all("\t", "        ")
    lines = lines.filter(lines.str.len_chars() > 0)
    columns = [lines.str.slice(a, b - a).str.strip_chars().alias(f"column_{k}") for k, (a, b) in enumerate(shape.edges)]
    return pl.DataFrame(columns)


def _json_table(data: bytes, shape: Shape) -> pl.DataFrame:
    body = b"\n".join(line for line in data.splitlines()[shape.first :] if line.strip())
    frame = pl.read_ndjson(io.BytesIO(body), infer_schema_length=2000, ignore_errors=True)
    columns = []
    for name in shape.names:
        if name not in frame.columns:
            columns.append(pl.Series(name, [None] * frame.height, dtype=pl.Float64))
            continue
        column = frame[name]
        if isinstance(column.dtype, pl.Struct):
            column = column.struct.json_encode().alias(name)
        columns.append(column)
    return pl.DataFrame(columns)


def listed(column: pl.Series, *, comma: bool) -> list[pl.Series] | None:
    """Return the columns within a column of lists, such as all cells in one; None where it holds none."""
    if isinstance(column.dtype, pl.List):
        if not column.dtype.inner.is_numeric():
            return None
        wide = int(np.median(column.list.len().fill_null(0).to_numpy()))
        return [column.list.get(k, null_on_oob=True).cast(pl.Float64) for k in range(wide)] if 1 < wide <= 28 else None
    if column.dtype != pl.String:
        return None
    head = column.drop_nulls().head(40).to_list()
    if not head or sum(bool(_LIST.match(w)) and not CLOCK.match(w) and not DATE.match(w) for w in head) < 0.9 * len(head):
        return None
    parts = column.str.extract_all(r"[+-]?\d+(?:[.,]\d+)?" if comma else r"[+-]?\d+(?:\.\d+)?")
    wide = int(np.median(parts.list.len().fill_null(0).to_numpy()))
    if not 1 < wide <= 28:
        return None
    return [
        parts.list.get(k, null_on_oob=True).str.replace(",", ".", literal=True).cast(pl.Float64, strict=False)
        for k in range(wide)
    ]
