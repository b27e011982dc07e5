"""Coverage lines for an area: the best direction by time, cells, order, and the way flown.

Angles inside are degrees counter-clockwise from east, modulo 180; `bearing_of` gives the true
bearing that people read. Time counts wind on every leg and one turn between lines.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from quarry.core.base.errors import Infeasible, require_range
from quarry.core.flight.wind import CALM, HeldSpeed, Holds, Wind, held_speeds_m_s, held_times_s
from quarry.core.ground.cells import Cell, cut_cells
from quarry.core.ground.detour import Detours
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.outline import Area
from quarry.core.ground.rows import (
    Ends,
    Row,
    Turned,
    chords,
    clip_rows,
    cover_rows,
    edges_of,
    join_gaps,
    row_positions,
    turn_points,
    turned,
    uncovered_m2,
)
from quarry.core.ground.tour import VARIANTS, best_tour

Floats = NDArray[np.float64]
_GAPS = (0.0, 2.0, 6.0, 15.0, math.inf)
_MOST_CELLS = 60
_MANY_KEEP_OUTS = 40
_MOST_ROWS = 3000
_WORTH = 1.06  # a direction slower by more cannot win by its cuts
_SMALLEST_PATCH = 0.02  # of a square one spacing wide; smaller rests are reported, not flown


@dataclass(frozen=True, slots=True)
class LineTask:
    """How lines are to be laid and flown; ``speed_m_s`` is held over ground, or through the air (see `HeldSpeed`).

    ``angle_deg`` None lets the sweep choose. ``step_deg`` is the pitch of the sweep, ``refine``
    how many of its best directions are planned in full, ``keep`` how many of these are handed on to be cut.
    """

    spacing_m: float
    speed_m_s: float
    turn_s: float
    wind: Wind = CALM
    ends: Ends = "cover"
    angle_deg: float | None = None
    home: Metres | None = None
    step_deg: float = 3.0
    refine: int = 4
    keep: int = 1
    holds: Holds = "ground"
    most_air_m_s: float = math.inf

    @property
    def held(self) -> HeldSpeed:
        """The speed on the lines, and what it is held over."""
        return HeldSpeed(self.speed_m_s, self.holds, self.most_air_m_s)


@dataclass(frozen=True, slots=True)
class Coverage:
    """Lines over an area in the order and sense flown.

    ``lines``: x1, y1, x2, y2 of each. ``path``: the whole way, transits included; ``path_line``:
    for each leg of the path the number of the line it belongs to, or −1 on a transit.
    """

    angle_deg: float
    lines: tuple[tuple[float, float, float, float], ...]
    path: tuple[Metres, ...]
    path_line: tuple[int, ...]
    rows: int
    cells: int
    on_line_m: float
    time_s: float
    uncovered_frac: float


@dataclass(frozen=True, slots=True)
class DirectionPoint:
    """Estimated time of the whole way for one line direction; inf if the wind forbids it."""

    angle_deg: float
    time_s: float


@dataclass(frozen=True, slots=True)
class CoveragePlan:
    """The chosen coverage and the curve of time over direction; ``others`` are the next best, planned in full."""

    best: Coverage
    directions: tuple[DirectionPoint, ...]
    others: tuple[Coverage, ...] = ()


def bearing_of(angle_deg: float) -> float:
    """Return the true bearing, 0 to 180, of lines at an angle counter-clockwise from east."""
    return (90.0 - angle_deg) % 180.0


def angle_of(bearing_deg: float) -> float:
    """Return the angle counter-clockwise from east, 0 to 180, of lines at a true bearing."""
    return (90.0 - bearing_deg) % 180.0


def plan_coverage(area: Area, task: LineTask) -> CoveragePlan:
    """Return coverage lines and the curve of time over direction.

    Raises
    ------
    OutOfRange
        Spacing, speed or turn time are out of range, or the spacing gives too many lines.
    Infeasible
        The wind lets no direction be flown, or not the one asked for.
    """
    require_range(task.spacing_m, 0.3, 5000.0, "work.spacing_m", "Line spacing", "m")
    require_range(task.speed_m_s, 0.5, 40.0, "work.speed_m_s", "Speed on the lines", "m/s")
    require_range(task.turn_s, 0.0, 120.0, "aircraft.turn_s", "Turn time", "s")
    if math.dist(area.worked.bounds[:2], area.worked.bounds[2:]) / task.spacing_m > _MOST_ROWS:
        raise Infeasible(
            f"Lines {task.spacing_m:g} m apart would be more than {_MOST_ROWS}. Widen the spacing or split the area.",
            "work.spacing_m",
        )
    sweep = sweep_directions(area, task)
    detours = Detours(area.forbidden)
    if task.angle_deg is not None:
        return CoveragePlan(coverage_at(area, task, task.angle_deg % 180, detours), sweep)
    candidates = _candidates(area, sweep, task)
    if not candidates:
        raise Infeasible(
            f"The wind of {task.wind.speed_m_s:.1f} m/s lets no line be flown both ways at {task.held.words}. "
            "Wait for less wind, or fly faster through the air.",
            "wind.speed_m_s",
        )
    if len(shapely.get_parts(area.forbidden)) > _MANY_KEEP_OUTS:
        candidates = candidates[: max(task.keep, 2)]
    plans, refused = [], None
    for angle in candidates:
        try:
            plans.append(coverage_at(area, task, angle, detours, patch=False))
        except Infeasible as bad:
            refused = bad
    if not plans and refused is not None:
        raise refused
    plans.sort(key=lambda c: _merit(c, area, task))
    kept = [c for c in plans if _merit(c, area, task) <= _WORTH * _merit(plans[0], area, task)][: task.keep]
    if task.ends == "cover" and not area.forbidden.is_empty:
        kept = [coverage_at(area, task, c.angle_deg, detours) for c in kept]
    return CoveragePlan(kept[0], sweep, tuple(kept[1:]))


def reversed_coverage(c: Coverage, task: LineTask) -> Coverage:
    """Return the same lines flown from the other end."""
    lines = tuple((x2, y2, x1, y1) for x1, y1, x2, y2 in reversed(c.lines))
    last = len(c.lines) - 1
    owner = tuple(last - k if k >= 0 else -1 for k in reversed(c.path_line))
    path = tuple(reversed(c.path))
    time = _way_time(np.array(path), task) + task.turn_s * last
    return replace(c, lines=lines, path=path, path_line=owner, time_s=time)


def speeds_on(c: Coverage, task: LineTask) -> tuple[Floats, Floats]:
    """Return length and speed over ground of each line of a coverage that can be flown. [m, m/s]"""
    d = np.array([(x2 - x1, y2 - y1) for x1, y1, x2, y2 in c.lines]).reshape(-1, 2)
    ground, _ = held_speeds_m_s(d[:, 0], d[:, 1], task.held, task.wind)
    length = np.hypot(d[:, 0], d[:, 1])
    able = (ground > 0) & (length > 0)
    return length[able], ground[able]


def _merit(c: Coverage, area: Area, task: LineTask) -> float:
    # What a direction leaves uncovered is charged as if it had to be flown: else it wins by leaving more.
    return c.time_s + c.uncovered_frac * area.area_m2 / (task.spacing_m * task.speed_m_s)


def sweep_directions(area: Area, task: LineTask) -> tuple[DirectionPoint, ...]:
    """Return the time of flying row by row for directions over the half circle.

    An estimate by arrays alone, without cells: it ranks directions and draws the curve.
    """
    edges = edges_of(area.worked)
    points = []
    for angle in np.arange(0.0, 180.0, task.step_deg):
        points.append(DirectionPoint(float(angle), _row_time(edges, float(angle), task)))
    return tuple(points)


def _row_time(edges: Floats, angle_deg: float, task: LineTask) -> float:
    flat = turn_points(edges.reshape(-1, 2), -angle_deg).reshape(-1, 4)
    low, high = flat[:, 1].min(), flat[:, 1].max()
    ys = row_positions(low, high, task.spacing_m)
    row, a, b = chords(flat, ys)
    if row.size == 0:
        return math.inf
    unit = turn_points(np.array([[1.0, 0.0], [-1.0, 0.0], [0.0, 1.0]]), angle_deg)
    forth, back, side = held_times_s(unit[:, 0], unit[:, 1], task.held, task.wind)
    along = 0.5 * (forth + back)
    first = np.flatnonzero(np.diff(row, prepend=-1))
    starts, ends = a[first], np.maximum.reduceat(b, first)
    reach = float((ends - starts).sum())
    # Between rows the way goes on from the end just reached to the nearer end of the next row.
    even = np.arange(len(starts) - 1) % 2 == 0
    slip = float(np.where(even, np.abs(np.diff(ends)), np.abs(np.diff(starts))).sum())
    rises = (len(ys) - 1) * task.spacing_m
    shift = math.hypot(slip, rises) if slip < rises else slip
    gaps = len(row) - len(first)
    turns = len(first) - 1 + 0.3 * gaps
    end_bits = task.spacing_m * 0.5 * len(first) if task.ends == "cover" else 0.0
    return float((reach + end_bits) * along + shift * (side if math.isfinite(side) else along) + task.turn_s * turns)


def _candidates(area: Area, sweep: Sequence[DirectionPoint], task: LineTask) -> list[float]:
    edges = edges_of(area.worked)
    pool = [(p.time_s, p.angle_deg) for p in sweep]
    n = len(pool)
    valleys = [p for k, p in enumerate(pool) if p[0] <= pool[k - 1][0] and p[0] <= pool[(k + 1) % n][0]]
    for x1, y1, x2, y2 in _long_edges(area):
        angle = math.degrees(math.atan2(y2 - y1, x2 - x1)) % 180
        valleys.append((_row_time(edges, angle, task), angle))
    for _, angle in sorted(valleys)[:3]:
        for shift in (-task.step_deg / 3, task.step_deg / 3):
            near = (angle + shift) % 180
            valleys.append((_row_time(edges, near, task), near))
    chosen: list[float] = []
    for time, angle in sorted(valleys):
        if math.isfinite(time) and all(abs((angle - c + 90) % 180 - 90) > 0.05 for c in chosen):
            chosen.append(angle)
    return chosen[: task.refine]


def _long_edges(area: Area) -> Floats:
    edges = edges_of(area.worked.simplify(1.0))
    hull = edges_of(area.worked.convex_hull)
    edges = np.vstack([edges, hull])
    length = np.hypot(edges[:, 2] - edges[:, 0], edges[:, 3] - edges[:, 1])
    return np.asarray(edges[np.argsort(-length)[:8]])


def coverage_at(area: Area, task: LineTask, angle_deg: float, detours: Detours | None = None, *, patch: bool = True) -> Coverage:
    """Return the coverage at one line direction, over several ways of treating short gaps.

    ``patch`` adds the short lines that *cover* needs beside forbidden ground; ranking goes without.
    """
    detours = detours or Detours(area.forbidden)
    flat = turned(area.worked, area.forbidden, angle_deg)
    _, low, _, high = flat.worked.bounds
    ys = row_positions(low, high, task.spacing_m)
    rows = clip_rows(flat, ys) if task.ends == "clip" else cover_rows(flat, ys, task.spacing_m)
    barred = edges_of(flat.forbidden)
    seen: set[tuple[int, ...]] = set()
    best: Coverage | None = None
    for gap in _GAPS:
        joined = join_gaps(rows, ys, barred, gap * task.spacing_m)
        shape = tuple(len(r) for r in joined)
        if shape in seen:
            continue
        cells = cut_cells(joined, ys)
        # Too many cells to order quickly: only the last try, which joins most, has to take what it gets.
        if len(cells) > _MOST_CELLS and gap < math.inf:
            continue
        seen.add(shape)
        if patch and task.ends == "cover" and not area.forbidden.is_empty:
            cells += _patches(flat, cells, task.spacing_m)
        found = _fly(cells, angle_deg, task, detours, len(ys))
        if best is None or found.time_s < best.time_s:
            best = replace(found, uncovered_frac=_uncovered(flat, joined, ys, cells, task, exact=patch))
    if best is None or not math.isfinite(best.time_s):
        raise Infeasible(
            f"With {task.wind.speed_m_s:.1f} m/s of wind from {task.wind.from_deg:.0f}° lines at {bearing_of(angle_deg):.0f}° "
            f"cannot be flown both ways at {task.speed_m_s:.1f} m/s. Choose another direction, fly faster, or wait.",
            "wind.speed_m_s",
        )
    return best


def _uncovered(flat: Turned, rows: list[Row], ys: Floats, cells: list[Cell], task: LineTask, *, exact: bool) -> float:
    # Strips with flat ends are enough to rank directions; the exact rest is worth its time only for the chosen one.
    if not exact or task.ends == "clip" or flat.forbidden.is_empty:
        return uncovered_m2(flat, rows, ys, task.spacing_m) / float(flat.worked.area)
    return float(_leftover(flat, cells, task.spacing_m).area) / float(flat.worked.area)


def _leftover(flat: Turned, cells: list[Cell], spacing_m: float) -> shapely.Geometry:
    s = np.vstack([c.stretches for c in cells])
    lines = shapely.linestrings(np.stack([s[:, [1, 0]], s[:, [2, 0]]], axis=1))
    near = shapely.intersects(shapely.buffer(lines, spacing_m), flat.forbidden)
    strips = shapely.box(s[:, 1], s[:, 0] - spacing_m / 2, s[:, 2], s[:, 0] + spacing_m / 2)
    reach = shapely.union_all(np.concatenate([strips, shapely.buffer(lines[near], spacing_m / 2 + 1e-6)]))
    return flat.worked.difference(reach)


def _patches(flat: Turned, cells: list[Cell], spacing_m: float) -> list[Cell]:
    """Return short extra lines for what the rows leave beside ground that must not be crossed."""
    extra: list[Cell] = []
    for _ in range(3):
        left = _leftover(flat, cells + extra, spacing_m)
        parts = [p for p in shapely.get_parts(left) if p.area > _SMALLEST_PATCH * spacing_m**2]
        if not parts:
            break
        for part in parts:
            _, south, _, north = part.bounds
            y = np.array([(south + north) / 2])
            free = cover_rows(Turned(0.0, part, flat.forbidden), y, max(north - south, 1e-3))[0]
            extra += [Cell(np.array([[y[0], a, b if b - a > 0.1 else a + 0.1]])) for a, b in free]
    return extra


def _fly(cells: list[Cell], angle_deg: float, task: LineTask, detours: Detours, rows: int) -> Coverage:
    ways = [[turn_points(c.path(v), angle_deg) for v in range(VARIANTS)] for c in cells]
    inside = np.array([[_way_time(w, task) for w in row] for row in ways])
    turns = np.array([len(c.stretches) - 1 for c in cells])
    inside = inside + task.turn_s * turns[:, None]
    entries = np.array([w[0] for row in ways for w in row])
    exits = np.array([w[-1] for row in ways for w in row])
    between = _times_between(exits, entries, task, detours)
    zero = np.zeros(len(entries))
    first = last = zero
    if task.home is not None:
        home = np.array([task.home])
        first = _times_between(home, entries, task, detours)[0]
        last = _times_between(exits, home, task, detours)[:, 0]
    for table in (between, first, last, inside):
        table[~np.isfinite(table)] = 1e9
    order = best_tour(inside, between, first, last)
    return _assemble([ways[c][v] for c, v in order], angle_deg, task, detours, rows)


def _way_time(way: Floats, task: LineTask) -> float:
    d = np.diff(way, axis=0)
    return float(held_times_s(d[:, 0], d[:, 1], task.held, task.wind).sum())


def _times_between(starts: Floats, ends: Floats, task: LineTask, detours: Detours) -> Floats:
    d = ends[None] - starts[:, None]
    straight = held_times_s(d[..., 0], d[..., 1], task.held, task.wind)
    if detours.empty:
        return straight
    length = np.hypot(d[..., 0], d[..., 1])
    stretch = detours.lengths_m(starts, ends) / np.maximum(length, 1e-9)
    return np.where(length > 1e-9, straight * stretch, 0.0)


def _assemble(ways: list[Floats], angle_deg: float, task: LineTask, detours: Detours, rows: int) -> Coverage:
    path: list[Metres] = []
    owner: list[int] = []
    lines: list[tuple[float, float, float, float]] = []
    for way in ways:
        for a, b in zip(way[::2].tolist(), way[1::2].tolist(), strict=True):
            if path:
                bends = detours.way(path[-1], (a[0], a[1]))
                path.extend(bends)
                owner.extend([-1] * (len(bends) + 1))
            path.extend([(a[0], a[1]), (b[0], b[1])])
            owner.append(len(lines))
            lines.append((a[0], a[1], b[0], b[1]))
    on_line = sum(math.dist(s[:2], s[2:]) for s in lines)
    time = _way_time(np.array(path), task) + task.turn_s * (len(lines) - 1)
    return Coverage(angle_deg, tuple(lines), tuple(path), tuple(owner), rows, len(ways), on_line, time, 0.0)
