"""Outlines and keep-outs in local metres, checked before anything is computed from them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import shapely
from shapely import LineString, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.validation import explain_validity

from quarry.core.base.errors import BadGeometry, require_range
from quarry.core.base.units import M2_PER_HA
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.joining import joined
from quarry.core.ground.strip import strip_axis

Crossing = Literal["never", "unworked"]

MOST_POINTS = 10_000
MOST_KEEP_OUTS = 400
LEAST_AREA_M2 = 25.0
MOST_AREA_M2 = 200e6
_TOUCHING_M = 0.5
_LEAST_LEFT_M2 = 1.0


@dataclass(frozen=True, slots=True)
class KeepOut:
    """A piece inside the area that is not worked.

    ``never``: nothing flies over it, nor within ``margin_m`` of it. ``unworked``: it may be
    crossed, but no line is laid for its sake.
    """

    ring: tuple[Metres, ...]
    crossing: Crossing = "never"
    margin_m: float = 0.0
    name: str = ""


@dataclass(frozen=True, slots=True)
class Plot:
    """One outline of a job: a ring, or a line with a width (a corridor); ``angle_deg`` of its lines where set by hand.

    ``apart``: its lines are its own, even where it touches another.
    """

    ring: tuple[Metres, ...]
    name: str = ""
    angle_deg: float | None = None
    corridor_m: float | None = None
    apart: bool = False


@dataclass(frozen=True, slots=True)
class Block:
    """Ground whose lines lie in one direction: one plot, or several that touch.

    ``angle_deg``: set by hand, or None. ``axis``: the line along which a strip of ``width_m`` may be flown;
    ``corridor``: it was entered as such; ``apart``: its lines are not joined with those of what it touches.
    """

    worked: BaseGeometry
    angle_deg: float | None = None
    axis: LineString | None = None
    width_m: float = 0.0
    corridor: bool = False
    apart: bool = False


@dataclass(frozen=True, slots=True)
class Area:
    """A checked piece of ground: what is to be worked, in blocks, and what nothing may fly over."""

    outer: BaseGeometry
    worked: BaseGeometry
    forbidden: BaseGeometry
    blocks: tuple[Block, ...]

    @property
    def area_m2(self) -> float:
        """Area to be worked, keep-outs taken off. [m²]"""
        return float(self.worked.area)


def check_ring(points: Sequence[Metres], what: str, field: str) -> Polygon:
    """Return the polygon of a ring, or raise `BadGeometry` saying where and why it cannot be used."""
    ring = [p for k, p in enumerate(points) if k == 0 or p != points[k - 1]]
    if len(ring) > 1 and ring[0] == ring[-1]:
        ring.pop()
    if len(ring) > MOST_POINTS:
        raise BadGeometry(
            f"{what} has {len(ring):,} points; the most is {MOST_POINTS:,}. Simplify it to a metre or two and bring it in again.",
            field,
        )
    if any(not (math.isfinite(x) and math.isfinite(y)) for x, y in ring):
        raise BadGeometry(f"{what} holds a point that is not a number. Remove that point.", field)
    if len(set(ring)) < 3:
        raise BadGeometry(f"{what} needs at least three corners; it has {len(set(ring))}. Add a corner.", field)
    polygon = Polygon(ring)
    # A crossing outline may enclose nothing in sum: say that it crosses, not that it is small.
    if not polygon.is_valid and polygon.convex_hull.area >= LEAST_AREA_M2:
        raise BadGeometry(f"{what} crosses itself{_where(polygon)}. Move a corner so that its sides do not cross.", field)
    if polygon.area < LEAST_AREA_M2:
        raise BadGeometry(
            f"{what} encloses {polygon.area:.1f} m²; the least is {LEAST_AREA_M2:.0f} m². Move its corners apart.", field
        )
    return polygon


def _where(polygon: Polygon) -> str:
    words = explain_validity(polygon)
    start = words.find("[")
    if start < 0:
        return ""
    x, y = words[start + 1 : -1].split()[:2]
    ring = list(polygon.exterior.coords)[:-1]
    nearest = min(range(len(ring)), key=lambda k: math.dist(ring[k], (float(x), float(y))))
    return f" near corner {nearest + 1}"


def make_area(outer: Sequence[Metres], keep_outs: Sequence[KeepOut] = ()) -> Area:
    """Check one outline with its keep-outs and return the area to work; see `make_plots`."""
    return make_plots([Plot(tuple(outer))], keep_outs)


def make_plots(plots: Sequence[Plot], keep_outs: Sequence[KeepOut] = (), *, in_order: bool = False) -> Area:
    """Check the outlines of a job with their keep-outs and return the area to work.

    Plots that touch are worked as one block, unless their directions differ or they are flown in the order given.

    Raises
    ------
    BadGeometry
        An outline or a keep-out crosses itself, is too small, too large, lies outside, or
        nothing is left to work.
    """
    one = len(plots) == 1
    polygons = [
        _checked(p, "The outline" if one else f"Area {p.name or k + 1}", "area" if one else f"areas.{k}")
        for k, p in enumerate(plots)
    ]
    whole = joined(polygons)
    if whole.area > MOST_AREA_M2:
        raise BadGeometry(
            f"The outline encloses {whole.area / 1e6:,.0f} km²; the most for one job is {MOST_AREA_M2 / 1e6:.0f} km². "
            "Check its coordinates, or split it into several jobs.",
            "area",
        )
    holes: list[BaseGeometry] = []
    forbidden: list[BaseGeometry] = []
    for k, keep in enumerate(keep_outs):
        what = f"Keep-out {keep.name or k + 1}"
        field = f"keep_outs.{k}"
        hole: BaseGeometry = check_ring(keep.ring, what, field)
        if not hole.intersects(whole):
            raise BadGeometry(f"{what} lies outside the area. Move it inside, or delete it.", field)
        if keep.margin_m > 0:
            hole = hole.buffer(keep.margin_m, join_style="mitre")
        holes.append(hole)
        if keep.crossing == "never":
            forbidden.append(hole)
    out = joined(holes)
    worked = shapely.make_valid(whole.difference(out))
    if worked.area < LEAST_AREA_M2:
        raise BadGeometry("The keep-outs leave nothing to work. Make them smaller, or delete one.", "keep_outs")
    blocks = []
    for block in _blocks(plots, polygons, in_order=in_order):
        left = shapely.make_valid(block.worked.difference(out)) if holes else block.worked
        if left.area > _LEAST_LEFT_M2:
            blocks.append(replace(block, worked=left))
    return Area(whole, worked, joined(forbidden) if forbidden else Polygon(), tuple(blocks))


def _checked(plot: Plot, what: str, field: str) -> BaseGeometry:
    if plot.corridor_m is None:
        return check_ring(plot.ring, what, field)
    require_range(plot.corridor_m, 1.0, 5000.0, field, "Width of the corridor", "m")
    line = LineString(_check_line(plot.ring, what, field))
    return shapely.make_valid(line.buffer(plot.corridor_m / 2, cap_style="flat", join_style="mitre", mitre_limit=2.0))


def _check_line(points: Sequence[Metres], what: str, field: str) -> list[Metres]:
    line = [p for k, p in enumerate(points) if k == 0 or p != points[k - 1]]
    if len(line) > MOST_POINTS:
        raise BadGeometry(f"{what} has {len(line):,} points; the most is {MOST_POINTS:,}. Simplify it to a metre or two.", field)
    if any(not (math.isfinite(x) and math.isfinite(y)) for x, y in line):
        raise BadGeometry(f"{what} holds a point that is not a number. Remove that point.", field)
    if len(line) < 2:
        raise BadGeometry(f"{what} needs at least two places along its line; it has {len(line)}. Add one.", field)
    return line


def _blocks(plots: Sequence[Plot], polygons: Sequence[BaseGeometry], *, in_order: bool) -> list[Block]:
    blocks: list[Block] = []
    for plot, polygon in zip(plots, polygons, strict=True):
        if plot.corridor_m is not None:
            blocks.append(Block(polygon, plot.angle_deg, LineString(plot.ring), plot.corridor_m, corridor=True))
            continue
        grown = polygon
        if not in_order and not plot.apart:
            near = [
                b
                for b in blocks
                if not b.corridor and not b.apart and b.angle_deg == plot.angle_deg and b.worked.distance(polygon) <= _TOUCHING_M
            ]
            for other in near:
                blocks = [b for b in blocks if b is not other]
                grown = _grown_together(grown, other.worked)
        # What two plots share is worked once.
        taken = joined(b.worked for b in blocks if not b.corridor)
        left = shapely.make_valid(grown.difference(taken))
        strip = strip_axis(left) if plot.angle_deg is None else None
        axis, width_m = strip or (None, 0.0)
        blocks.append(Block(left, plot.angle_deg, axis, width_m, apart=plot.apart))
    return blocks


def _grown_together(a: BaseGeometry, b: BaseGeometry) -> BaseGeometry:
    """Return two plots as one; a hair between them, as two surveys of one hedge leave it, is closed."""
    half = _TOUCHING_M / 2 + 1e-3
    seam = shapely.intersection(a.buffer(half, join_style="mitre"), b.buffer(half, join_style="mitre"))
    return shapely.make_valid(joined([a, b, seam]))


def hectares(area_m2: float) -> float:
    """Return hectares from square metres."""
    return area_m2 / M2_PER_HA


def min_width(polygon: BaseGeometry) -> tuple[float, float]:
    """Return (least width, direction of the lines that meet it) of a polygon's convex hull.

    The direction is in degrees counter-clockwise from east, modulo 180. Rotating calipers by
    hull edges (Houle and Toussaint 1988).
    """
    hull = list(polygon.convex_hull.exterior.coords)[:-1]
    best = (math.inf, 0.0)
    for (x1, y1), (x2, y2) in zip(hull, hull[1:] + hull[:1], strict=True):
        length = math.hypot(x2 - x1, y2 - y1)
        if length == 0:
            continue
        nx, ny = (y1 - y2) / length, (x2 - x1) / length
        reach = [nx * x + ny * y for x, y in hull]
        width = max(reach) - min(reach)
        if width < best[0]:
            best = (width, math.degrees(math.atan2(y2 - y1, x2 - x1)) % 180)
    return best
