"""What is kept clear of sensitive places: at a distance always, or where the wind blows towards them.

A place of the field is kept clear where some of a sensitive place lies nearer than its distance and, for those that go by the wind,
downwind of it within an angle to either side. In a wind too light to have a direction all sides are kept. The label of the product and the law
stand above it: distances are entered, none is proposed.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import LineString, MultiPoint, Point, Polygon
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import OutOfRange, require_range
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.joining import joined
from quarry.core.spraying.nozzles import CLASS_ORDER

Floats = NDArray[np.float64]
Rule = Literal["always", "wind"]
NO_DIRECTION_M_S = 0.8  # common practice, no source: a lighter wind turns as it likes
_ARC_DEG = 5.0
_LEAST_M2, _STOPS_M2 = 0.5, 25.0
TURNS_DEG = 15.0
_LOOK_DEG = 10


@dataclass(frozen=True, slots=True)
class SensitivePlace:
    """Water, houses, a path, hives, another's crop: its places [m], whether they close to an outline, and how far to stay off.

    ``distance_m``: where ``table`` is empty. ``table``: winds rising and the distance up to each, as a label gives it [m/s, m].
    ``within_deg``: to either side of the wind, for those that go by it.
    """

    at: tuple[Metres, ...]
    closed: bool
    name: str
    rule: Rule
    distance_m: float
    within_deg: float = 45.0
    table: tuple[tuple[float, float], ...] = ()

    @property
    def shape(self) -> BaseGeometry:
        """Its ground. [m]"""
        if len(self.at) == 1:
            return Point(self.at[0])
        if self.closed and len(self.at) > 2:
            return shapely.make_valid(Polygon(self.at))
        return LineString(self.at)


@dataclass(frozen=True, slots=True)
class KeptClear:
    """What is kept clear of one place: the ground of it inside the field, the distance, and why in words."""

    name: str
    ground: BaseGeometry
    distance_m: float
    why: str


@dataclass(frozen=True, slots=True)
class BufferRow:
    """A line of a label's table: up to a wind, the distance to stay off; ``droplets``: for that class and coarser ones, empty: for all."""

    up_to_m_s: float
    distance_m: float
    droplets: str = ""


def buffer_rows(lines: Sequence[str], field: str) -> list[BufferRow]:
    """Return the table of a label from lines of wind, distance and, where it goes by droplets, a class: "3; 10; coarse".

    Raises
    ------
    OutOfRange
        A line is not such; the message says which.

    Examples
    --------
    >>> buffer_rows(["3; 10", "4,5; 20; coarse"], "buffer")[1]
    BufferRow(up_to_m_s=4.5, distance_m=20.0, droplets='coarse')
    """
    rows = []
    for k, line in enumerate(lines, start=1):
        parts = [x.strip().replace(",", ".") for x in line.split(";")]
        try:
            wind, distance = float(parts[0]), float(parts[1])
        except (ValueError, IndexError):
            wind = distance = math.nan
        droplets = parts[2].lower() if len(parts) > 2 else ""
        if not (0 < wind <= 30 and 0 < distance <= 2000) or len(parts) > 3:
            raise OutOfRange(
                f'Line {k} of the buffer table is not "wind in m/s; distance in m", with a droplet class behind it where the label has one.',
                field,
            )
        if droplets and droplets not in CLASS_ORDER:
            raise OutOfRange(
                f"Line {k} of the buffer table: {droplets[:30]} is no droplet class. Those are {', '.join(CLASS_ORDER)}.", field
            )
        rows.append(BufferRow(wind, distance, droplets))
    return rows


def strictest_table(tables: Sequence[Sequence[BufferRow]], droplets: str) -> list[tuple[float, float]]:
    """Return the winds and distances that keep all tables for droplets of a class: the widest of each up to the lowest end of them.

    A row for a class counts for drops of it and coarser ones; where the class of the drops is not known, only rows for all do. A table
    that has no row for these drops allows none near a place: then there is nothing to keep to, and nothing is returned.

    Examples
    --------
    >>> strictest_table([[BufferRow(3, 10), BufferRow(5, 20)], [BufferRow(4, 15)]], "")
    [(3, 15), (4, 20)]
    """
    kept = []
    for table in tables:
        rows = sorted((r for r in table if not r.droplets or _as_coarse(droplets, r.droplets)), key=lambda r: r.up_to_m_s)
        if not rows:
            return []
        # Of several rows for one wind that of the coarsest class that these drops reach: the label gives it the least distance.
        best = {r.up_to_m_s: min(x.distance_m for x in rows if x.up_to_m_s == r.up_to_m_s) for r in rows}
        kept.append(sorted(best.items()))
    if not kept:
        return []
    end = min(t[-1][0] for t in kept)
    winds = sorted({w for t in kept for w, _ in t if w <= end})
    return [(w, max(next(d for up_to, d in t if w <= up_to) for t in kept)) for w in winds]


def _as_coarse(droplets: str, asked: str) -> bool:
    order: tuple[str, ...] = CLASS_ORDER
    return droplets in order and order.index(droplets) >= order.index(asked)


def check_places(places: Sequence[SensitivePlace], field: str) -> None:
    """Check what was entered of sensitive places; raises `OutOfRange` at the figure that cannot be."""
    for k, p in enumerate(places):
        at = f"{field}.{k}"
        what = p.name or f"Sensitive place {k + 1}"
        if not p.at:
            raise OutOfRange(f"{what} has no place. Draw it on the map.", f"{at}.ring")
        require_range(p.distance_m, 0.5, 2000.0, f"{at}.distance_m", f"Distance to {what}", "m")
        require_range(p.within_deg, 5.0, 90.0, f"{at}.within_deg", "Angle to either side of the wind", "°")
        winds = [w for w, _ in p.table]
        if winds != sorted(set(winds)) or any(w <= 0 or d <= 0 for w, d in p.table):
            raise OutOfRange(f"The table of {what} takes winds that rise from row to row, each with its distance.", f"{at}.table")


def distance_at_m(p: SensitivePlace, wind_m_s: float) -> float | None:
    """Return how far to stay off in a wind; None where its table ends below it: no spraying near it at all. [m]"""
    if not p.table:
        return p.distance_m
    return next((d for most, d in p.table if wind_m_s <= most + 1e-9), None)


def kept_clear(field: BaseGeometry, places: Sequence[SensitivePlace], wind_m_s: float, from_deg: float) -> list[KeptClear]:
    """Return what of a field is kept clear of each place in a wind; places that ask for nothing are left out.

    Parameters
    ----------
    field : geometry
        Ground that would be sprayed. [m]
    wind_m_s, from_deg : float
        The wind, and where it is from, clockwise from north.
    """
    found = []
    for p in places:
        far = distance_at_m(p, wind_m_s)
        if far is None:
            # Beyond the table nothing is allowed near it: the widest of its distances, on all sides.
            far = max(d for _, d in p.table)
            why = f"{wind_m_s:.1f} m/s is more than its table knows: {far:g} m kept on all sides, do not spray near it"
            ground = p.shape.buffer(far)
        elif p.rule == "always":
            ground, why = p.shape.buffer(far), f"{far:g} m, always"
        elif wind_m_s < NO_DIRECTION_M_S:
            ground, why = p.shape.buffer(far), f"{far:g} m on all sides: {wind_m_s:.1f} m/s has no direction to go by"
        else:
            ground = upwind_of(p, far, from_deg)
            why = f"{far:g} m where the wind from {from_deg:.0f}° blows towards it, ± {p.within_deg:.0f}°"
        inside = shapely.make_valid(ground.intersection(field))
        if inside.area > _LEAST_M2:
            found.append(KeptClear(p.name, inside, far, why))
    return found


def upwind_of(p: SensitivePlace, far_m: float, from_deg: float) -> BaseGeometry:
    """Return the ground from which a wind blows towards a place that is no farther than a distance. [m]

    The sum of the place with a sector that opens against the wind; never narrower than the true one.
    """
    sector = _sector(far_m, from_deg, p.within_deg)
    shape = p.shape
    if isinstance(shape, Point):
        return Polygon(sector + np.array(p.at[0]))
    pieces: list[BaseGeometry] = [shape] if shape.area > 0 else []
    lines = shape.boundary if shape.area > 0 else shape
    for line in shapely.get_parts(lines):
        corners = shapely.get_coordinates(line)
        for a, b in zip(corners, corners[1:], strict=False):
            pieces.append(MultiPoint(np.vstack((sector + a, sector + b))).convex_hull)
    return joined(pieces)


def _sector(far_m: float, from_deg: float, within_deg: float) -> Floats:
    """Return the corners of a sector that opens towards where the wind is from, its arc drawn outside the true one. [m]"""
    steps = max(2, math.ceil(2 * within_deg / _ARC_DEG))
    bearings = np.radians(from_deg + np.linspace(-within_deg, within_deg, steps + 1))
    radius = far_m / math.cos(math.radians(within_deg / steps))
    arc = np.column_stack((np.sin(bearings), np.cos(bearings))) * radius
    return np.vstack(([0.0, 0.0], arc))


def blows_towards(worked: BaseGeometry, places: Sequence[SensitivePlace], wind_m_s: float, from_deg: float) -> list[KeptClear]:
    """Return the places towards which a wind blows from ground that is still to be sprayed: with it, work there stops.

    A wind that turns a little is borne: the angle of each place is taken fifteen degrees narrower than the plan keeps it, never less than half.
    """
    narrow = [replace(p, within_deg=max(p.within_deg / 2, p.within_deg - TURNS_DEG)) for p in places]
    return [k for k in kept_clear(worked, narrow, wind_m_s, from_deg) if k.ground.area > _STOPS_M2]


def free_winds(field: BaseGeometry, places: Sequence[SensitivePlace], wind_m_s: float) -> list[float]:
    """Return where a wind of a speed may be from, every ten degrees, so that none of a field need be kept clear of any place. [°]"""
    bearings = [float(b) for b in range(0, 360, _LOOK_DEG)]
    return [b for b in bearings if not kept_clear(field, places, wind_m_s, b)]


def middle_of(bearings: Sequence[float]) -> float:
    """Return the bearing in the middle of the widest run of some that lie ten degrees apart. [°]

    Examples
    --------
    >>> middle_of([350.0, 0.0, 10.0, 90.0])
    0.0
    """
    free = {round(b) % 360 for b in bearings}
    runs = []
    for b in free:
        if (b - _LOOK_DEG) % 360 not in free or len(free) == 360 // _LOOK_DEG:
            length = 1
            while length < 360 // _LOOK_DEG and (b + length * _LOOK_DEG) % 360 in free:
                length += 1
            runs.append((length, b))
    length, begins = max(runs, key=lambda r: (r[0], -r[1]))
    return float((begins + (length // 2) * _LOOK_DEG) % 360)


@dataclass(frozen=True, slots=True)
class WindStop:
    """The winds in which work near a place stops: up to a speed (None: any above the last), from where, as spans of degrees."""

    name: str
    up_to_m_s: float | None
    from_deg: tuple[tuple[float, float], ...]


def wind_stops(worked: BaseGeometry, places: Sequence[SensitivePlace]) -> list[WindStop]:
    """Return for each place the winds that stop work on ground that is still to be sprayed, every ten degrees looked at."""
    found: list[WindStop] = []
    for p in places:
        edges = [w for w, _ in p.table if w > NO_DIRECTION_M_S]
        bands = []
        for up_to in (NO_DIRECTION_M_S, *edges, None):
            speed = up_to - 1e-3 if up_to is not None else (edges[-1] + 1.0 if edges else 2 * NO_DIRECTION_M_S)
            bad = [b for b in range(0, 360, _LOOK_DEG) if blows_towards(worked, [p], speed, float(b))]
            bands.append(WindStop(p.name, up_to, _spans(bad)))
        found += bands if any(b.from_deg for b in bands) else []
    return found


def _spans(bearings: list[int]) -> tuple[tuple[float, float], ...]:
    half = _LOOK_DEG / 2
    found: list[list[float]] = []
    for b in bearings:
        if found and found[-1][1] == b - half:
            found[-1][1] = b + half
        else:
            found.append([b - half, b + half])
    return tuple((a, b) for a, b in found)


def stopped_by(stops: Sequence[WindStop], wind_m_s: float, from_deg: float) -> list[str]:
    """Return the names of the places near which a wind stops work, each once."""
    names: list[str] = []
    for name in dict.fromkeys(s.name for s in stops):
        bands = [s for s in stops if s.name == name]
        # The calm band holds below its speed; of the others the first that reaches the wind.
        band = next((s for s in bands if s.up_to_m_s is not None and wind_m_s < s.up_to_m_s), None)
        band = band or next((s for s in bands if s.up_to_m_s is None), None)
        if band is not None and any((from_deg - a) % 360.0 <= b - a for a, b in band.from_deg):
            names.append(name)
    return names
