"""Bytes to flights with their figures."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from quarry.apps.logbook.formats.samples import packed
from quarry.apps.logbook.views import ColumnChoice, ColumnSaid, ColumnUse, HeldRow, HoldOut, LogColumn, LookOut
from quarry.core.base.errors import CoreError
from quarry.core.base.shapes import plain
from quarry.core.base.working import as_dict
from quarry.core.logs.archive import Packed, logs_in
from quarry.core.logs.by_phase import draw_by_phase
from quarry.core.logs.candidates import Column
from quarry.core.logs.contradictions import Hold, charge_against_current, longer_than_packs, percent_rises
from quarry.core.logs.discharge import Discharge, discharge_of, levels_of
from quarry.core.logs.flight import Span, flights_in, part, phases_of, thinned
from quarry.core.logs.lexicon import unit_named
from quarry.core.logs.quantities import BY_NAME, QUANTITIES
from quarry.core.logs.reading import Log, Look, Reading, look_at, read_logs
from quarry.core.logs.wind import WindMet, wind_met

LogError = CoreError
_TRACK_POINTS = 600
_MOST_MARKS = 60
_SWAP_FRAC = 0.05
_NEAR_S = 5.0
_WORDS = {
    "time_s": "time",
    "left_frac": "percent left",
    "cell_v": "volts of a cell",
    "pack_v": "volts of the pack",
    "current_a": "current",
    "used_ah": "charge drawn",
    "pack_c": "pack temperature",
    "height_m": "height",
    "speed_m_s": "ground speed",
    "lat_deg": "latitude",
    "lon_deg": "longitude",
    "satellites": "satellites",
    "flow_l_min": "flow of the nozzles",
    "sprays": "nozzles, pump or valve on",
    "photos": "pictures taken, or the shutter",
    "mode": "mode",
    "warning": "warning",
    "firmware": "firmware",
    "serial": "serial of the pack",
    "date_s": "date",
    "cell_low_v": "volts of the lowest cell",
    "cell_high_v": "volts of the highest cell",
    "air_c": "air temperature",
    "altitude_m": "height above sea level",
    "climb_m_s": "vertical speed",
    "pitch_deg": "pitch",
    "roll_deg": "roll",
    "heading_deg": "heading",
    "camera_pitch_deg": "pitch of the camera, −90 straight down",
    "wind_m_s": "wind speed",
    "wind_from_deg": "wind from",
    "throttle_frac": "throttle",
    "airframe": "serial of the aircraft",
}


def choices() -> list[ColumnChoice]:
    """Return what a column may hold, in words, each with its units."""
    return [ColumnChoice(name=q.name, words=_WORDS.get(q.name, q.name), units=[u.name for u in q.units]) for q in QUANTITIES]


def is_unit_of(quantity: str, unit: str) -> bool:
    """Return whether a quantity can come in a unit, of those that logs spell besides the listed ones."""
    return quantity in BY_NAME and unit_named(BY_NAME[quantity].dimension, unit) is not None


def columns_used(look: LookOut) -> list[ColumnUse]:
    """Return each column of a log with what it was taken for, or why it is not used."""
    found = []
    for c in look.columns:
        words = _WORDS.get(c.quantity, c.quantity)
        if c.quantity == "cell_v":
            words = f"volts of cell {c.cell}" if c.cell else "volts of all cells"
        found.append(ColumnUse(c.header, words, c.unit, c.why))
    return found


def phase_words() -> dict[str, str]:
    """Return the kinds of stretch of a flight in words."""
    return {"hover": "hover", "climb": "climb", "sink": "descent", "line": "on a line", "turn": "turn", "transit": "transit"}


def unpack_all(name: str, data: bytes) -> Iterator[Packed]:
    """Yield the logs in what was dropped; raises `LogError` in plain words where nothing of it can be read."""
    return logs_in(name, data)


def mark_of(look: Look) -> str:
    """Return the mark by which logs of one kind are known: the names of their columns."""
    return hashlib.sha256("\x1f".join(look.shape.names).encode()).hexdigest()


def _known(columns: Mapping[str, ColumnSaid]) -> dict[str, Column]:
    return {header: Column(0, header, c.quantity, c.unit, c.cell) for header, c in columns.items()}


@dataclass(frozen=True, slots=True)
class Looked:
    """The head of a log: the mark of its kind, what its columns are taken for, and whether somebody must be asked."""

    mark: str
    look: LookOut
    asks: bool


def look_of(data: bytes, columns: Mapping[str, ColumnSaid]) -> Looked:
    """Return the head of a log; ``columns``: what people have said of this source."""
    look = look_at(data, _known(columns))
    shown = LookOut(
        columns=[
            LogColumn(
                header=c.header,
                unit_row=look.shape.units[c.index],
                quantity=c.quantity,
                unit=c.unit,
                cell=c.cell,
                certain=c.certain,
                why=c.why,
            )
            for c in look.columns
        ],
        rows=[list(r) for r in look.rows],
        lacks=look.lacks,
        separator={"\t": "tab", " ": "blanks", "": "JSON, line by line"}.get(look.shape.delimiter, look.shape.delimiter),
        decimal="," if look.shape.comma else ".",
        encoding=look.shape.encoding,
        first_row=look.shape.first + 1,
    )
    return Looked(mark_of(look), shown, bool(look.lacks or look.asks))


@dataclass(frozen=True, slots=True)
class FlightRow:
    """What a row of the logbook keeps of a flight in a log, by the names of its columns."""

    number: int
    began_at: datetime | None
    zoned: bool
    length_s: float
    serial: str
    firmware: str
    figures: Any
    phases: Any
    by_phase: Any
    marks: Any
    wind: Any
    track: Any


@dataclass(frozen=True, slots=True)
class FoundFlight:
    """A flight of a log: its row, its samples as they are kept, what it says of its pack, and the wind it met.

    ``slow``: its samples second by second. ``number``: a number that it tells without saying whose it is, or as the aircraft's.
    """

    row: FlightRow
    samples: tuple[bytes, bytes]
    rows: int
    slow: Log
    seen: Discharge
    wind: WindMet | None
    number: str = ""


@dataclass(frozen=True, slots=True)
class Found:
    """What a log held: its flights, and how well it could be read."""

    flights: list[FoundFlight]
    rows: int
    bad_rows: int
    examples: list[str]
    doubts: list[str]
    dated: bool
    zoned: bool
    holds: list[HoldOut]


def flights_of(data: bytes, columns: Mapping[str, ColumnSaid], zone: str, split: bool = False) -> Found:
    """Return every flight in a log; ``split``: read in parts where its clock goes back or jumps.

    Raises `LogError` where there is none to be found, and why.
    """
    readings = read_logs(data, _known(columns), split=split)
    found = Found([], 0, 0, [], [], True, True, [])
    for reading in readings:
        made = _flights_of(reading, zone, len(found.flights))
        examples = [*found.examples, *(e for e in made.examples if e not in found.examples)][:5]
        doubts = [*found.doubts, *(d for d in made.doubts if d not in found.doubts)]
        found = Found(
            [*found.flights, *made.flights],
            found.rows + made.rows,
            found.bad_rows + made.bad_rows,
            examples,
            doubts,
            found.dated and made.dated,
            found.zoned and made.zoned,
            [*found.holds, *made.holds],
        )
    if not found.flights:
        raise CoreError("No flight is in this log: it never leaves the ground for a quarter of a minute.", "file")
    if split:
        return replace(found, doubts=[f"its clock does not go on: read in {len(readings)} parts", *found.doubts])
    return found


def hold_view(hold: Hold, reading: Reading) -> HoldOut:
    """Return what a log says against itself with the rows where it shows, and the columns that may be left out to mend it."""
    headers = [c.header for c in reading.columns if c.quantity in hold.of and c.quantity != "time_s"]
    rows = [] if hold.row is None else [HeldRow(number, list(cells)) for number, cells in reading.rows_around(hold.row)]
    return HoldOut(hold.words, reading.shape.first + 1 + hold.row if hold.row is not None else None, rows, headers, hold.splits)


def _flights_of(reading: Reading, zone: str, before: int) -> Found:
    """Return the flights of one part of a log, numbered on from those ``before``."""
    log = reading.log
    spans = flights_in(log)
    dated = math.isfinite(log.began_s)
    made = []
    doubts, holds = list(reading.doubts), list(reading.holds)
    own = "serial" in log.marks or "serial" in log.words
    serials = _serials(log, spans, doubts)
    for number, span in enumerate(spans, start=1):
        flight = part(log, span)
        first = int(np.searchsorted(log.time_s, span.start_s))
        n = flight.numbers
        for hold in (
            percent_rises(n.get("left_frac"), flight.time_s),
            charge_against_current(flight.time_s, n.get("used_ah"), n.get("current_a")),
        ):
            if hold is not None and hold.words not in doubts:
                holds.append(hold.at_row(reading.places[first:]))
                doubts.append(hold.words)
        seen, phases = discharge_of(flight), phases_of(flight)
        wind = wind_met(flight)
        began = _moment(flight.began_s, zone, zoned=log.zoned) if dated else None
        row = FlightRow(
            number=before + number,
            began_at=began,
            zoned=log.zoned or bool(zone),
            length_s=seen.length_s,
            serial=serials[number - 1][:60] if own else "",
            firmware=_firmware(flight)[:60],
            figures=_figures(seen, 0 if flight.cells_v is None else flight.cells_v.shape[1])
            | ({"warned_by": "log"} if "warning" in flight.marks else {}),
            phases=[[p.name, round(p.start_s, 1), round(p.end_s, 1)] for p in phases],
            by_phase=[plain(p) for p in draw_by_phase(flight, phases)],
            marks=_marks(flight),
            wind=None if wind is None else plain(wind),
            track=_track(flight),
        )
        named = "" if own else serials[number - 1][:60]
        made.append(FoundFlight(row, packed(flight), flight.rows, slowed(flight), seen, wind, named))
    shown = [hold_view(h, reading) for h in holds]
    return Found(made, reading.rows, reading.bad_rows, list(reading.examples), doubts, dated, log.zoned, shown)


def too_long(found: Found, longest_s: float) -> list[HoldOut]:
    """Return what speaks against flights that last far longer than any pack does by its figures."""
    longest = max((f.row.length_s for f in found.flights), default=0.0)
    hold = longer_than_packs(longest, longest_s)
    return [] if hold is None else [HoldOut(hold.words, None, [], [], splits=False)]


def _serials(log: Log, spans: tuple[Span, ...], doubts: list[str]) -> list[str]:
    """Return which pack each flight names, as far as one is named for it alone; what is not certain is empty and told.

    A name that stands once for the whole log is only that of the pack it begins with: where percent rises on the ground
    between two flights, another pack was fitted, or this one was charged.
    """
    column = "serial" in log.marks
    left = log.numbers.get("left_frac")
    found: list[str] = []
    swapped = False
    for number, span in enumerate(spans, start=1):
        if column:
            named = {w for _, w in part(log, span).marks.get("serial", ()) if w}
            if len(named) > 1:
                doubts.append(f"flight {number} names {len(named)} packs: say which one flew")
            found.append(named.pop() if len(named) == 1 else "")
            continue
        if number > 1 and left is not None and not swapped:
            rise = _share_at(log, left, span.start_s) - _share_at(log, left, spans[number - 2].end_s)
            if rise > _SWAP_FRAC:
                swapped = True
                doubts.append(f"percent rose by {100 * rise:.0f} before flight {number}: say which pack flew from then on")
        found.append("" if swapped else log.words.get("serial", log.words.get("airframe", "")))
    return found


def _firmware(flight: Log) -> str:
    """Return the firmware of a flight: the last that it tells in the air, else the one of the whole log."""
    named = [w for _, w in flight.marks.get("firmware", ()) if w]
    return named[-1] if named else flight.words.get("firmware", "")


def _share_at(log: Log, left: np.ndarray[Any, Any], at_s: float) -> float:
    near = left[(np.abs(log.time_s - at_s) < _NEAR_S) & np.isfinite(left)]
    return float(np.median(near)) if near.size else math.nan


def seen_of(flight: Log) -> tuple[Discharge, WindMet | None]:
    """Return what a flight says of its pack, and the wind it met."""
    return discharge_of(flight), wind_met(flight)


def slowed(flight: Log) -> Log:
    """Return a flight second by second: what is worked out of its aircraft and its warnings needs no more."""
    return thinned(flight, 1.0)


@dataclass(frozen=True, slots=True)
class Opened:
    """A log that was opened: the digest and the size of its bytes, and its head."""

    digest: str
    size: int
    looked: Looked


_open: dict[str, bytes] = {}


def open_kept(name: str, kept: bytes) -> Opened:
    """Unpack a log that is kept gzipped, hold its bytes for `flights_of_open`, and look at its head. Raises `LogError`."""
    data = next(iter(logs_in(name, kept))).unpack()
    digest = hashlib.sha256(data).hexdigest()
    _open.clear()
    _open[digest] = data
    return Opened(digest, len(data), look_of(data, {}))


def look_of_open(digest: str, columns: Mapping[str, ColumnSaid]) -> Looked:
    """Do what `look_of` does with the log that was opened last."""
    return look_of(_open[digest], columns)


def flights_of_open(digest: str, columns: Mapping[str, ColumnSaid], zone: str, split: bool) -> Found:
    """Do what `flights_of` does with the log that was opened last."""
    return flights_of(_open.pop(digest), columns, zone, split)


def _moment(began_s: float, zone: str, *, zoned: bool) -> datetime:
    at = datetime.fromtimestamp(began_s, UTC)
    # A clock of its own zone wrote these digits; they are read as UTC above.
    return at if zoned or not zone else at.replace(tzinfo=ZoneInfo(zone))


def _figures(seen: Discharge, cells: int) -> Any:
    figures = {k: v for k, v in asdict(seen).items() if k != "working" and v is not None and not (isinstance(v, tuple) and not v)}
    if seen.from_frac is not None and seen.to_frac is not None:
        figures |= {"used_frac": seen.from_frac - seen.to_frac}
    if cells:
        figures |= {"cells_count": cells}
    figures |= {"working": as_dict(seen.working) if seen.working is not None else None}
    return {k: round(float(v), 6) if isinstance(v, float) else v for k, v in figures.items()}


def _marks(flight: Log) -> Any:
    level = levels_of([words for _, words in flight.marks.get("warning", ())])
    found = [(round(t, 1), "mode", words) for t, words in flight.marks.get("mode", ()) if words]
    found += [(round(t, 1), "warning", words) for t, words in flight.marks.get("warning", ()) if level[words]]
    return [{"at_s": at, "kind": kind, "words": words} for at, kind, words in sorted(found, key=lambda m: m[0])[:_MOST_MARKS]]


def _track(flight: Log) -> list[list[float]]:
    """Return the way flown as (longitude, latitude, seconds), thinned."""
    lat, lon = flight.numbers.get("lat_deg"), flight.numbers.get("lon_deg")
    if lat is None or lon is None:
        return []
    rows = np.flatnonzero(np.isfinite(lat) & np.isfinite(lon) & ((lat != 0) | (lon != 0)))
    if not rows.size:
        return []
    rows = rows[np.linspace(0, rows.size - 1, min(_TRACK_POINTS, rows.size)).astype(int)]
    return [[round(float(lon[k]), 7), round(float(lat[k]), 7), round(float(flight.time_s[k]), 1)] for k in rows]
