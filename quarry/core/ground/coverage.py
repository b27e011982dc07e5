"""Coverage lines for an area: the best direction by time, cells, order, and the way flown.

Time counts wind on every leg and one turn between lines.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import Infeasible, require_range
from quarry.core.flight.wind import held_times_s
from quarry.core.ground.detour import Detours, detours_around, shut_gaps
from quarry.core.ground.laying import Laid, lay_along, lay_straight, patched
from quarry.core.ground.lines import Coverage, LineTask, bearing_of, way_time_s
from quarry.core.ground.ordering import assemble, on_line_m, order_cells, rough_time_s
from quarry.core.ground.outline import Area, Block
from quarry.core.ground.rows import chords, edges_of, row_positions, turn_points

Floats = NDArray[np.float64]
_MANY_KEEP_OUTS = 40
_MOST_ROWS = 3000
_WORTH = 1.04  # a direction slower by more cannot win by its cuts


@dataclass(frozen=True, slots=True)
class DirectionPoint:
    """Estimated time of the whole way for one line direction; inf if the wind forbids it."""

    angle_deg: float
    time_s: float


@dataclass(frozen=True, slots=True)
class CoveragePlan:
    """The chosen coverage and the curve of time over direction; ``others`` are the next best, planned in full.

    ``at_angle`` lays the lines at one more direction; None where none is left to choose.
    """

    best: Coverage
    directions: tuple[DirectionPoint, ...]
    others: tuple[Coverage, ...] = ()
    at_angle: Callable[[float], Coverage] | None = None


def plan_coverage(area: Area, task: LineTask) -> CoveragePlan:
    """Return coverage lines and the curve of time over direction.

    Blocks are laid each in its own best direction; cells of all are ordered together.

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
    across = sum(math.dist(b.worked.bounds[:2], b.worked.bounds[2:]) for b in area.blocks)
    if across / task.spacing_m > _MOST_ROWS:
        raise Infeasible(
            f"Lines {task.spacing_m:g} m apart would be more than {_MOST_ROWS}. Widen the spacing or split the area.",
            "work.spacing_m",
        )
    area = replace(area, forbidden=shut_gaps(area.forbidden))
    detours = detours_around(area.forbidden)
    sweep = sweep_directions(area, task)
    alone = len(area.blocks) == 1
    sweeps = [sweep if alone else _sweep(block.worked, task) for block in area.blocks]
    found = [_block_choices(area, block, task, detours, own) for block, own in zip(area.blocks, sweeps, strict=True)]
    if len(found) == 1:
        kept = [_finished(area, (laid,), task, detours) for laid in found[0]]
    else:
        kept = [_finished(area, tuple(choices[0] for choices in found), task, detours)]
        if task.keep > 1 and any(len(choices) > 1 for choices in found):
            kept.append(_finished(area, tuple(choices[min(1, len(choices) - 1)] for choices in found), task, detours))
        kept.sort(key=lambda c: _merit(c, area, task))
    return CoveragePlan(kept[0], sweep, tuple(kept[1:]), _more_angles(area, task, detours))


def _more_angles(area: Area, task: LineTask, detours: Detours) -> Callable[[float], Coverage] | None:
    many = len(shapely.get_parts(area.forbidden)) > _MANY_KEEP_OUTS
    if many or len(area.blocks) > 1 or task.angle_deg is not None or area.blocks[0].angle_deg is not None:
        return None
    return lambda angle_deg: coverage_at(area, task, angle_deg, detours)


def _block_choices(area: Area, block: Block, task: LineTask, detours: Detours, sweep: Sequence[DirectionPoint]) -> list[Laid]:
    """Return the lines over a block that are worth handing on, the best first."""
    alone = replace(area, worked=block.worked, blocks=(block,))
    along = lay_along(block, area.forbidden, task.spacing_m)
    angle = block.angle_deg if block.angle_deg is not None else task.angle_deg
    if angle is not None:
        return [_best_laid(alone, task, angle % 180, detours)[1]]
    tried: list[tuple[float, Laid]] = []
    if along is not None:
        tried.append((_rough_merit(along, task, detours), along))
    candidates = _candidates(block.worked, sweep, task)
    many = len(shapely.get_parts(area.forbidden)) > _MANY_KEEP_OUTS
    candidates = candidates[:2] if many else candidates
    refused = None
    for candidate in candidates:
        try:
            tried.append(_best_laid(alone, task, candidate, detours))
        except Infeasible as bad:
            refused = bad
    tried = [t for t in tried if math.isfinite(t[0])]
    if not tried:
        raise refused or Infeasible(
            f"The wind of {task.wind.speed_m_s:.1f} m/s lets no line be flown both ways at {task.held.words}. "
            "Wait for less wind, or fly faster through the air.",
            "wind.speed_m_s",
        )
    tried.sort(key=lambda t: t[0])
    return [laid for merit, laid in tried if merit <= _WORTH * tried[0][0]][: 1 if many else task.keep]


def _best_laid(area: Area, task: LineTask, angle_deg: float, detours: Detours) -> tuple[float, Laid]:
    """Return merit and lines of one block at an angle, over several ways of treating gaps."""
    (block,) = area.blocks
    best: tuple[float, Laid] | None = None
    for laid in lay_straight(block, area.forbidden, task.spacing_m, task.ends, angle_deg):
        merit = _rough_merit(laid, task, detours)
        if best is None or merit < best[0]:
            best = merit, laid
    if best is None or not math.isfinite(best[0]):
        raise Infeasible(
            f"With {task.wind.speed_m_s:.1f} m/s of wind from {task.wind.from_deg:.0f}° lines at {bearing_of(angle_deg):.0f}° "
            f"cannot be flown both ways at {task.speed_m_s:.1f} m/s. Choose another direction, fly faster, or wait.",
            "wind.speed_m_s",
        )
    return best


def coverage_at(area: Area, task: LineTask, angle_deg: float, detours: Detours | None = None) -> Coverage:
    """Return the coverage with all lines at one angle, over several ways of treating short gaps."""
    area = replace(area, forbidden=shut_gaps(area.forbidden))
    detours = detours or detours_around(area.forbidden)
    alone = [replace(area, worked=block.worked, blocks=(block,)) for block in area.blocks]
    return _finished(area, tuple(_best_laid(one, task, angle_deg, detours)[1] for one in alone), task, detours)


def _finished(area: Area, laid: Sequence[Laid], task: LineTask, detours: Detours) -> Coverage:
    """Return lines over all blocks, patched and ordered."""
    whole = [
        patched(one, block, area.forbidden, task.spacing_m, task.ends, task.most_left_frac)
        for one, block in zip(laid, area.blocks, strict=True)
    ]
    return _flown(area, whole, task, detours)


def _flown(area: Area, laid: Sequence[Laid], task: LineTask, detours: Detours) -> Coverage:
    groups = [one.cells for one in laid] if task.in_order else [[cell for one in laid for cell in one.cells]]
    flown = order_cells(groups, task, detours)
    path, owner = assemble(flown, detours)
    largest = max(laid, key=lambda one: sum(len(cell.passes) for cell in one.cells))
    time_s = way_time_s(np.array(path), task) + task.turn_s * max(owner)
    return Coverage(
        largest.angle_deg,
        tuple(path),
        tuple(owner),
        sum(one.rows for one in laid),
        len(flown),
        on_line_m(path, owner),
        time_s,
        sum(one.uncovered_m2 for one in laid) / area.area_m2,
        largest.along_bend,
    )


def _merit(c: Coverage, area: Area, task: LineTask) -> float:
    # What a direction leaves uncovered is charged as if it had to be flown: else it wins by leaving more.
    return c.time_s + c.uncovered_frac * area.area_m2 / (task.spacing_m * task.speed_m_s)


def _rough_merit(laid: Laid, task: LineTask, detours: Detours) -> float:
    time_s = rough_time_s(order_cells([laid.cells], task, detours), task, detours)
    return time_s + laid.uncovered_m2 / (task.spacing_m * task.speed_m_s)


def sweep_directions(area: Area, task: LineTask) -> tuple[DirectionPoint, ...]:
    """Return the time of flying row by row for directions over the half circle.

    An estimate by arrays alone, without cells: it ranks directions and draws the curve.
    """
    return _sweep(area.worked, task)


def _sweep(worked: BaseGeometry, task: LineTask) -> tuple[DirectionPoint, ...]:
    edges = edges_of(worked)
    angles = np.arange(0.0, 180.0, task.step_deg).tolist()
    return tuple(DirectionPoint(angle, _row_time(edges, angle, task)) for angle in angles)


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


def _candidates(worked: BaseGeometry, sweep: Sequence[DirectionPoint], task: LineTask) -> list[float]:
    edges = edges_of(worked)
    pool = [(p.time_s, p.angle_deg) for p in sweep]
    n = len(pool)
    valleys = [p for k, p in enumerate(pool) if p[0] <= pool[k - 1][0] and p[0] <= pool[(k + 1) % n][0]]
    for x1, y1, x2, y2 in _long_edges(worked):
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


def _long_edges(worked: BaseGeometry) -> Floats:
    edges = edges_of(worked.simplify(1.0))
    hull = edges_of(worked.convex_hull)
    edges = np.vstack([edges, hull])
    length = np.hypot(edges[:, 2] - edges[:, 0], edges[:, 3] - edges[:, 1])
    return np.asarray(edges[np.argsort(-length)[:8]])
