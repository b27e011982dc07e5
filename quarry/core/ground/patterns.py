"""Search patterns about a place: expanding square, sectors, lines that creep ahead, contours from the top down.

Each is flown in its own order and never backwards: what lies nearest the place is searched first. Lines that are merely
side by side are laid by `coverage`, those along a path by its strips. Shapes after IAMSAR vol. II; lengths of legs are
multiples of the spacing, the spokes of a sector pattern as many as lay the length that parallel lines would.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import shapely
from contourpy import contour_generator
from numpy.typing import NDArray
from shapely import LineString, Point
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import BadGeometry, Infeasible
from quarry.core.base.sources import IAMSAR
from quarry.core.base.working import formula
from quarry.core.ground.coverage import CoveragePlan, plan_coverage
from quarry.core.ground.detour import Detours, detours_around, shut_gaps
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.joining import joined
from quarry.core.ground.lines import Coverage, LineTask, angle_of, reversed_coverage, way_time_s
from quarry.core.ground.ordering import on_line_m
from quarry.core.ground.outline import Area

Floats = NDArray[np.float64]
Shape = Literal["square", "sector", "creeping", "contour"]
Heights = Callable[[Floats], Floats]
WORDS: dict[Shape, str] = {
    "square": "expanding square",
    "sector": "sectors",
    "creeping": "lines creeping ahead",
    "contour": "contours from the top down",
}
_LEAST_SPOKES = 3
_MOST_LINES = 3000
_SHORTEST_M = 0.5
_LEVELS = 240
_CELLS_ACROSS = 400
_LEAST_SLOPE = 0.1
_STEEP = "A contour pattern needs ground that falls at least 10 m in 100"


@dataclass(frozen=True, slots=True)
class Pattern:
    """How lines lie: the shape, the place it starts from, and the true bearing of its first leg. [m, °]"""

    shape: Shape
    at: Metres
    bearing_deg: float = 0.0


@formula("legs to each side = (reach − half a spacing) ÷ spacing, rounded up", source=IAMSAR, result="rings_count")
def square_rings_count(reach_m: float, spacing_m: float) -> float:
    """Return how many times the legs of an expanding square go around its beginning to search as far as its reach.

    Examples
    --------
    >>> square_rings_count(100.0, 40.0)
    2.0
    """
    return float(max(1, math.ceil((reach_m - spacing_m / 2) / max(spacing_m, 1e-9) - 1e-9)))


@formula("length of a sector pattern = 2 × spokes × (radius + radius × sin(90° ÷ spokes))", source=IAMSAR, result="track_m")
def sector_track_m(radius_m: float, spokes_count: float) -> float:
    """Return the length of a sector pattern: spokes through the middle, joined at the rim by every second chord. [m]

    Examples
    --------
    >>> round(sector_track_m(100.0, 3.0), 6)
    900.0
    """
    spokes = max(spokes_count, 1.0)
    return 2 * spokes * radius_m * (1 + math.sin(math.pi / (2 * spokes)))


def expanding_square(at: Metres, bearing_deg: float, spacing_m: float, reach_m: float) -> list[Metres]:
    """Return the corners of an expanding square: legs of 1, 1, 2, 2, 3, 3 … spacings, each turn to the right.

    The last leg closes the outermost square, so that all within ``reach_m`` of the beginning, measured along its sides, lies
    within half a spacing of a leg.
    """
    rings = int(square_rings_count(reach_m, spacing_m))
    lengths = [k for k in range(1, 2 * rings + 1) for _ in range(2)] + [2 * rings]
    heading, x, y = math.radians(bearing_deg), *at
    corners = [at]
    for k, length in enumerate(lengths):
        turned = heading + k * math.pi / 2
        x, y = x + length * spacing_m * math.sin(turned), y + length * spacing_m * math.cos(turned)
        corners.append((x, y))
    return corners


def sector_spokes_count(radius_m: float, spacing_m: float) -> int:
    """Return the fewest spokes through the middle whose pattern is as long as parallel lines over its circle. At least three.

    Their number is odd: chords then lead along the rim to each end of each spoke once, and home to the middle.
    """
    wanted_m = math.pi * radius_m**2 / spacing_m
    spokes = max(_LEAST_SPOKES, 2 * (math.floor(wanted_m / (2 * radius_m)) // 2) - 3)
    while sector_track_m(radius_m, spokes) < wanted_m:
        spokes += 2
    return spokes


def sectors(at: Metres, bearing_deg: float, spacing_m: float, radius_m: float) -> list[Metres]:
    """Return the corners of a sector pattern: out, along the rim to the next spoke, in through the middle and out again.

    With three spokes every leg is as long as the radius and every turn is 120°.
    """
    spokes = sector_spokes_count(radius_m, spacing_m)

    def rim(k: int) -> Metres:
        turned = math.radians(bearing_deg) + k * math.pi / spokes
        return at[0] + radius_m * math.sin(turned), at[1] + radius_m * math.cos(turned)

    corners, k = [at, rim(0)], 0
    for _ in range(spokes - 1):
        corners += [rim(k + 1), at, rim(k + 1 + spokes)]
        k = k + 1 + spokes
    return [*corners, rim(k + 1), at]


def plan_pattern(area: Area, task: LineTask, pattern: Pattern, heights: Heights | None = None) -> CoveragePlan:
    """Return the lines of a pattern over an area, in the order in which they are flown.

    Parameters
    ----------
    area : Area
        Legs are cut where it ends, and led around what is not flown over.
    task : LineTask
        Its spacing is that of the legs; along the rim, for sectors.
    pattern : Pattern
        Shape, place and bearing.
    heights : callable, optional
        Ground heights at places, shape (n, 2) → (n,), nan where they are not known; needed for contours. [m]

    Raises
    ------
    BadGeometry
        The place lies outside the area.
    Infeasible
        There would be too many lines, or the ground is too flat for contours or not known.
    """
    if not area.outer.buffer(1.0).covers(Point(pattern.at)):
        raise BadGeometry("The place that the pattern starts from lies outside the area. Move it inside.", "site.datum")
    area = replace(area, forbidden=shut_gaps(area.forbidden))
    if pattern.shape == "creeping":
        return _creeping(area, task, pattern)
    reach = _reach_m(area, pattern)
    if reach / task.spacing_m > (_LEVELS / 2 if pattern.shape == "contour" else _MOST_LINES / 4):
        raise Infeasible(
            f"Legs {task.spacing_m:g} m apart are too many for one pattern over this area. Widen the spacing, or search a smaller area first.",
            "work.spacing_m",
        )
    if pattern.shape == "contour":
        ways = contour_ways(area.worked, task.spacing_m, heights)
    else:
        lay = expanding_square if pattern.shape == "square" else sectors
        corners = np.array(lay(pattern.at, pattern.bearing_deg, task.spacing_m, reach))
        ways = [corners[k : k + 2] for k in range(len(corners) - 1)]
    return CoveragePlan(_flown(ways, area, task, pattern), ())


def _reach_m(area: Area, pattern: Pattern) -> float:
    """Return how far the area reaches from the beginning: straight for sectors, along the sides for a square."""
    away = shapely.get_coordinates(area.worked) - np.array(pattern.at)
    if pattern.shape != "square":
        return float(np.hypot(*away.T).max())
    turn = math.radians(pattern.bearing_deg)
    ahead, aside = np.array([math.sin(turn), math.cos(turn)]), np.array([math.cos(turn), -math.sin(turn)])
    return float(max(np.abs(away @ ahead).max(), np.abs(away @ aside).max()))


def _creeping(area: Area, task: LineTask, pattern: Pattern) -> CoveragePlan:
    """Return lines across the long side of an area, from the end at which the place lies."""
    rim = shapely.get_coordinates(area.worked.minimum_rotated_rectangle)
    sides = np.diff(rim, axis=0)
    short = sides[int(np.argmin(np.hypot(*sides.T)[:2]))]
    across = math.degrees(math.atan2(short[1], short[0])) % 180
    angle = across if task.angle_deg is None else task.angle_deg
    c = plan_coverage(area, replace(task, angle_deg=angle)).best
    if math.dist(c.path[-1], pattern.at) < math.dist(c.path[0], pattern.at):
        c = reversed_coverage(c, task)
    return CoveragePlan(replace(c, laid_as=WORDS["creeping"]), ())


def contour_ways(ground: BaseGeometry, spacing_m: float, heights: Heights | None) -> list[Floats]:
    """Return contours of ground from the top down, each as places of shape (n, 2), as far apart on the map as the spacing in the mean.

    The next contour lies where the ground between it and the one above is as wide as the spacing; where a slope is gentler
    than the rest, they lie farther apart.
    """
    if heights is None:
        raise Infeasible(f"{_STEEP}, and heights of it. Import terrain, or take parallel lines.", "work.pattern")
    west, south, east, north = ground.buffer(spacing_m).bounds
    cell = max(spacing_m / 4, math.sqrt((east - west) * (north - south)) / _CELLS_ACROSS)
    x, y = np.arange(west, east + cell, cell), np.arange(south, north + cell, cell)
    xy = np.stack(np.meshgrid(x, y), axis=-1)
    grid = heights(xy.reshape(-1, 2)).reshape(xy.shape[:2])
    inside = shapely.contains_xy(ground, xy[..., 0], xy[..., 1])
    if not np.isfinite(grid[inside]).all():
        raise Infeasible("Heights of the ground are not known all over the area. Import terrain that covers it.", "work.pattern")
    rise_y, rise_x = np.gradient(grid, cell)
    if not inside.any() or float(np.median(np.hypot(rise_x, rise_y)[inside])) < _LEAST_SLOPE:
        raise Infeasible(f"{_STEEP}; this is flatter. Take parallel lines.", "work.pattern")
    generator = contour_generator(x, y, np.ma.masked_invalid(grid))
    above = np.sort(grid[inside])[::-1]
    levels = np.linspace(above[0], above[-1], _LEVELS)[1:-1]
    found: list[Floats] = []
    last_m2, last_m = 0.0, 0.0
    for level in levels.tolist():
        lines = _inside(generator.lines(level), ground, spacing_m)
        length = sum(line.length for line in lines)
        higher_m2 = float(np.searchsorted(-above, -level)) * cell**2
        # A top is half a spacing across when its contour has a quarter of a spacing's ground for each metre.
        wanted_m2 = spacing_m * (last_m + length) / 2 if found else spacing_m * length / 4
        if length > 0 and higher_m2 - last_m2 >= wanted_m2:
            found += _nearest_next(lines, found[-1][-1] if found else None)
            last_m2, last_m = higher_m2, length
    if not found:
        raise Infeasible(f"The area is too small for contours {spacing_m:g} m apart. Take parallel lines.", "work.pattern")
    return found


def _inside(lines: Sequence[Floats], ground: BaseGeometry, spacing_m: float) -> list[LineString]:
    whole = shapely.intersection(shapely.multilinestrings([LineString(p) for p in lines if len(p) > 1]), ground)
    merged = shapely.line_merge(whole) if not whole.is_empty else whole
    parts = [p.simplify(spacing_m / 20) for p in shapely.get_parts(merged) if isinstance(p, LineString)]
    return [p for p in parts if p.length >= spacing_m / 2]


def _nearest_next(lines: Sequence[LineString], start: Floats | None) -> list[Floats]:
    """Return lines in the order in which each begins nearest to where the one before ended."""
    rest = [shapely.get_coordinates(line) for line in lines]
    found: list[Floats] = []
    here = start
    while rest:
        ends = np.array([[p[0], p[-1]] for p in rest])
        away = np.hypot(*np.moveaxis(ends - (ends[0, 0] if here is None else here), 2, 0))
        k, end = np.unravel_index(int(np.argmin(away)), away.shape)
        line = rest.pop(int(k))
        found.append(line[::-1] if end else line)
        here = found[-1][-1]
    return found


def _flown(ways: Sequence[Floats], area: Area, task: LineTask, pattern: Pattern) -> Coverage:
    """Return ways as lines in their order, cut at the edge of the ground and led around what is not flown over."""
    near = area.worked.buffer(task.spacing_m / 2, join_style="mitre")
    free = shapely.difference(near, area.forbidden)
    detours = detours_around(area.forbidden)
    path: list[Metres] = []
    owner: list[int] = []
    line = 0
    for way in ways:
        stretches = _stretches(LineString(way), free)
        for stretch in stretches:
            _go_to(stretch[0], path, owner, detours)
            path += stretch[1:]
            owner += [line] * (len(stretch) - 1)
        line += bool(stretches)
    if not owner:
        raise Infeasible(
            "No leg of the pattern lies over ground that may be flown. Move its place, or take another.", "work.pattern"
        )
    reach = [LineString([path[k], path[k + 1]]).buffer(task.spacing_m / 2 + 1e-6, cap_style="square") for k in _on_lines(owner)]
    left = area.worked.difference(joined(reach))
    time_s = way_time_s(np.array(path), task) + task.turn_s * max(owner)
    if not math.isfinite(time_s):
        raise Infeasible(
            f"The wind of {task.wind.speed_m_s:.1f} m/s lets this pattern not be flown at {task.held.words}. "
            "Wait for less wind, or fly faster through the air.",
            "wind.speed_m_s",
        )
    return Coverage(
        angle_of(pattern.bearing_deg),
        tuple(path),
        tuple(owner),
        line,
        1,
        on_line_m(path, owner),
        time_s,
        float(left.area) / area.area_m2,
        laid_as=WORDS[pattern.shape],
    )


def _on_lines(owner: Sequence[int]) -> list[int]:
    return [k for k, line in enumerate(owner) if line >= 0]


def _stretches(way: LineString, free: BaseGeometry) -> list[list[Metres]]:
    """Return what of a way lies over free ground, in its sense."""
    parts = [p for p in shapely.get_parts(way.intersection(free)) if isinstance(p, LineString) and p.length > _SHORTEST_M]
    along = [sorted((way.project(Point(p.coords[0])), way.project(Point(p.coords[-1])))) for p in parts]
    found = []
    for part, (begin, _) in sorted(zip(parts, along, strict=True), key=lambda x: x[1]):
        xy = [(float(px), float(py)) for px, py in part.coords]
        found.append(xy if abs(way.project(Point(xy[0])) - begin) < 1e-6 else xy[::-1])
    return found


def _go_to(place: Metres, path: list[Metres], owner: list[int], detours: Detours) -> None:
    """Lengthen a path to where a line begins, if it is not there."""
    if not path:
        path.append(place)
        return
    if math.dist(path[-1], place) < 1e-6:
        return
    bends = detours.way(path[-1], place)
    path += [*bends, place]
    owner += [-1] * (len(bends) + 1)
