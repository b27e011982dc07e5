"""The order of cells and the whole way over them, with ways around ground that must not be flown over."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from quarry.core.flight.wind import held_times_s
from quarry.core.ground.cells import Cell, Pass
from quarry.core.ground.detour import Detours
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.lines import Floats, LineTask
from quarry.core.ground.tour import VARIANTS, best_tour

_LOST_S = 1e9


def order_cells(groups: Sequence[Sequence[Cell]], task: LineTask, detours: Detours) -> list[tuple[Pass, ...]]:
    """Return the passes of each cell as flown, in the best order found; one group of cells after the other."""
    flown: list[tuple[Pass, ...]] = []
    here: Metres | None = task.home
    for k, cells in enumerate(groups):
        home = task.home if k == len(groups) - 1 else None
        ordered = _ordered(cells, task, detours, here, home)
        flown += ordered
        last = ordered[-1][-1][-1][-1]
        here = (float(last[0]), float(last[1]))
    return flown


def _ordered(
    cells: Sequence[Cell], task: LineTask, detours: Detours, here: Metres | None, home: Metres | None
) -> list[tuple[Pass, ...]]:
    ways = [[tuple(cell.flown(v)) for v in range(VARIANTS)] for cell in cells]
    inside = np.array([[_inside_s(way, task, detours) for way in variants] for variants in ways])
    entries = np.array([way[0][0][0] for variants in ways for way in variants])
    exits = np.array([way[-1][-1][-1] for variants in ways for way in variants])
    between = _times_between(exits, entries, task, detours)
    zero = np.zeros(len(entries))
    first = zero if here is None else _times_between(np.array([here]), entries, task, detours)[0]
    last = zero if home is None else _times_between(exits, np.array([home]), task, detours)[:, 0]
    tables = [np.where(np.isfinite(table), table, _LOST_S) for table in (inside, between, first, last)]
    return [ways[cell][variant] for cell, variant in best_tour(*tables)]


def _inside_s(way: tuple[Pass, ...], task: LineTask, detours: Detours) -> float:
    stretches = [s for one in way for s in one]
    d = np.vstack([np.diff(s, axis=0) for s in stretches])
    on_lines = float(held_times_s(d[:, 0], d[:, 1], task.held, task.wind).sum())
    starts = np.array([s[-1] for s in stretches[:-1]]).reshape(-1, 2)
    ends = np.array([s[0] for s in stretches[1:]]).reshape(-1, 2)
    return on_lines + float(_leg_times_s(starts, ends, task, detours).sum()) + task.turn_s * (len(way) - 1)


def _leg_times_s(starts: Floats, ends: Floats, task: LineTask, detours: Detours) -> Floats:
    d = ends - starts
    straight = held_times_s(d[:, 0], d[:, 1], task.held, task.wind)
    if detours.empty:
        return straight
    length = np.hypot(d[:, 0], d[:, 1])
    return np.where(length > 1e-9, straight * detours.estimate_m(starts, ends) / np.maximum(length, 1e-9), 0.0)


def _times_between(starts: Floats, ends: Floats, task: LineTask, detours: Detours) -> Floats:
    d = ends[None] - starts[:, None]
    straight = held_times_s(d[..., 0], d[..., 1], task.held, task.wind)
    if detours.empty:
        return straight
    length = np.hypot(d[..., 0], d[..., 1])
    stretch = detours.lengths_m(starts, ends) / np.maximum(length, 1e-9)
    return np.where(length > 1e-9, straight * stretch, 0.0)


def rough_time_s(flown: Sequence[tuple[Pass, ...]], task: LineTask, detours: Detours) -> float:
    """Return about what `assemble` would take, ways around keep-outs estimated. [s]"""
    passes = tuple(one for way in flown for one in way)
    return _inside_s(passes, task, detours)


def assemble(flown: Sequence[tuple[Pass, ...]], detours: Detours) -> tuple[list[Metres], list[int]]:
    """Return the whole way and, for each of its legs, the number of the line it lies on, −1 on a transit.

    Raises
    ------
    Infeasible
        No way leads around the ground that must not be flown over.
    """
    path: list[Metres] = []
    owner: list[int] = []
    for number, one in enumerate(one for way in flown for one in way):
        for stretch in one:
            places = [(float(x), float(y)) for x, y in stretch]
            if path:
                bends = detours.way(path[-1], places[0])
                path += bends
                owner += [-1] * (len(bends) + 1)
            path += places
            owner += [number] * (len(places) - 1)
    return path, owner


def on_line_m(path: Sequence[Metres], owner: Sequence[int]) -> float:
    """Return the length of all legs on lines. [m]"""
    return sum(float(np.hypot(q[0] - p[0], q[1] - p[1])) for (p, q), line in zip(pairwise(path), owner, strict=True) if line >= 0)
