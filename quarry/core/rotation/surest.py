"""The surest plan of a day: the one of which nine days in ten end first, searched for.

A plan is changed a little at a time: two sets change places from a moment on, a charge goes to another port or rate or waits
for its neighbour, an aircraft of the same crew goes first. Each plan is brought to its first chance and held against the same
thousand days; what ends earlier at P90 is gone on from. At the end other days judge the best against those it came from, so
that nothing wins by the chance of the days that it was searched on.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

import numpy as np

from quarry.core.base.errors import CoreError
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import PlannedCharge, PlannedFlight, Rotation, RotationTask
from quarry.core.rotation.monte_carlo import monte_carlo, stretched
from quarry.core.rotation.reschedule import reschedule_in_order
from quarry.core.rotation.scatter import LearnedScatter, Scatter

_SEARCH_DAYS, _SEARCH_SEED = 1_000, 31
_JUDGE_DAYS, _JUDGE_SEED = 6_000, 5
_LONGER = (0.03, 0.06, 0.1, 0.15)  # days made for longer times keep that much in hand
_RULE = "searched for the surest end"


def surest(
    task: RotationTask,
    plans: Sequence[Rotation],
    scatter: Scatter | LearnedScatter,
    *,
    tries: int = 400,
    seed: int = 3,
    until: Callable[[], bool] | None = None,
) -> Rotation:
    """Return the plan with the earliest P90 that is found; never a later one than any of those given.

    Parameters
    ----------
    plans : sequence of Rotation
        Where the search begins.
    scatter : Scatter or LearnedScatter
        How times spread.
    tries : int
        How many changes are tried.
    until : callable, optional
        Ends the search earlier.
    """
    rng = np.random.default_rng(seed)

    def p90_s(plan: Rotation) -> float:
        return monte_carlo(task, plan, scatter, days=_SEARCH_DAYS, seed=_SEARCH_SEED).p90_s

    starts = [*plans, *_with_slack(task)]
    scored = sorted(((p90_s(p), p) for p in starts), key=lambda x: (x[0], x[1].makespan_s))
    best_s, best = scored[0]
    pool = scored[:3]
    for n in range(tries):
        if until is not None and until():
            break
        # Every fourth change begins at another good plan: one that is stuck does not hold up all.
        source = best if n % 4 else pool[n // 4 % len(pool)][1]
        changed = _one_changed(task, source, rng)
        if changed is None:
            continue
        ends_s = p90_s(changed)
        if (ends_s, changed.makespan_s) < (best_s, best.makespan_s):
            best_s, best = ends_s, replace(changed, rule=_RULE)

    def judged_s(plan: Rotation) -> float:
        return monte_carlo(task, plan, scatter, days=_JUDGE_DAYS, seed=_JUDGE_SEED).p90_s

    return min((*plans, best), key=judged_s)


def _with_slack(task: RotationTask) -> list[Rotation]:
    """Return plans made for a day of longer flights and swaps, brought to this day's times."""
    found = []
    for longer_frac in _LONGER:
        try:
            plan = reschedule_in_order(task, dispatch(stretched(task, longer_frac)))
        except CoreError:
            continue
        if plan is not None:
            found.append(replace(plan, rule=_RULE))
    return found


def _one_changed(task: RotationTask, plan: Rotation, rng: np.random.Generator) -> Rotation | None:
    """Return a plan with one thing changed, at its first chance; None where that cannot be flown."""
    changes = (_sets_changed, _charge_moved, _charges_changed, _flights_changed)
    made = changes[int(rng.integers(len(changes)))](task, plan, rng)
    return None if made is None else reschedule_in_order(task, made)


def _sets_changed(task: RotationTask, plan: Rotation, rng: np.random.Generator) -> Rotation | None:
    """Two sets of one type change places from a moment on."""
    kinds = {s.id: (s.type, s.packs) for s in task.sets}
    one = plan.flights[int(rng.integers(len(plan.flights)))]
    alike = [s for s, kind in kinds.items() if kind == kinds[one.set] and s != one.set]
    if not alike:
        return None
    other = alike[int(rng.integers(len(alike)))]
    whole = {one.set: other, other: one.set}
    only_one = bool(rng.integers(2))

    def from_there(start_s: float) -> bool:
        return start_s >= one.takeoff_s - 1e-6

    flights = [
        replace(f, set=whole[f.set]) if f.set in whole and from_there(f.takeoff_s) and (not only_one or f is one) else f
        for f in plan.flights
    ]
    charges = [c if only_one else _of(c, whole, from_there(c.start_s) and c not in task.begun) for c in plan.charges]
    return replace(plan, flights=tuple(flights), charges=tuple(charges))


def _of(c: PlannedCharge, names: dict[str, str], change: bool) -> PlannedCharge:
    return replace(c, set=names[c.set]) if change and c.set in names else c


def _charge_moved(task: RotationTask, plan: Rotation, rng: np.random.Generator) -> Rotation | None:
    """A charge goes to another port or to another rate."""
    free = _free(task, plan)
    if not free:
        return None
    c = free[int(rng.integers(len(free)))]
    ways = [(x.id, p, m.name) for x in task.chargers for p in range(x.ports) for m in x.modes]
    charger, port, mode = ways[int(rng.integers(len(ways)))]
    return _with_charges(plan, {c: replace(c, charger=charger, port=port, mode=mode)})


def _charges_changed(task: RotationTask, plan: Rotation, rng: np.random.Generator) -> Rotation | None:
    """Two charges that follow one another change their turn, and their ports."""
    free = _free(task, plan)
    if len(free) < 2:
        return None
    k = int(rng.integers(len(free) - 1))
    a, b = free[k], free[min(len(free) - 1, k + 1 + int(rng.integers(3)))]
    return _with_charges(
        plan,
        {
            a: replace(a, start_s=b.start_s, charger=b.charger, port=b.port, mode=b.mode),
            b: replace(b, start_s=a.start_s, charger=a.charger, port=a.port, mode=a.mode),
        },
    )


def _flights_changed(_task: RotationTask, plan: Rotation, rng: np.random.Generator) -> Rotation | None:
    """Two flights of different aircraft that follow one another take off in the other order."""
    near = [(a, b) for a, b in zip(plan.flights, plan.flights[1:], strict=False) if a.aircraft != b.aircraft]
    if not near:
        return None
    a, b = near[int(rng.integers(len(near)))]
    times: dict[PlannedFlight, float] = {a: b.takeoff_s, b: a.takeoff_s}
    return replace(plan, flights=tuple(replace(f, takeoff_s=times[f]) if f in times else f for f in plan.flights))


def _free(task: RotationTask, plan: Rotation) -> list[PlannedCharge]:
    return [c for c in plan.charges if c not in task.begun]


def _with_charges(plan: Rotation, new: dict[PlannedCharge, PlannedCharge]) -> Rotation:
    charges: Iterable[PlannedCharge] = (new.get(c, c) for c in plan.charges)
    return replace(plan, charges=tuple(sorted(charges, key=lambda c: c.start_s)))
