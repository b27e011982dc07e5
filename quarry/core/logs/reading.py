"""Reading a log of any delimited form: encoding, separator, decimal comma, header, unit row, dates; what is bad is counted."""

from __future__ import annotations

import io
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import polars as pl
from numpy.typing import NDArray

from quarry.core.base.errors import BadReading
from quarry.core.logs.columns import Column, recognise, unit_of
from quarry.core.logs.contradictions import cells_against_pack, clock_runs_back
from quarry.core.logs.quantities import BY_NAME, plain_words

Floats = NDArray[np.float64]
_LOOK_LINES = 400
_HEAD_BYTES = 400_000
_LOOK_BYTES = 120_000
_MOST_ROWS = 1_200_000
_NOTHING = ("", "NaN", "nan", "null", "NULL", "-", "--", "N/A", "n/a")
_DELIMITERS = (";", "\t", "|", ",")
_NUMBER = re.compile(r"^[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?$")
_CLOCK = re.compile(
    r"^(?:\d{1,4}[-./]\d{1,2}[-./]\d{1,4}[ T])?\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?\s*(?:[ap]m)?Z?(?:[+-]\d{2}:?\d{2})?$", re.I
)
_DATES = (
    "%Y-%m-%d %H:%M:%S%.f",
    "%Y-%m-%dT%H:%M:%S%.f",
    "%Y/%m/%d %H:%M:%S%.f",
    "%d.%m.%Y %H:%M:%S%.f",
    "%m/%d/%Y %H:%M:%S%.f",
    "%d/%m/%Y %H:%M:%S%.f",
)
_ZONE = r"\s*(Z|[+-]\d{2}:?\d{2})$"
_PREAMBLE = re.compile(r"^\s*#?\s*([A-Za-z][\w .]{1,40}?)\s*[:=]\s*(.{1,80}?)\s*$")


@dataclass(frozen=True, slots=True)
class Shape:
    """The form of a table of text: where its parts are, and how numbers are written."""

    encoding: str
    delimiter: str
    comma: bool
    header: int
    unit_row: int | None
    first: int
    names: tuple[str, ...]
    units: tuple[str, ...]
    preamble: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Log:
    """A log in canonical units, by time from its first row: ``time_s``, numbers by quantity, cells as (rows × cells), words.

    What was not told is NaN. ``marks``: when the mode or a warning changed, and to what. ``began_s`` is the first moment, in
    seconds since 1970, in UTC where ``zoned``, else as the log's own clock wrote it; NaN where the log only counts from its start.
    """

    time_s: Floats
    numbers: Mapping[str, Floats]
    cells_v: Floats | None
    words: Mapping[str, str]
    began_s: float = math.nan
    marks: Mapping[str, tuple[tuple[float, str], ...]] = field(default_factory=dict)
    zoned: bool = False

    @property
    def rows(self) -> int:
        """Return how many rows there are."""
        return int(self.time_s.size)


@dataclass(frozen=True, slots=True)
class Reading:
    """A log as it was read: its form, what each column was taken for, what is to be asked, and what was wrong with it.

    ``holds``: what it says against itself; nothing of it is to be booked before a person has looked at it.
    """

    shape: Shape
    columns: tuple[Column, ...]
    log: Log
    rows: int
    bad_rows: int
    examples: tuple[str, ...] = ()
    doubts: tuple[str, ...] = field(default_factory=tuple)
    holds: tuple[str, ...] = ()

    @property
    def asks(self) -> tuple[Column, ...]:
        """Return the columns of which a person should say what they are."""
        return tuple(c for c in self.columns if not c.certain)


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
        raise BadReading("This file is no text table: export the log as CSV.", "file")
    try:
        return data.decode("utf-8"), "utf-8"
    except UnicodeDecodeError:
        text = data.decode("cp1252", errors="replace")
    odd = sum(not (c.isprintable() or c in "\r\n\t") for c in text[:4096])
    if odd > 0.05 * min(len(text), 4096):
        raise BadReading("This file is no text table: export the log as CSV.", "file")
    return text, "cp1252"


def shape_of(text: str, encoding: str = "utf-8") -> Shape:
    """Return the form of a table of text.

    Raises
    ------
    BadReading
        No table is found in it, or it has a header and nothing below.
    """
    lines = text[: 400 * _LOOK_LINES].splitlines()[:_LOOK_LINES]
    filled = [(k, line) for k, line in enumerate(lines) if line.strip()]
    delimiter, width = _delimiter([line for _, line in filled])
    rows = [(k, _split(line, delimiter)) for k, line in filled]
    whole = [(k, r) for k, r in rows if len(r) == width]
    first = next(
        (n for n, (_, r) in enumerate(whole) if _numbers(r, delimiter) >= max(1, (len([c for c in r if c]) + 1) // 2)), None
    )
    if first is None:
        raise BadReading("There is a header and no row below it: export the log again.", "file")
    if first == 0:
        names, header, unit_row, units = tuple(f"column {k + 1}" for k in range(width)), -1, None, ("",) * width
    else:
        has_units = first >= 2 and whole[first - 1][0] - whole[first - 2][0] == 1
        top = first - 2 if has_units else first - 1
        header, names = whole[top][0], tuple(c.strip().strip('"') for c in whole[top][1])
        unit_row = whole[first - 1][0] if has_units else None
        units = tuple(c.strip().strip('"') for c in whole[first - 1][1]) if has_units else ("",) * width
    body = [r for _, r in whole[first : first + 60]]
    comma = delimiter != "," and sum("," in c for r in body for c in r) > sum(
        "." in c and not _CLOCK.match(c) for r in body for c in r
    )
    preamble = {
        m.group(1).strip().lower(): m.group(2) for k, line in filled if k < max(0, header) and (m := _PREAMBLE.match(line))
    }
    return Shape(encoding, delimiter, comma, header, unit_row, whole[first][0], names, units, preamble)


def _split(line: str, delimiter: str) -> list[str]:
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


def _numbers(row: Sequence[str], delimiter: str) -> int:
    return sum(bool(_NUMBER.match(c) or _CLOCK.match(c)) for c in row if delimiter != "," or "," not in c)


def _delimiter(lines: list[str]) -> tuple[str, int]:
    """Return the separator that most lines share, and how many columns it makes."""
    best: tuple[float, str, int] = (0.0, "", 0)
    for d in _DELIMITERS:
        counts = [len(_split(line, d)) for line in lines]
        wide = [c for c in counts if c > 1]
        if not wide:
            continue
        width = max(set(wide), key=wide.count)
        share = wide.count(width) / len(lines)
        # A decimal comma makes columns too: a rarer sign that is as steady comes first.
        if share > best[0] + (0.2 if best[1] else 0.0):
            best = (share, d, width)
    if best[0] < 0.3:
        raise BadReading("No table was found in this file: export the log as CSV.", "file")
    return best[1], best[2]


@dataclass(frozen=True, slots=True)
class Look:
    """The head of a log, to be looked at before it is read: its form, what each column is taken for, its first rows as text.

    ``lacks``: why it cannot be read as it stands; empty where it can.
    """

    shape: Shape
    columns: tuple[Column, ...]
    rows: tuple[tuple[str, ...], ...]
    lacks: str = ""

    @property
    def asks(self) -> tuple[str, ...]:
        """Return the headers of which a person should say what they are."""
        return tuple(c.header for c in self.columns if not c.certain)


def look_at(data: bytes, known: Mapping[str, Column] | None = None, *, rows: int = 14) -> Look:
    """Return the head of a log and what its columns are taken for, whether or not it can be read.

    Raises
    ------
    BadReading
        It is empty, no text, or no table.
    """
    cut = data[:_LOOK_BYTES].rsplit(b"\n", 1)[0] if len(data) > _LOOK_BYTES else data
    text, encoding = decode(cut)
    shape = shape_of(text, encoding)
    frame = _frame(_as_utf8(cut, encoding), shape)
    if frame.height == 0:
        raise BadReading("There is a header and no row below it: export the log again.", "file")
    numbers = [_as_number(frame.to_series(k), shape) for k in range(frame.width)]
    columns = recognise(shape.names, shape.units, numbers)
    if known:
        columns = tuple(_as_said(c, known) for c in columns)
    lines = [line for line in text.splitlines()[shape.first :] if line.strip()]
    # Rows from the whole head, not its first second, so that one sees values change.
    step = max(1, len(lines) // rows)
    shown = tuple(tuple(_split(line, shape.delimiter)[: len(shape.names)]) for line in lines[::step][:rows])
    lacks = "" if any(c.quantity == "time_s" for c in columns) else "No column holds a time: say which one counts the seconds."
    return Look(shape, columns, shown, lacks)


def read_log(data: bytes, known: Mapping[str, Column] | None = None) -> Reading:
    """Read a log.

    Parameters
    ----------
    data : bytes
        The whole file, unpacked.
    known : mapping, optional
        By header what a person has said of columns of this source; it goes before what is recognised.

    Raises
    ------
    BadReading
        It cannot be read as a log: the message says why.
    """
    head, encoding = decode(data[:_HEAD_BYTES].rsplit(b"\n", 1)[0] if len(data) > _HEAD_BYTES else data)
    if encoding == "utf-16":
        head = decode(data)[0]
    shape = shape_of(head, encoding)
    frame = _frame(_as_utf8(data, encoding), shape)
    if frame.height == 0:
        raise BadReading("There is a header and no row below it: export the log again.", "file")
    if frame.height > _MOST_ROWS:
        raise BadReading(f"More than {_MOST_ROWS:,} rows: cut the log into flights first.", "file")
    numbers = [_as_number(frame.to_series(k), shape) for k in range(frame.width)]
    samples = [n[:20_000] if n is not None else None for n in numbers]
    columns = recognise(shape.names, shape.units, samples)
    if known:
        columns = tuple(_as_said(c, known) for c in columns)
    if not any(c.quantity == "time_s" for c in columns):
        raise BadReading("No column holds a time: say which one counts the seconds.", "time_s")
    return _assemble(shape, columns, frame, numbers)


def _as_utf8(data: bytes, encoding: str) -> bytes:
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


def _as_said(column: Column, known: Mapping[str, Column]) -> Column:
    said = known.get(column.header)
    if said is None:
        return column
    return Column(column.index, column.header, said.quantity, said.unit, said.cell, certain=True, why="as told before")


def _frame(data: bytes, shape: Shape) -> pl.DataFrame:
    try:
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
    frame = frame.with_columns(pl.col(pl.String).replace(dict.fromkeys(_NOTHING)))
    width = len(shape.names)
    if frame.width < width:
        frame = frame.with_columns([pl.lit(None, dtype=pl.Float64).alias(f"more_{k}") for k in range(width - frame.width)])
    return frame[:, :width]


def _as_number(series: pl.Series, shape: Shape) -> Floats | None:
    """Return a column as numbers, times of day and dates as seconds; None where it is words."""
    if series.dtype.is_numeric() or series.dtype == pl.Null:
        return np.array(series.cast(pl.Float64).fill_null(math.nan).to_numpy(), dtype=float)
    if series.dtype == pl.Boolean:
        return None
    words = series.cast(pl.String).str.strip_chars()
    filled = words.drop_nulls()
    if not filled.len():
        return np.full(series.len(), math.nan)
    head = filled.head(50).to_list()
    if sum(bool(_CLOCK.match(w)) for w in head) > 0.8 * len(head):
        return _as_clock(words)
    plain = words.str.replace(",", ".", literal=True) if shape.comma else words
    found = plain.cast(pl.Float64, strict=False)
    if found.is_not_null().sum() < 0.5 * filled.len():
        return None
    return np.array(found.fill_null(math.nan).to_numpy(), dtype=float)


def _as_clock(words: pl.Series) -> Floats:
    """Return moments as seconds: from 1970 for dates, from midnight for times of day, which run on past midnight."""
    text = words.str.replace(",", ".", literal=True).str.replace(_ZONE, "")
    for form in _DATES:
        found = text.str.to_datetime(form, strict=False, time_unit="us")
        if found.is_not_null().sum() > 0.8 * words.drop_nulls().len():
            whole = found.dt.epoch("us").cast(pl.Float64) / 1e6
            return np.array((whole - _ahead_s(words)).fill_null(math.nan).to_numpy(), dtype=float)
    parts = text.str.extract_groups(r"(\d{1,2}):(\d{2})(?::(\d{2}(?:\.\d+)?))?").struct.unnest()
    hours, minutes, seconds = (parts[k].cast(pl.Float64, strict=False) for k in ("1", "2", "3"))
    total = hours * 3600 + minutes * 60 + seconds.fill_null(0.0)
    late = text.str.to_lowercase().str.contains("pm").fill_null(value=False) & (hours < 12)
    values = np.array((total + late.cast(pl.Float64) * 43_200).fill_null(math.nan).to_numpy(), dtype=float)
    steps = np.diff(values, prepend=values[:1])
    return np.asarray(values + 86_400.0 * np.cumsum(np.nan_to_num(steps) < -43_200.0), dtype=np.float64)


def _ahead_s(words: pl.Series) -> pl.Series:
    """Return by how much the zone that each moment names is ahead of UTC; nothing where it names none. [s]"""
    parts = words.str.extract_groups(r"([+-])(\d{2}):?(\d{2})$").struct.unnest()
    sign = parts["1"].replace_strict({"+": 1.0, "-": -1.0}, default=0.0, return_dtype=pl.Float64)
    hours, minutes = (parts[k].cast(pl.Float64, strict=False).fill_null(0.0) for k in ("2", "3"))
    # A date alone may end like a zone: only what follows a clock is one.
    return sign * (hours * 3600 + minutes * 60) * words.str.contains(r":\d{2}(?:[.,]\d+)?\s*[+-]\d{2}:?\d{2}$").cast(pl.Float64)


def _is_zoned(column: Column, series: pl.Series) -> bool:
    """Return whether the clock of a log is known to be UTC: by its zone, its header, or as it counts from 1970."""
    if series.dtype.is_numeric():
        return True
    first = str(series.drop_nulls().first() or "")
    return (bool(re.search(_ZONE, first)) and ":" in first) or bool(re.search(r"\b(utc|gmt|zulu)\b", plain_words(column.header)))


def _assemble(shape: Shape, columns: tuple[Column, ...], frame: pl.DataFrame, numbers: Sequence[Floats | None]) -> Reading:
    by_quantity: dict[str, Floats] = {}
    cells: dict[int, Floats] = {}
    words: dict[str, str] = {k: v for k, v in shape.preamble.items() if k in ("serial", "firmware")}
    used = [c for c in columns if c.quantity]
    bad = np.zeros(frame.height, dtype=bool)
    for c in used:
        q = BY_NAME[c.quantity]
        if q.text:
            shown = frame.to_series(c.index).cast(pl.String).drop_nulls()
            if shown.len():
                words[q.name] = str(shown.mode().sort()[0])
            continue
        raw = numbers[c.index]
        if raw is None:
            raise BadReading(f"“{c.header}” holds words, not numbers: choose another column.", c.quantity)
        values = (raw + unit_of(c).offset) * unit_of(c).factor
        if c.quantity == "cell_v":
            cells[c.cell] = values
        else:
            by_quantity[c.quantity] = values
        if frame.to_series(c.index).dtype == pl.String:
            bad |= np.array(frame.to_series(c.index).is_not_null().to_numpy()) & np.isnan(raw)
    time = by_quantity.pop("time_s")
    clock = next(c for c in used if c.quantity == "time_s")
    bad |= ~np.isfinite(time)
    order = np.flatnonzero(~bad)
    if not order.size:
        raise BadReading("No row of this log can be read: look at its columns.", "file")
    examples = tuple(f"row {shape.first + 1 + int(k)}" for k in np.flatnonzero(bad)[:5])
    if bad.any():
        time, by_quantity, cells = (
            time[order],
            {k: v[order] for k, v in by_quantity.items()},
            {k: v[order] for k, v in cells.items()},
        )
    holds = tuple(w for w in (clock_runs_back(time), cells_against_pack(by_quantity.get("pack_v"), cells)) if w)
    doubts = (*_doubts(time, by_quantity), *holds)
    place = np.argsort(time, kind="stable") if np.any(np.diff(time) < 0) else None
    if place is not None:
        time, by_quantity, cells = (
            time[place],
            {k: v[place] for k, v in by_quantity.items()},
            {k: v[place] for k, v in cells.items()},
        )
    kept = order if place is None else order[place]
    began_s = float(time[0])
    marks = {
        c.quantity: _changes(frame.to_series(c.index), kept, time - began_s)
        for c in used
        if c.quantity in ("mode", "warning", "serial")
    }
    # Cell by cell in memory: each is looked at by itself.
    stacked = np.stack([cells[k] for k in sorted(cells)]).T if cells else None
    log = Log(
        time - began_s,
        by_quantity,
        stacked,
        words,
        began_s if began_s > 1e8 else math.nan,
        marks,
        _is_zoned(clock, frame.to_series(clock.index)),
    )
    return Reading(shape, columns, log, frame.height, int(bad.sum()), examples, doubts, holds)


def _changes(series: pl.Series, kept: NDArray[np.int64], time_s: Floats) -> tuple[tuple[float, str], ...]:
    """Return when a column of words changed, and to what; silence is an empty word."""
    shown = series.cast(pl.String).fill_null("").str.strip_chars()[kept]
    new = (shown != shown.shift(1)).fill_null(value=True)
    rows = np.flatnonzero(np.array(new.to_numpy()))
    return tuple((float(time_s[k]), str(shown[int(k)])) for k in rows)


def _doubts(time: Floats, numbers: Mapping[str, Floats]) -> tuple[str, ...]:
    """Return what is odd about a log, and no reason to hold it."""
    found = []
    steps = np.diff(time)
    back = int(np.sum(steps < 0))
    if back:
        found.append(f"its clock goes back {back} times: rows are put in order of time")
    usual = float(np.median(steps[steps > 0])) if np.any(steps > 0) else 1.0
    gaps = steps[steps > max(10.0, 50 * usual)]
    if gaps.size:
        found.append(f"nothing was written for {gaps.max():.0f} s at the longest, {gaps.size} times in all")
    left = numbers.get("left_frac")
    if left is not None:
        rise = np.diff(left)
        jumps = int(np.sum(rise > 0.05))
        if jumps:
            found.append(f"its percent rises by more than 5 at once {jumps} times: more than one pack or charge is in it")
    return tuple(found)
