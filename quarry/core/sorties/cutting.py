"""The dynamic programme that cuts a route into sorties.

A sortie from station a to station b takes: fixed time + way from home to a + route a to b + way
from b home. The route itself costs the same however it is cut, so what counts at a break is
c = way home + way back out. Layer k holds the least sum of c over all cuts into k sorties that
reach each station; the first layer to reach the end has the fewest sorties. Exact on the stations. Where legs
differ in power, energy decides what fits and time what is best; sorties may have different amounts to spend.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import Infeasible

Floats = NDArray[np.float64]
Indices = NDArray[np.int64]
_BLOCK = 128
_MOST_SORTIES = 500


@dataclass(frozen=True, slots=True)
class Spend:
    """What a sortie uses up along the route, shape (n,) each, and what it may: energy where power differs by leg.

    ``elapsed``: from the first station, ``out`` and ``home``: the ways, ``fixed``: take-off and landing. ``usable``:
    one value for each sortie in order, repeated from the start when there are more sorties.
    """

    elapsed: Floats
    out: Floats
    home: Floats
    fixed: float
    usable: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class CutProblem:
    """Arrays over stations, shape (n,), and the limits of one sortie.

    ``out_s``, ``home_s``: way from home to a station and back. ``start``: for each station the
    station from which a sortie resumes when the one before broke there (itself without overlap).
    ``worked_m`` with ``most_worked_m`` bounds the line flown on one tank. ``usable_s`` bounds the time of a sortie;
    with ``spend`` that stands beside it.
    """

    elapsed_s: Floats
    out_s: Floats
    home_s: Floats
    start: Indices
    worked_m: Floats
    fixed_s: float
    usable_s: float
    most_worked_m: float
    spend: Spend | None = None


@dataclass(frozen=True, slots=True)
class Cut:
    """Break stations from first to last, and the time of each sortie. [s]"""

    breaks: tuple[int, ...]
    times_s: tuple[float, ...]


def cut_route(problem: CutProblem) -> Cut:
    """Return the cut with the fewest sorties and, among these, the least total time.

    Raises
    ------
    Infeasible
        Some station cannot be worked and left within one sortie; ``station`` tells which.
    """
    p = problem
    n = len(p.elapsed_s)
    times = Spend(p.elapsed_s, p.out_s, p.home_s, p.fixed_s, (p.usable_s,))
    main = p.spend or times
    leave = main.out[p.start] - main.elapsed[p.start]  # what a sortie beginning at a station brings with it
    used = main.fixed + main.elapsed + main.home  # what one ending at a station takes off what it may use
    resume_cost = p.out_s[p.start] + (p.elapsed_s - p.elapsed_s[p.start])
    begun_m = p.worked_m[p.start]
    beside = _Beside(p.out_s[p.start] - p.elapsed_s[p.start], p.usable_s - p.fixed_s - p.elapsed_s - p.home_s)
    also = beside if p.spend is not None and np.isfinite(p.usable_s) else None
    cost = np.full(n, np.inf)
    cost[0] = p.out_s[0]
    layers: list[Indices] = []
    ever = np.zeros(n, dtype=np.bool_)
    while True:
        starts = np.flatnonzero(np.isfinite(cost))
        arrive = main.usable[len(layers) % len(main.usable)] - used
        new, origin = _layer(starts, cost, leave, arrive, begun_m, p.worked_m, p.most_worked_m, also)
        layers.append(origin)
        reached = np.isfinite(new)
        if reached[-1]:
            break
        if not (reached & ~ever).any():
            raise StationOutOfReach(int(np.flatnonzero(ever)[-1]) if ever.any() else 0)
        ever |= reached
        if len(layers) >= _MOST_SORTIES:
            raise Infeasible(
                f"The job would take more than {_MOST_SORTIES} sorties. Use stronger packs or a larger tank, or move home nearer.",
                "pack",
            )
        cost = new + p.home_s + resume_cost
    breaks = [n - 1]
    for origin in reversed(layers):
        breaks.append(int(origin[breaks[-1]]))
    breaks.reverse()
    out = p.out_s[p.start] - p.elapsed_s[p.start]
    lengths = tuple(float(p.fixed_s + out[a] + p.elapsed_s[b] + p.home_s[b]) for a, b in zip(breaks, breaks[1:], strict=False))
    return Cut(tuple(breaks), lengths)


@dataclass(frozen=True, slots=True)
class _Beside:
    """A second bound that each pair of stations must meet: leave[a] <= arrive[b]."""

    leave: Floats
    arrive: Floats


class StationOutOfReach(Infeasible):
    """No sortie gets past a station."""

    def __init__(self, station: int) -> None:
        super().__init__("Part of the route lies beyond what one sortie can do.", "pack")
        self.station = station


def _layer(
    starts: Indices,
    cost: Floats,
    leave: Floats,
    arrive: Floats,
    begun_m: Floats,
    worked_m: Floats,
    most_worked_m: float,
    also: _Beside | None,
) -> tuple[Floats, Indices]:
    """Return, for every station, the least cost of arriving there from a start, and that start.

    Start a serves station b > a if leave[a] <= arrive[b] and worked[b] − begun[a] fits the tank.
    Stations are taken in blocks: starts before the block lie sorted by ``leave`` with a running
    minimum, starts inside it are compared pair by pair.
    """
    n = len(cost)
    best = np.full(n, np.inf)
    origin = np.full(n, -1, dtype=np.int64)
    slack_ahead = np.maximum.accumulate(arrive[::-1])[::-1]
    pool = np.empty(0, dtype=np.int64)  # starts before the block, sorted by leave
    tol = 1e-6
    bounded = bool(np.isfinite(most_worked_m))
    at = 0
    first = int(starts[0]) + 1
    for block in range(first, n, _BLOCK):
        stop = min(block + _BLOCK, n)
        upto = int(np.searchsorted(starts, block))
        fresh = starts[at:upto]
        at = upto
        if fresh.size:
            fresh = fresh[np.argsort(leave[fresh], kind="stable")]
            pool = np.insert(pool, np.searchsorted(leave[pool], leave[fresh], side="right"), fresh)
        pool = pool[leave[pool] <= slack_ahead[block] + tol]
        pool = pool[worked_m[block] - begun_m[pool] <= most_worked_m + tol]
        inner_from = starts[at : int(np.searchsorted(starts, stop))]
        if pool.size == 0 and inner_from.size == 0:
            if at >= starts.size:
                break
            continue
        b = np.arange(block, stop)
        edge = worked_m[stop - 1] - begun_m[pool] > most_worked_m + tol
        if also is not None:
            edge[:] = True
        steady, rim = pool[~edge], pool[edge]
        if steady.size:
            running = np.minimum.accumulate(cost[steady])
            holder = np.maximum.accumulate(np.where(cost[steady] == running, np.arange(steady.size), 0))
            rank = np.searchsorted(leave[steady], arrive[b] + tol, side="right") - 1
            ok = rank >= 0
            best[b[ok]] = running[rank[ok]]
            origin[b[ok]] = steady[holder[rank[ok]]]
        pairs = np.concatenate([rim, inner_from])
        if pairs.size:
            fits = (leave[pairs][:, None] <= arrive[b][None] + tol) & (pairs[:, None] < b[None])
            if bounded:
                fits &= worked_m[b][None] - begun_m[pairs][:, None] <= most_worked_m + tol
            if also is not None:
                fits &= also.leave[pairs][:, None] <= also.arrive[b][None] + tol
            table = np.where(fits, cost[pairs][:, None], np.inf)
            choice = np.argmin(table, axis=0)
            value = table[choice, np.arange(b.size)]
            better = value < best[b]
            best[b[better]] = value[better]
            origin[b[better]] = pairs[choice[better]]
    return best, origin
