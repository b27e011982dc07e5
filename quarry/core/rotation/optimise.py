"""The best rotation: a day played by rule for a while, then a constraint model of the whole of it, started from what was found.

What the solver proves is a bound on the last landing of every schedule in whole seconds. Once the last landing stands, what
is left of the time makes a plan that ends as early wear packs less.
"""

from __future__ import annotations

import threading
from dataclasses import replace

from quarry.core.base.errors import CoreError
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.full import FullModel
from quarry.core.rotation.integer_seconds import fits, kinds, pools
from quarry.core.rotation.model import Rotation, RotationTask
from quarry.core.rotation.partial import PartialModel
from quarry.core.rotation.patience import Patience
from quarry.core.rotation.reschedule import reschedule_in_order
from quarry.core.rotation.solver import Better, Improved, Stopper
from quarry.core.rotation.wear import least_wear, wear

_PLAYED = 0.1  # share of the time for plays by rule before the solver begins
_SEED = 23  # other plays than those that the first schedule is the best of
_SMALL = 50  # sorties up to which the solver has most of the time; from twice as many on plays by rule have all of it
_MOST_CHOICES = 12_000  # a larger model is not even read in the time
_SQUEEZE = 0.1  # share of the time kept for gentler rates and more even use once the last landing stands


def improve(
    task: RotationTask,
    first: Rotation,
    limit_s: float,
    *,
    workers: int = 2,
    on_stop: Stopper | None = None,
    on_better: Better | None = None,
    enough_s: float | None = None,
) -> Improved:
    """Return the best schedule found in the time, never later than the first.

    Parameters
    ----------
    task : RotationTask
        The day.
    first : Rotation
        A valid schedule to start from.
    limit_s : float
        Seconds to search.
    on_stop : callable, optional
        Is given a function that ends the search early, callable from another thread.
    on_better : callable, optional
        Is told (last landing, bound) whenever a better schedule is found.
    enough_s : float, optional
        End the search once no schedule can end earlier by more than this, and look for no gentler one; by default the
        earliest is searched for, and then the one that wears packs least. [s]
    """
    if first.makespan_s <= first.lower_bound_s + 1e-6 and wear(task, first) <= least_wear(task):
        return Improved(first, first.lower_bound_s, proven=True)
    share = _share_played(task)
    stop = threading.Event()
    if on_stop is not None:
        on_stop(stop.set)
    first = _played(task, first, limit_s * share, stop)
    limit_s *= 1.0 - share
    gap_s = first.makespan_s - first.lower_bound_s
    done = gap_s <= 1e-6 and wear(task, first) <= least_wear(task) if enough_s is None else gap_s <= enough_s
    if share >= 1.0 or stop.is_set() or done:
        return Improved(first, first.lower_bound_s, proven=first.makespan_s <= first.lower_bound_s + 1.0)
    squeeze = _SQUEEZE if enough_s is None else 0.0
    found, bound = _model(task, first).best(limit_s * (1 - squeeze), workers, on_stop, on_better, enough_s or 0.0)
    best = found if found is not None and found.makespan_s < first.makespan_s - 1e-6 else first
    bound = max(min(bound, best.makespan_s), first.lower_bound_s)
    if squeeze and wear(task, best) > least_wear(task):
        kinder = _model(task, best).kindest(limit_s * squeeze, workers, on_stop)
        if kinder is not None and kinder.makespan_s > best.makespan_s + 1e-6:
            kinder = reschedule_in_order(task, kinder)  # whole seconds are forgiven at their true times
        if kinder is not None and kinder.makespan_s <= best.makespan_s + 1e-6 and wear(task, kinder) < wear(task, best):
            best = kinder
    reason = first.bound_reason if bound <= first.lower_bound_s + 1e-6 else "no schedule of this day, searched by a solver"
    best = replace(best, lower_bound_s=bound, bound_reason=reason)
    return Improved(best, bound, best.makespan_s <= bound + 1.0)


def _model(task: RotationTask, first: Rotation) -> FullModel | PartialModel:
    return PartialModel(task, first) if task.policy == "partial" else FullModel(task, first)


def _played(task: RotationTask, first: Rotation, limit_s: float, stop: threading.Event) -> Rotation:
    """Return the better of a schedule and what plays by rule find in the time: what the solver begins with is worth most."""
    try:
        with Patience(limit_s, stop) as over:
            played = dispatch(task, seed=_SEED, until=over)
    except CoreError:
        return first
    return played if played.makespan_s < first.makespan_s - 1e-6 else first


def _share_played(task: RotationTask) -> float:
    """Return for which share of the time a day is played by rule: the larger it is the longer, and the largest for all of it."""
    if _choices(task) > _MOST_CHOICES:
        return 1.0
    return min(1.0, max(_PLAYED, (len(task.flights) - _SMALL) / _SMALL))


def _choices(task: RotationTask) -> int:
    """Return how many intervals a model of the day would choose among: of flights, sets, packs, chargers and rates."""
    types = {c.id: c.type for c in task.aircraft}
    rates = sum(len(p.modes) for p in pools(task))
    return rates * sum(k.one.packs for f in task.flights for k in kinds(task) if k.type == types[f.aircraft] and fits(k, f))


def search(task: RotationTask, hint: Rotation, limit_s: float, *, workers: int = 2) -> Rotation | None:
    """Return a schedule of a day that ends by the last landing of a hint, or None where none is found in the time.

    The hint need not hold: its order is where the search begins.
    """
    return _model(task, hint).best(limit_s, workers, None, None)[0]
