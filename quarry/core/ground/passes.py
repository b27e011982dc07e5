"""Further passes of a mapping job: lines across or tilted over the same ground, rings round a thing, rows along its walls.

They are flown after the lines over the ground and cut with them. A tilted picture is laid by its nearest edge, which sees
least ground, so that the overlaps wanted hold everywhere in it; its lines reach as far beyond the ground as it looks ahead.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import numpy as np
import shapely
from shapely import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import BadGeometry, Infeasible, require_range
from quarry.core.base.sources import ALGEBRA, PHOTOGRAMMETRY
from quarry.core.base.working import formula
from quarry.core.ground.coverage import CoveragePlan, coverage_at
from quarry.core.ground.detour import detours_around
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.joining import joined
from quarry.core.ground.lines import Coverage, LineAs, LineTask, reversed_coverage, way_time_s
from quarry.core.ground.mapping import Camera, blur_px, footprint_m, ground_sample_m, interval_s, step_m
from quarry.core.ground.ordering import on_line_m
from quarry.core.ground.outline import Area, check_ring, make_area

How = Literal["rings", "walls"]
_MOST_TILT_DEG = 60.0
_FLATTEST_DEG = 80.0  # of the farthest edge of a tilted picture: beyond it the horizon is near
_ARC_DEG = 7.5
_SHORTEST_WALL_M = 1.0
_FACES_WITHIN_DEG = 60.0
_MOST_ROWS = 60
_FARTHEST_M = 1000.0
_CLEAR_FRAC = 0.6  # of the stand-off: how near a way between two rows may come to what is photographed


@formula("nearest edge = height × cos(half angle) ÷ cos(tilt − half angle)", source=PHOTOGRAMMETRY, result="edge_m")
def nearest_edge_m(height_m: float, tilt_deg: float, half_angle_deg: float) -> float:
    """Return the distance along the axis of a tilted camera to the ground that its nearest edge sees. [m]

    Examples
    --------
    >>> round(nearest_edge_m(80.0, 0.0, 26.6), 6)
    80.0
    """
    half = math.radians(half_angle_deg)
    return height_m * math.cos(half) / math.cos(math.radians(tilt_deg) - half)


@formula("looks ahead = height × tan(tilt)", source=ALGEBRA, result="ahead_m")
def looks_ahead_m(height_m: float, tilt_deg: float) -> float:
    """Return how far from under the aircraft the middle of a tilted picture lies. [m]"""
    return height_m * math.tan(math.radians(tilt_deg))


@formula("distance = height ÷ cos(tilt)", source=ALGEBRA, result="distance_m")
def distance_to_middle_m(height_m: float, tilt_deg: float) -> float:
    """Return how far the ground in the middle of a tilted picture lies from the camera. [m]"""
    return height_m / math.cos(math.radians(tilt_deg))


@dataclass(frozen=True, slots=True)
class Wanted:
    """What pictures of a job are to be: the camera, height above ground, overlaps, shutter. [m, 0 to 1, s]"""

    camera: Camera
    height_m: float
    side_overlap_frac: float
    forward_overlap_frac: float
    exposure_s: float

    @property
    def half_angle_deg(self) -> float:
        """Half the angle that a picture sees along the track. [°]"""
        return math.degrees(math.atan(self.camera.sensor_h_mm / (2 * self.camera.focal_mm)))


@dataclass(frozen=True, slots=True)
class GridPass:
    """Lines over the same ground again: turned from the first ones by an angle counter-clockwise, the camera tilted ahead. [°]"""

    turn_deg: float = 90.0
    tilt_deg: float = 0.0
    name: str = ""


@dataclass(frozen=True, slots=True)
class Structure:
    """A mound, building or tower that is photographed from around: rings at one or more heights, or rows along its walls.

    ``ring``: its outline; ``top_m`` above its foot; ``stand_off_m`` from its outline; flown from ``low_m`` to ``high_m`` above the
    ground. ``facing_deg``: only walls that face so, clockwise from north, within 60°.
    """

    ring: tuple[Metres, ...]
    how: How
    top_m: float
    stand_off_m: float
    low_m: float
    high_m: float
    speed_m_s: float
    name: str = ""
    facing_deg: float | None = None


@dataclass(frozen=True, slots=True)
class PassLaid:
    """How a pass is laid: its number and name, steps between pictures and lines, speed, distance to what is seen, tilt, heights.

    ``distance_m``: to the walls, or to the ground in the middle of a tilted picture; ``beyond_m``: how far its lines reach beyond the area.
    """

    part: int
    name: str
    trigger_m: float
    spacing_m: float
    speed_m_s: float
    distance_m: float
    tilt_deg: float
    low_m: float
    high_m: float
    beyond_m: float = 0.0


@dataclass(frozen=True, slots=True)
class PassFigures:
    """What a pass takes and gives: lines and pictures, time between two, ground sample, blur; ``left_out``: told in words."""

    laid: PassLaid
    lines: int
    on_line_m: float
    interval_s: float
    sample_m: float
    blur_px: float
    pictures: int
    left_out: str = ""


@dataclass(frozen=True, slots=True)
class _Rows:
    """Lines of a pass in the order flown, how each is flown, and its figures without what follows from the lines."""

    ways: tuple[tuple[Metres, ...], ...]
    flown_as: tuple[LineAs, ...]
    figures: PassFigures


@dataclass(frozen=True, slots=True)
class Passes:
    """Further passes over an area, ready to be added to any coverage of it."""

    area: Area
    task: LineTask
    wanted: Wanted
    grids: tuple[GridPass, ...]
    structures: tuple[Structure, ...]

    @property
    def any(self) -> bool:
        """Whether there is any."""
        return bool(self.grids or self.structures)

    @property
    def highest_m(self) -> float:
        """The greatest height above ground that a thing is photographed from; 0 without one. [m]"""
        return max((s.high_m for s in self.structures), default=0.0)

    @property
    def things(self) -> BaseGeometry:
        """The ground of all structures with a part of their stand-off: no way between rows leads over it."""
        return joined(Polygon(s.ring).buffer(_CLEAR_FRAC * s.stand_off_m, join_style="mitre") for s in self.structures)


def check_passes(p: Passes) -> None:
    """Check what was entered of further passes.

    Raises
    ------
    OutOfRange
        A figure cannot be; at its field.
    BadGeometry
        An outline crosses itself or is too small.
    Infeasible
        A tilt that would see the horizon, or heights that give too many rows.
    """
    half = p.wanted.half_angle_deg
    for k, g in enumerate(p.grids):
        require_range(g.tilt_deg, 0.0, _MOST_TILT_DEG, f"lines.passes.{k}.tilt_deg", "Tilt", "°")
        require_range(g.turn_deg, 0.0, 180.0, f"lines.passes.{k}.turn_deg", "Turned by", "°")
        if g.tilt_deg + half > _FLATTEST_DEG:
            raise Infeasible(
                f"Tilted by {g.tilt_deg:.0f}° this camera sees up to {g.tilt_deg + half:.0f}° from straight down, nearly to the horizon. "
                f"Tilt it by {math.floor(_FLATTEST_DEG - half)}° or less.",
                f"lines.passes.{k}.tilt_deg",
            )
    for k, s in enumerate(p.structures):
        at = f"site.structures.{k}"
        name = s.name or f"Structure {k + 1}"
        away = float(check_ring(s.ring, name, f"{at}.ring").distance(p.area.outer))
        if away > _FARTHEST_M:
            raise BadGeometry(
                f"{name} lies {away:,.0f} m from the area, the most is {_FARTHEST_M:,.0f} m. Make it a job of its own.",
                f"{at}.ring",
            )
        require_range(s.top_m, 0.0, 500.0, f"{at}.top_m", "Its height", "m")
        require_range(s.stand_off_m, 2.0, 300.0, f"{at}.stand_off_m", "Stand-off", "m")
        require_range(s.low_m, 1.0, 500.0, f"{at}.low_m", "Lowest row", "m")
        require_range(s.high_m, s.low_m, 500.0, f"{at}.high_m", "Highest row", "m")
        require_range(s.speed_m_s, 0.5, 20.0, f"{at}.speed_m_s", "Speed", "m/s")
        rows = len(row_heights_m(s, p.wanted))
        if rows > _MOST_ROWS:
            raise Infeasible(
                f"{s.name or 'This structure'} would take {rows} rows, the most is {_MOST_ROWS}. Stand farther off, or ask for less overlap.",
                f"{at}.stand_off_m",
            )


def with_passes(plan: CoveragePlan, passes: Passes) -> CoveragePlan:
    """Return a plan of coverage whose every candidate has the further passes."""
    if not passes.any:
        return plan
    grids: dict[float, list[_Rows]] = {}
    rows = [structure_rows(passes, s, len(passes.grids) + k) for k, s in enumerate(passes.structures, start=1)]
    between = _Between(passes)

    def extended(c: Coverage) -> Coverage:
        angle = round(c.angle_deg, 3)
        if angle not in grids:
            grids[angle] = [grid_rows(passes, g, c.angle_deg, k) for k, g in enumerate(passes.grids, start=1)]
        return _extended(c, [*grids[angle], *rows], passes.task, between)

    at_angle = plan.at_angle
    more: Callable[[float], Coverage] | None = None if at_angle is None else (lambda angle_deg: extended(at_angle(angle_deg)))
    # What covers the ground is flown first, from either end: a day that is cut short still has its map.
    turned = [reversed_coverage(c, passes.task) for c in (plan.best, *plan.others[:1])]
    return replace(plan, best=extended(plan.best), others=tuple(extended(c) for c in (*plan.others, *turned)), at_angle=more)


def figures_of(passes: Passes, c: Coverage) -> tuple[PassFigures, ...]:
    """Return the figures of each further pass in a coverage that has them."""
    found = [grid_rows(passes, g, c.angle_deg, k).figures for k, g in enumerate(passes.grids, start=1)]
    found += [structure_rows(passes, s, len(passes.grids) + k).figures for k, s in enumerate(passes.structures, start=1)]
    return tuple(found)


def grid_rows(passes: Passes, g: GridPass, first_deg: float, part: int) -> _Rows:
    """Return the lines of a pass over the ground."""
    w, task = passes.wanted, passes.task
    edge = nearest_edge_m(w.height_m, g.tilt_deg, w.half_angle_deg)
    spacing = step_m(footprint_m(edge, w.camera.sensor_w_mm, w.camera.focal_mm), w.side_overlap_frac)
    trigger = step_m(footprint_m(edge, w.camera.sensor_h_mm, w.camera.focal_mm), w.forward_overlap_frac)
    beyond = looks_ahead_m(w.height_m, g.tilt_deg)
    area = passes.area
    if beyond > 0:
        wide = shapely.make_valid(area.outer.buffer(beyond, join_style="mitre", mitre_limit=2.0).difference(area.forbidden))
        hull = shapely.get_parts(wide)
        area = replace(_one_area([p for p in hull if isinstance(p, Polygon)]), forbidden=area.forbidden)
    c = coverage_at(area, replace(task, spacing_m=spacing, angle_deg=None, keep=1), (first_deg + g.turn_deg) % 180.0)
    ways = tuple(_way_of(c, k) for k in range(c.line_count))
    distance = distance_to_middle_m(w.height_m, g.tilt_deg)
    name = g.name or _grid_words(g)
    laid = PassLaid(part, name, trigger, spacing, task.speed_m_s, distance, g.tilt_deg, w.height_m, w.height_m, beyond)
    return _Rows(ways, (LineAs(part, tilt_deg=g.tilt_deg),) * len(ways), _figures(w, laid, ways))


def _grid_words(g: GridPass) -> str:
    turned = (
        "across"
        if abs(g.turn_deg - 90.0) < 1
        else "again"
        if min(g.turn_deg, 180 - g.turn_deg) < 1
        else f"turned by {g.turn_deg:.0f}°"
    )
    return f"{turned}, tilted {g.tilt_deg:.0f}°" if g.tilt_deg else turned


def _one_area(parts: Sequence[Polygon]) -> Area:
    whole = [make_area(list(p.exterior.coords)) for p in parts if p.area > 25.0]
    if not whole:
        raise BadGeometry("Nothing is left to fly over once the tilted pass is widened.", "areas")
    return replace(
        whole[0],
        outer=joined(a.outer for a in whole),
        worked=joined(a.worked for a in whole),
        blocks=tuple(b for a in whole for b in a.blocks),
    )


def _way_of(c: Coverage, line: int) -> tuple[Metres, ...]:
    """Return the whole way of a line, gaps flown with it."""
    legs = [k for k, owner in enumerate(c.path_line) if owner == line]
    return tuple(c.path[legs[0] : legs[-1] + 2])


def row_heights_m(s: Structure, w: Wanted) -> list[float]:
    """Return the heights above ground at which rows round a thing are flown, lowest first, so far apart that they overlap. [m]"""
    apart = step_m(footprint_m(s.stand_off_m, w.camera.sensor_h_mm, w.camera.focal_mm), w.side_overlap_frac)
    n = max(1, math.ceil((s.high_m - s.low_m) / apart - 1e-9) + 1) if s.high_m > s.low_m + 0.05 else 1
    return [float(v) for v in np.linspace(s.low_m, s.high_m, n)]


def structure_rows(passes: Passes, s: Structure, part: int) -> _Rows:
    """Return the rings round a thing, or the rows along its walls, lowest first; what lies over ground never flown over is left out."""
    w = passes.wanted
    heights = row_heights_m(s, w)
    trigger = step_m(footprint_m(s.stand_off_m, w.camera.sensor_w_mm, w.camera.focal_mm), w.forward_overlap_frac)
    apart = heights[1] - heights[0] if len(heights) > 1 else 0.0
    made: list[tuple[tuple[Metres, ...], LineAs]] = []
    dropped_m = 0.0
    for k, height in enumerate(heights):
        for line, look in _ring_at(s, height, part, k) if s.how == "rings" else _walls_at(s, height, part):
            for piece in shapely.get_parts(LineString(line).difference(passes.area.forbidden)):
                if piece.length > _SHORTEST_WALL_M:
                    made.append((tuple((float(x), float(y)) for x, y in piece.coords), look))
            dropped_m += float(LineString(line).intersection(passes.area.forbidden).length)
    name = s.name or f"structure {part - len(passes.grids)}"
    if not made:
        raise Infeasible(
            f"No row round {name} can be flown: all of it lies over ground that is never flown over, or no wall faces so. "
            "Stand farther off, or change the keep-out.",
            f"site.structures.{part - len(passes.grids) - 1}.stand_off_m",
        )
    ways, flown_as = tuple(way for way, _ in made), tuple(look for _, look in made)
    tilt = max(x.tilt_deg for x in flown_as)
    laid = PassLaid(part, name, trigger, apart, s.speed_m_s, s.stand_off_m, tilt, heights[0], heights[-1])
    words = (
        f"{dropped_m:.0f} m of rows round {name} lie over ground that is never flown over: left out." if dropped_m > 0.5 else ""
    )
    return _Rows(ways, flown_as, replace(_figures(w, laid, ways), left_out=words))


def _ring_at(s: Structure, height_m: float, part: int, row: int) -> list[tuple[list[Metres], LineAs]]:
    """Return one ring: a circle that stands off the thing's farthest corner; every other one the other way round."""
    body = Polygon(s.ring)
    x, y = shapely.get_coordinates(body.centroid)[0]
    radius = float(np.hypot(*(np.array(s.ring) - (x, y)).T).max()) + s.stand_off_m
    n = max(24, math.ceil(360.0 / _ARC_DEG))
    turn = np.linspace(0.0, 2 * math.pi, n + 1) * (1 if row % 2 == 0 else -1)
    circle = [(float(x + radius * math.cos(a)), float(y + radius * math.sin(a))) for a in turn]
    tilt = 90.0 - math.degrees(math.atan2(height_m - s.top_m / 2, radius))
    return [(circle, LineAs(part, height_m, s.speed_m_s, min(90.0, max(0.0, tilt)), toward=(float(x), float(y))))]


def _walls_at(s: Structure, height_m: float, part: int) -> list[tuple[list[Metres], LineAs]]:
    """Return one row: along each wall that faces as wanted, the camera level and square to it."""
    ring = list(shapely.get_coordinates(shapely.orient_polygons(Polygon(s.ring)).exterior).tolist())
    found: list[tuple[list[Metres], LineAs]] = []
    for (x1, y1), (x2, y2) in pairwise(ring):
        length = math.hypot(x2 - x1, y2 - y1)
        if length < _SHORTEST_WALL_M:
            continue
        # The outline runs counter-clockwise: outside lies to its right.
        out = ((y2 - y1) / length, (x1 - x2) / length)
        faces = math.degrees(math.atan2(out[0], out[1])) % 360.0
        if s.facing_deg is not None and abs((faces - s.facing_deg + 180.0) % 360.0 - 180.0) > _FACES_WITHIN_DEG:
            continue
        off = (out[0] * s.stand_off_m, out[1] * s.stand_off_m)
        line = [(x1 + off[0], y1 + off[1]), (x2 + off[0], y2 + off[1])]
        found.append((line, LineAs(part, height_m, s.speed_m_s, 90.0, heading_deg=(faces + 180.0) % 360.0)))
    return found


def _figures(w: Wanted, laid: PassLaid, ways: Sequence[tuple[Metres, ...]]) -> PassFigures:
    c = w.camera
    lengths = [float(LineString(way).length) for way in ways]
    sample = ground_sample_m(laid.distance_m, c.sensor_w_mm, c.focal_mm, c.image_w_px)
    return PassFigures(
        laid,
        len(ways),
        sum(lengths),
        interval_s(laid.trigger_m, laid.speed_m_s),
        sample,
        blur_px(laid.speed_m_s, w.exposure_s, sample),
        sum(int(x / laid.trigger_m) + 1 for x in lengths),
    )


class _Between:
    """Ways between lines: around what is never flown over, and on the way to and along rows around the structures too."""

    def __init__(self, passes: Passes) -> None:
        self.things = passes.things
        self.over = detours_around(passes.area.forbidden)
        self.around = detours_around(joined([passes.area.forbidden, self.things]))

    def way(self, start: Metres, end: Metres, row: LineAs, name: str) -> list[Metres]:
        """Return the places to pass between two lines, both ends left out. Raises `Infeasible` where there is no way."""
        if row.above_m is None:
            return self.over.way(start, end)
        out = [at for at in (self._outside(start),) if at != start]
        try:
            return [*out, *self.around.way(out[0] if out else start, end)]
        except Infeasible as stuck:
            raise Infeasible(
                f"No way leads to a row round {name} clear of it and of the keep-outs beside it. Stand farther off, or let the keep-out "
                "be flown over.",
                "site.structures",
            ) from stuck

    def _outside(self, at: Metres) -> Metres:
        """Return where a line over the ground that ends above a structure leaves it, high up as it is."""
        if not self.things.contains(shapely.Point(at)):
            return at
        edge = shapely.shortest_line(self.things.boundary, shapely.Point(at))
        x, y = shapely.get_coordinates(edge)[0]
        return float(x), float(y)


def _extended(c: Coverage, rows: Sequence[_Rows], task: LineTask, between: _Between) -> Coverage:
    """Return a coverage followed by further passes, each begun from the end that is nearer."""
    path, owner = list(c.path), list(c.path_line)
    flown_as = [c.line_as(k) for k in range(c.line_count)]
    extra_s = 0.0
    for one in rows:
        ways, looks = list(one.ways), list(one.flown_as)
        if math.dist(path[-1], ways[-1][-1]) < math.dist(path[-1], ways[0][0]):
            ways, looks = [w[::-1] for w in ways[::-1]], looks[::-1]
        for way, look in zip(ways, looks, strict=True):
            bends = between.way(path[-1], way[0], look, one.figures.laid.name)
            own = (
                replace(task, speed_m_s=look.speed_m_s, most_air_m_s=max(task.most_air_m_s, look.speed_m_s))
                if look.speed_m_s
                else task
            )
            extra_s += way_time_s(np.array([path[-1], *bends, way[0]]), task) + way_time_s(np.array(way), own) + task.turn_s
            path += [*bends, *way]
            owner += [-1] * (len(bends) + 1) + [len(flown_as)] * (len(way) - 1)
            flown_as.append(look)
    return replace(
        c,
        path=tuple(path),
        path_line=tuple(owner),
        on_line_m=on_line_m(path, owner),
        time_s=c.time_s + extra_s,
        flown_as=tuple(flown_as),
        cells=c.cells + len(rows),
    )
