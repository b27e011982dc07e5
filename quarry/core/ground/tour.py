"""The order in which cells are flown, and how each is entered.

Nearest neighbour from several starts, then moves of one cell with any of its four variants, then
the best variants for the order found (exact, by dynamic programme).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
VARIANTS = 4
_Tables = tuple[Floats, Floats, Floats]  # step, begin, finish, by 4·cell + variant


def best_tour(inside_s: Floats, between_s: Floats, first_s: Floats, last_s: Floats) -> list[tuple[int, int]]:
    """Return (cell, variant) in the order to be flown.

    Parameters
    ----------
    inside_s : array, shape (n, 4)
        Time to fly each cell in each variant.
    between_s : array, shape (4n, 4n)
        Time from the exit of one cell and variant to the entry of another, index 4·cell + variant.
    first_s, last_s : arrays, shape (4n,)
        Time from home to an entry, and from an exit to home; zeros if home does not matter.
    """
    n = len(inside_s)
    if n == 1:
        cost = inside_s[0] + first_s[:VARIANTS] + last_s[:VARIANTS]
        return [(0, int(np.argmin(cost)))]
    node = inside_s.reshape(-1)
    step = (between_s + node[None, :]).tolist()
    begin, finish = (first_s + node).tolist(), last_s.tolist()
    starts = np.argsort(first_s + node, kind="stable")[: min(4 * n, 12)].tolist()
    tours = sorted((_nearest(step, begin, finish, s, n) for s in starts), key=lambda t: t[0])
    tables = (np.asarray(step), np.asarray(begin), np.asarray(finish))
    best = min((_improve(order, tables, n) for _, order in tours[:3]), key=lambda t: t[0])
    order = _best_variants(best[1], *tables)
    return [(k // VARIANTS, k % VARIANTS) for k in order]


def _total(order: list[int], step: list[list[float]], begin: list[float], finish: list[float]) -> float:
    return begin[order[0]] + sum(step[a][b] for a, b in zip(order, order[1:], strict=False)) + finish[order[-1]]


def _nearest(step: list[list[float]], begin: list[float], finish: list[float], start: int, n: int) -> tuple[float, list[int]]:
    order, left = [start], set(range(n)) - {start // VARIANTS}
    while left:
        row = step[order[-1]]
        best = min((row[VARIANTS * c + v], VARIANTS * c + v) for c in left for v in range(VARIANTS))[1]
        order.append(best)
        left.discard(best // VARIANTS)
    return _total(order, step, begin, finish), order


def _improve(order: list[int], tables: _Tables, n: int) -> tuple[float, list[int]]:
    """Move single cells, then runs of two or three, while that shortens the tour."""
    step, begin, finish = tables
    way = np.array(order)
    cost = float(begin[way[0]] + step[way[:-1], way[1:]].sum() + finish[way[-1]])
    rounds = 40 if n <= 40 else 8
    for _ in range(rounds):
        before = cost
        for length in (1, 2, 3):
            for i in range(len(order) - length + 1):
                cost, order = _move_run(order, i, length, cost, tables)
        if cost > before - 1e-6:
            break
    return cost, order


def _move_run(order: list[int], i: int, length: int, cost: float, tables: _Tables) -> tuple[float, list[int]]:
    run, rest = order[i : i + length], order[:i] + order[i + length :]
    if not rest:
        return cost, order
    runs = [run, [_reverse(k) for k in reversed(run)]]
    if length == 1:
        c = run[0] // VARIANTS
        runs = [[VARIANTS * c + v] for v in range(VARIANTS)]
    step, begin, finish = tables
    stay = np.array(rest)
    # What each place costs as the order stands: before the first, between two, after the last.
    closed = np.concatenate(([begin[stay[0]]], step[stay[:-1], stay[1:]], [finish[stay[-1]]]))
    open_cost = float(closed.sum())
    best: tuple[float, int, list[int]] | None = None
    for new in runs:
        head, tail = new[0], new[-1]
        inner = float(step[new[:-1], new[1:]].sum())
        into = np.concatenate(([begin[head]], step[stay, head]))
        out = np.concatenate((step[tail, stay], [finish[tail]]))
        change = into + out - closed
        at = int(np.argmin(change))
        total = open_cost + inner + float(change[at])
        if total < cost - 1e-6 and (best is None or total < best[0]):
            best = (total, at, new)
    if best is None:
        return cost, order
    return best[0], rest[: best[1]] + best[2] + rest[best[1] :]


def _reverse(k: int) -> int:
    # Any of the four variants is admissible; flipping the end it starts from is the natural mirror.
    return k ^ 1


def _best_variants(order: list[int], step: Floats, begin: Floats, finish: Floats) -> list[int]:
    cells = [k // VARIANTS for k in order]
    ids = [np.arange(VARIANTS * c, VARIANTS * c + VARIANTS) for c in cells]
    cost = begin[ids[0]]
    back: list[NDArray[np.intp]] = []
    for a, b in zip(ids, ids[1:], strict=False):
        options = cost[:, None] + step[np.ix_(a, b)]
        back.append(np.argmin(options, axis=0))
        cost = options.min(axis=0)
    at = int(np.argmin(cost + finish[ids[-1]]))
    chosen = [at]
    for choice in reversed(back):
        chosen.append(int(choice[chosen[-1]]))
    return [int(i[v]) for i, v in zip(ids, reversed(chosen), strict=True)]
