"""Reading a log of any text form into canonical units: what is bad is counted, what contradicts itself is held."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
import polars as pl
from numpy.typing import NDArray

from quarry.core.base.errors import BadReading
from quarry.core.logs.candidates import Above, Column, Sample, unit_of, values_in
from quarry.core.logs.clock_faults import breaks_in, mended
from quarry.core.logs.clocks import kind_of, moments, zone_above
from quarry.core.logs.columns import recognise
from quarry.core.logs.contradictions import Hold, cells_against_pack, cells_against_stated, clock_runs_back, mixed_up
from quarry.core.logs.forms import Shape, as_utf8, decode, listed, shape_of, table_of
from quarry.core.logs.lexicon import (
    cells_stated,
    declared_units,
    level_of,
    listed_units,
    owners,
    stated_above,
    units_said,
    words_of,
)
from quarry.core.logs.quantities import BY_NAME

Floats = NDArray[np.float64]
_HEAD_BYTES = 400_000
_LOOK_BYTES, _LOOK_PARTS = 2_000_000, 24
_SAMPLE_ROWS, _SAMPLE_BLOCKS = 6_000, 12
_MOST_ROWS = 1_200_000
_LEAST_PART = 30  # rows between two jumps of a clock
_FAR_UP_M, _STANDS_FRAC = 20.0, 0.15  # so high, and drawing so little of what it draws hard
_LEAST_KNOWN = 0.3  # fewer of the values that are used, and the log tells nothing
_DEGREES = r"^\s*(\d{1,3})\s*[°\s]\s*(\d{1,2}(?:[.,]\d+)?)\s*['′]?\s*([NSEWO])\s*$"
_HEMISPHERE = r"^\s*([+-]?\d{1,3}(?:[.,]\d+)?)\s*°?\s*([NSEWO])\s*$"
_FLAG = re.compile(r"(\d+)\s*[:=]?\s*([^\d,;|]+)")


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

    ``holds``: what it says against itself; nothing of it is to be booked before a person has looked at it. ``places``: which row
    of its table each row of the log is; ``table`` as it was read.
    """

    shape: Shape
    columns: tuple[Column, ...]
    log: Log
    rows: int
    bad_rows: int
    examples: tuple[str, ...] = ()
    doubts: tuple[str, ...] = field(default_factory=tuple)
    holds: tuple[Hold, ...] = ()
    places: NDArray[np.int64] = field(default_factory=lambda: np.empty(0, dtype=np.int64))
    table: pl.DataFrame = field(default_factory=pl.DataFrame, repr=False)

    def rows_around(self, row: int, beside: int = 3) -> tuple[tuple[int, tuple[str, ...]], ...]:
        """Return rows of the table around one, each with its line in the file and its values as text."""
        first = max(0, row - beside)
        return tuple(
            (self.shape.first + 1 + k, tuple(_as_text(v) for v in self.table.row(k)))
            for k in range(first, min(self.table.height, row + beside + 1))
        )

    @property
    def asks(self) -> tuple[Column, ...]:
        """Return the columns of which a person should say what they are."""
        return tuple(c for c in self.columns if not c.certain)


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
    shape, plain = _opened(data)
    frame = table_of(_parts_of(plain, shape), shape)
    columns = _recognised(frame, shape, known)
    # Rows from the whole of it, not its first second, so that one sees values change.
    step = max(1, frame.height // rows)
    shown = tuple(tuple(_as_text(v) for v in frame.row(k)) for k in range(0, frame.height, step))[:rows]
    lacks = "" if any(c.quantity == "time_s" for c in columns) else "No column holds a time: say which one counts the seconds."
    return Look(shape, columns, shown, lacks)


def read_log(data: bytes, known: Mapping[str, Column] | None = None) -> Reading:
    """Read a log as one; see `read_logs`."""
    return read_logs(data, known)[0]


def read_logs(data: bytes, known: Mapping[str, Column] | None = None, *, split: bool = False) -> tuple[Reading, ...]:
    """Read a log, in one or, where it is to be ``split``, in parts between which its clock goes back or jumps.

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
    shape, plain = _opened(data)
    parts = _parts_of(plain, shape)
    frame = table_of(plain, shape)
    columns = _recognised(frame if parts is plain else table_of(parts, shape), shape, known)
    if not any(c.quantity == "time_s" for c in columns):
        raise BadReading("No column holds a time: say which one counts the seconds.", "time_s")
    if not split:
        return (_assemble(shape, columns, frame),)
    times = _times(shape, columns, frame)[0]
    edges = [0, *breaks_in(np.where(np.isfinite(times), times, np.interp(*_gaps_of(times)))), frame.height]
    parts_of_it = [(a, b) for a, b in pairwise(edges) if b - a >= _LEAST_PART]
    if not parts_of_it:
        raise BadReading("No part of this log between two jumps of its clock is long enough to be a flight.", "file")
    return tuple(_assemble(shape, columns, frame.slice(a, b - a), whole=frame, first=a) for a, b in parts_of_it)


def _gaps_of(times: Floats) -> tuple[Floats, Floats, Floats]:
    """Return what interpolates times that are missing: all rows, the known ones, and theirs."""
    known = np.flatnonzero(np.isfinite(times))
    rows = np.arange(times.size, dtype=float)
    return (rows, known.astype(float), times[known]) if known.size else (rows, rows, np.zeros(times.size))


def _opened(data: bytes) -> tuple[Shape, bytes]:
    """Return the form of a log and its bytes as UTF-8."""
    head, encoding = decode(data[:_HEAD_BYTES].rsplit(b"\n", 1)[0] if len(data) > _HEAD_BYTES else data)
    if encoding.startswith("utf-16"):
        head = decode(data)[0]
    shape = shape_of(head, encoding)
    plain = as_utf8(data, encoding)
    if plain.count(b"\n") > _MOST_ROWS + shape.first:
        raise BadReading(f"More than {_MOST_ROWS:,} rows: too large. Cut the log into flights first.", "file")
    if (
        encoding == "utf-8"
        and plain is not data
        and not data.isascii()
        and shape_of(plain[:_HEAD_BYTES].decode("utf-8", "replace"))
    ):
        shape = shape_of(plain[:_HEAD_BYTES].decode("utf-8", "replace"), "cp1252")
    return shape, plain


def _parts_of(plain: bytes, shape: Shape) -> bytes:
    """Return a large log's head and stretches from all of it; a smaller one whole. The same bytes give the same parts."""
    if len(plain) <= _LOOK_BYTES:
        return plain
    at = 0
    for _ in range(shape.first):
        at = plain.index(b"\n", at) + 1
    wide = _LOOK_BYTES // _LOOK_PARTS
    parts = [plain[:at]]
    for k in range(_LOOK_PARTS):
        begin = at + (len(plain) - at - wide) * k // (_LOOK_PARTS - 1)
        begin = begin if k == 0 else plain.find(b"\n", begin) + 1
        end = plain.rfind(b"\n", begin, begin + wide) + 1
        if 0 < begin < end:
            parts.append(plain[begin:end])
    return b"".join(parts)


def _as_text(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, pl.Series):
        return "; ".join(_as_text(v) for v in value)
    if isinstance(value, list):
        return "; ".join(_as_text(v) for v in value)
    return str(value)


def _recognised(frame: pl.DataFrame, shape: Shape, known: Mapping[str, Column] | None) -> tuple[Column, ...]:
    if frame.height == 0:
        raise BadReading("There is a header and no row below it: no data. Export the log again.", "file")
    rows = _sampled(frame.height)
    thin = frame if rows is None else frame[rows]
    samples = [_sample(thin.to_series(k), shape, k) for k in range(thin.width)]
    above = Above(
        declared_units(shape.above),
        listed_units(shape.above, len(shape.names)),
        bool(_flags(shape.above)),
    )
    columns = recognise(samples, above)
    if known:
        columns = tuple(_as_said(c, known) for c in columns)
    return columns


def _sampled(rows: int) -> NDArray[np.int64] | None:
    """Return rows of stretches spread over a log, within which they stay close; None for all of a short one."""
    if rows <= _SAMPLE_ROWS:
        return None
    stride = min(10, -(-rows // _SAMPLE_ROWS))
    each = _SAMPLE_ROWS // _SAMPLE_BLOCKS
    begins = np.linspace(0, rows - each * stride, _SAMPLE_BLOCKS).astype(int) if rows > _SAMPLE_ROWS * stride else [0]
    if len(begins) == 1:
        return np.arange(0, rows, stride)
    return np.unique(np.concatenate([b + stride * np.arange(each) for b in begins]))


def _sample(series: pl.Series, shape: Shape, k: int) -> Sample:
    """Return one column as it is looked at."""
    header, below = shape.names[k], shape.units[k]
    parts = listed(series, comma=shape.comma)
    if parts is not None:
        return Sample(header, below, _floats(parts[0]), parts=tuple(_floats(p) for p in parts))
    if series.dtype.is_numeric() or series.dtype == pl.Null:
        return Sample(header, below, _floats(series))
    words = series.cast(pl.String).str.strip_chars() if series.dtype != pl.Boolean else series.cast(pl.String)
    filled = words.drop_nulls()
    if not filled.len():
        return Sample(header, below, np.full(series.len(), math.nan))
    head = filled.head(50).to_list()
    clock = kind_of(head)
    if clock:
        found = moments(words)
        return Sample(
            header, below, found.seconds, clock="date" if not found.timed else "moment", order=found.order, order_sure=found.sure
        )
    place = _place(words)
    if place is not None:
        return Sample(header, below, place[0], place=place[1])
    numbers, percent = _numbers(words, shape)
    if numbers is not None:
        return Sample(header, below, numbers, percent=percent)
    return Sample(header, below, words=tuple(filled.unique(maintain_order=True).head(200).to_list()))


def _floats(series: pl.Series) -> Floats:
    return np.array(series.cast(pl.Float64).fill_null(math.nan).to_numpy(), dtype=float)


def _place(words: pl.Series) -> tuple[Floats, str] | None:
    """Return a column of degrees with letters of the hemispheres, with or without minutes, and which letters; else None."""
    filled = words.drop_nulls()
    for form, minutes in ((_DEGREES, True), (_HEMISPHERE, False)):
        if filled.head(50).str.contains(form).sum() < 0.8 * min(50, filled.len()):
            continue
        parts = words.str.extract_groups(form).struct.unnest()
        whole = _floats(parts["1"].str.replace(",", ".", literal=True).cast(pl.Float64, strict=False))
        if minutes:
            whole = whole + _floats(parts["2"].str.replace(",", ".", literal=True).cast(pl.Float64, strict=False)) / 60.0
        letter = parts["3" if minutes else "2"]
        west = np.array(letter.is_in(["S", "W", "O"]).fill_null(value=False).to_numpy())
        letters = "NS" if letter.drop_nulls().is_in(["N", "S"]).sum() > 0.5 * letter.drop_nulls().len() else "EW"
        return np.where(west, -whole, whole), letters
    return None


def _numbers(words: pl.Series, shape: Shape) -> tuple[Floats | None, bool]:
    """Return words that are numbers, and whether a percent sign stands behind them; None where they are words."""
    filled = words.drop_nulls()
    bare = words.str.replace(r"\s*%$", "")
    percent = bool(filled.head(200).str.ends_with("%").sum() > 0.8 * min(200, filled.len()))
    plain = bare.str.replace(",", ".", literal=True) if shape.comma or percent else bare
    found = plain.cast(pl.Float64, strict=False)
    if found.is_not_null().sum() < 0.5 * filled.len():
        return None, False
    return _floats(found), percent


def _as_said(column: Column, known: Mapping[str, Column]) -> Column:
    said = known.get(column.header)
    if said is None:
        return column
    return Column(column.index, column.header, said.quantity, said.unit, said.cell, certain=True, why="as told before")


def _flags(above: Sequence[str]) -> dict[int, str]:
    """Return what the bits of a status mean, by their values, as it is told above the table; only what is said of a battery."""
    for line in above:
        if not {"bit", "bits", "flags", "flag"} & set(words_of(line)):
            continue
        named = {int(n): w.strip() for n, w in _FLAG.findall(line.split(":", 1)[-1].split("=", 1)[-1]) if int(n) < 2**31}
        warned = {n: w for n, w in named.items() if (level_of(w) or 0) > 0 and "remote" not in owners(words_of(w))}
        of_pack = {n: w for n, w in warned.items() if "pack" in owners(words_of(w))}
        return of_pack or warned
    return {}


@dataclass(frozen=True, slots=True)
class _Rows:
    """Rows of a log while they are put in order: clock, numbers, cells by their number, and which rows of the table they are."""

    time_s: Floats
    numbers: Mapping[str, Floats]
    cells: Mapping[int, Floats]
    places: NDArray[np.int64]

    def take(self, rows: NDArray[np.int64]) -> _Rows:
        """Return some of the rows, in the order asked for."""
        if rows.size == self.time_s.size and np.array_equal(rows, np.arange(rows.size)):
            return self
        return _Rows(
            self.time_s[rows],
            {k: v[rows] for k, v in self.numbers.items()},
            {k: v[rows] for k, v in self.cells.items()},
            self.places[rows],
        )


def _assemble(
    shape: Shape, columns: tuple[Column, ...], frame: pl.DataFrame, *, whole: pl.DataFrame | None = None, first: int = 0
) -> Reading:
    """Return rows as a log; ``frame`` may be a part of a ``whole`` table, from its row ``first`` on."""
    numbers, cells, texts, bad = _values(shape, columns, frame)
    time, dated, zoned = _times(shape, columns, frame)
    _tells_enough([*numbers.values(), *cells.values(), *_meant_as_numbers(shape, columns, frame)])
    bad |= ~np.isfinite(time)
    if bad.all():
        raise BadReading("No row of this log can be read: look at its columns.", "file")
    rows = _Rows(time, numbers, cells, np.arange(time.size)).take(np.flatnonzero(~bad))
    rows, doubts, holds = _in_order(rows)
    stated = cells_stated(shape.above)
    put_right = mended(rows.time_s, rows.numbers, dated=dated)
    against = (
        cells_against_pack(rows.numbers.get("pack_v"), rows.cells),
        None if stated is None else cells_against_stated(stated, rows.cells, rows.numbers.get("pack_v")),
        *put_right.holds,
    )
    places = rows.places + first
    holds = [replace(h, row=h.row + first) for h in holds if h.row is not None] + [
        h.at_row(places) for h in against if h is not None
    ]
    doubts += [*put_right.doubts, *_doubts(put_right.time_s, rows.numbers), *(h.words for h in holds)]
    began_s = float(put_right.time_s[0])
    seconds = put_right.time_s - began_s
    found = dict(rows.numbers)
    if "height_m" not in found and "altitude_m" in found:
        found["height_m"] = found["altitude_m"] - _ground(found["altitude_m"])
        doubts.append("its height is above sea level: height is counted from where it stood")
    elif "height_m" in found and _begins_up_there(found):
        found["height_m"] = found["height_m"] - _ground(found["height_m"])
        doubts.append("its height does not begin at nothing where it stands: it is counted from there")
    words = dict(stated_above(shape.above))
    for q, series in texts.items():
        shown = series.drop_nulls()
        if shown.len():
            words[q] = str(shown.mode().sort()[0])
    marks: dict[str, tuple[tuple[float, str], ...]] = {
        q: _changes(texts[q], rows.places, seconds) for q in ("mode", "warning", "serial", "firmware") if q in texts
    }
    # Cell by cell in memory: each is looked at by itself.
    stacked = np.stack([rows.cells[k] for k in sorted(rows.cells)]).T if rows.cells else None
    log = Log(seconds, found, stacked, words, began_s if dated else math.nan, marks, zoned)
    examples = tuple(f"row {shape.first + 1 + first + int(k)}" for k in np.flatnonzero(bad)[:5])
    table = frame if whole is None else whole
    return Reading(shape, columns, log, frame.height, int(bad.sum()), examples, tuple(doubts), tuple(holds), places, table)


def _values(
    shape: Shape, columns: Sequence[Column], frame: pl.DataFrame
) -> tuple[dict[str, Floats], dict[int, Floats], dict[str, pl.Series], NDArray[np.bool_]]:
    """Return what the columns hold in canonical units: numbers, cells, words; and which rows hold nonsense in one of them."""
    numbers: dict[str, Floats] = {}
    cells: dict[int, Floats] = {}
    texts: dict[str, pl.Series] = {}
    bad = np.zeros(frame.height, dtype=bool)
    for c in columns:
        series = frame.to_series(c.index)
        if not c.quantity or c.quantity in ("time_s", "date_s"):
            continue
        if BY_NAME[c.quantity].text:
            texts[c.quantity] = _text_of(c, series, shape)
            continue
        parts = listed(series, comma=shape.comma) if c.quantity == "cell_v" and c.cell == 0 else None
        if parts is not None:
            cells |= {k + 1: values_in(_floats(p), unit_of(c)) for k, p in enumerate(parts)}
            continue
        raw = _sample(series, shape, c.index).numbers
        if raw is None:
            raise BadReading(f"“{c.header}” holds words, not numbers: choose another column.", c.quantity)
        values = values_in(raw, unit_of(c))
        if c.quantity == "cell_v":
            cells[c.cell] = values
        else:
            numbers[c.quantity] = values
        if series.dtype == pl.String:
            bad |= np.array(series.is_not_null().to_numpy()) & np.isnan(raw)
    return numbers, cells, texts, bad


def _in_order(rows: _Rows) -> tuple[_Rows, list[str], list[Hold]]:
    """Return rows in order of their clock, each once, with what was odd about them and what holds the log."""
    doubts: list[str] = []
    holds: list[Hold] = []
    back = int(np.sum(np.diff(rows.time_s) < 0))
    if back:
        doubts.append(f"its clock goes back {back} times: rows are put in order of time")
        place = np.argsort(rows.time_s, kind="stable")
        back_at = None if mixed_up(place, rows.numbers) else clock_runs_back(rows.time_s)
        holds += [] if back_at is None else [back_at.at_row(rows.places)]
        rows = rows.take(place)
    twice = _twice(rows)
    if twice.any():
        rows = rows.take(np.flatnonzero(~twice))
        doubts.append(f"{int(twice.sum())} rows stand there twice and count once")
    return rows, doubts, holds


def _times(shape: Shape, columns: Sequence[Column], frame: pl.DataFrame) -> tuple[Floats, bool, bool]:
    """Return the clock of each row in seconds, whether it tells the date, and whether that is of a known zone."""
    clock = next(c for c in columns if c.quantity == "time_s")
    date = next((c for c in columns if c.quantity == "date_s"), None)
    series = frame.to_series(clock.index)
    says_utc = any({"utc", "gmt", "zulu", "z"} & set(words_of(c.header)) for c in (clock, date) if c is not None)
    ahead = zone_above(shape.above)
    if series.dtype.is_numeric():
        time = values_in(_floats(series), unit_of(clock))
        dated = bool(np.isfinite(time).any()) and float(np.nanmax(time)) > 1e8
        return time, dated, dated
    words = series.cast(pl.String)
    if not kind_of(words.drop_nulls().head(50).to_list()):
        numbers, _ = _numbers(words.str.strip_chars(), shape)
        if numbers is None:
            raise BadReading(f"“{clock.header}” holds words, not times: choose another column.", "time_s")
        time = values_in(numbers, unit_of(clock))
        dated = bool(np.isfinite(time).any()) and float(np.nanmax(time)) > 1e8
        return time, dated, dated
    found = moments(words, clock.unit if clock.unit.endswith("first") else "")
    time, dated, zoned = found.seconds, found.dated, found.zoned
    if date is not None and not dated:
        days = moments(frame.to_series(date.index).cast(pl.String), date.unit if date.unit.endswith("first") else "")
        time, dated, zoned = days.seconds + time % 86_400.0, True, zoned or days.zoned
    if not zoned and dated and not says_utc and ahead is not None:
        return time - ahead, dated, True
    return time, dated, zoned or says_utc


def _meant_as_numbers(shape: Shape, columns: Sequence[Column], frame: pl.DataFrame) -> list[Floats]:
    """Return columns that are not used and whose header says a unit, as far as they hold numbers."""
    found = []
    for c in columns:
        series = frame.to_series(c.index)
        if c.quantity in ("", "serial", "airframe") and series.dtype == pl.String and units_said(c.header, shape.units[c.index]):
            plain = series.str.replace(",", ".", literal=True) if shape.comma else series
            found.append(_floats(plain.cast(pl.Float64, strict=False)))
    return found


def _tells_enough(columns: Sequence[Floats]) -> None:
    known = float(np.mean([np.mean(np.isfinite(c)) for c in columns])) if columns else 1.0
    if known < _LEAST_KNOWN:
        raise BadReading(
            f"Too few numbers: {1 - known:.0%} of the values are missing or are not numbers. Export the log again.", "file"
        )


def _twice(rows: _Rows) -> NDArray[np.bool_]:
    """Return which rows say the same as the one before them, moment and all."""
    found = np.zeros(rows.time_s.size, dtype=bool)
    found[1:] = np.diff(rows.time_s) == 0
    for values in (*rows.numbers.values(), *rows.cells.values()):
        if not found.any():
            break
        same = (values[1:] == values[:-1]) | (np.isnan(values[1:]) & np.isnan(values[:-1]))
        found[1:] &= same
    return found


def _begins_up_there(numbers: Mapping[str, Floats]) -> bool:
    """Return whether a height is far from nothing while the aircraft stands: it is one above the sea, whatever it is called."""
    height, current = numbers["height_m"], numbers.get("current_a")
    known = height[np.isfinite(height)]
    if current is None or known.size < 20 or abs(float(np.median(known[:5]))) < _FAR_UP_M:
        return False
    draw = np.abs(current[np.isfinite(current)])
    return draw.size > 20 and float(np.median(draw[:5])) < _STANDS_FRAC * float(np.percentile(draw, 90))


def _ground(altitude: Floats) -> float:
    """Return the height above sea level of where it stood: its lowest, but for a stray row."""
    known = altitude[np.isfinite(altitude)]
    return float(np.percentile(known, 1.0)) if known.size else 0.0


def _text_of(column: Column, series: pl.Series, shape: Shape) -> pl.Series:
    """Return a column of words; levels and flags of a warning in words."""
    if column.quantity != "warning" or not series.dtype.is_numeric():
        return series.cast(pl.String).str.strip_chars()
    flags = _flags(shape.above)
    values = series.cast(pl.Int64, strict=False).fill_null(0)
    if flags:
        worst = sorted(flags.items(), key=lambda f: level_of(f[1]) or 0)
        made = pl.Series([""] * values.len())
        for bit, name in worst:
            here = pl.Series(((values.to_numpy() & bit) != 0).tolist())
            made = made.zip_with(~here, pl.Series([name] * values.len()))
        return made
    return values.map_elements(lambda v: "" if v <= 0 else f"level {v}", return_dtype=pl.String)


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
