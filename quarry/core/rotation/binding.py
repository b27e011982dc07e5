"""Why a day has no schedule: each constraint is relaxed in turn, and what then fits tells the smallest change that would do."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial

from quarry.core.base.errors import Infeasible
from quarry.core.rotation.model import FULL, Flight, PackSet, RotationTask, Windows

_MOST_ADDED = 6
_ROUND_S = 300.0
_SAME_END_S = 1.0


@dataclass(frozen=True, slots=True)
class Change:
    """One change that alone makes a day fit; ``kind`` is what was relaxed for it."""

    kind: str
    words: str


def why_infeasible(task: RotationTask, last_landing: Callable[[RotationTask], float | None]) -> Infeasible:
    """Return the error of a day without a schedule: what binds it, and the smallest change of each kind that would do.

    Parameters
    ----------
    task : RotationTask
        A task that `check_task` passes and that has no schedule.
    last_landing : callable
        The last landing of a schedule of a task, or None if it has none. [s]
    """
    changes = list(_changes(task, last_landing))
    if not changes:
        fit = _most_that_fit(task, last_landing)
        some = f"{fit} of {len(task.flights)} sorties fit" if fit else "no sortie fits"
        return Infeasible(
            f"No schedule was found, and no single change would give one: {some}. Take jobs out, or change several things at once.",
            "jobs",
        )
    if len(changes) == 1:
        only = changes[0]
        return Infeasible(
            f"No schedule was found. What stands in the way: {_BINDS[only.kind]}. It would fit: {only.words}.", _field(only)
        )
    each = "; ".join(c.words for c in changes)
    return Infeasible(f"No schedule was found. Any one of these would do: {each}.", _field(changes[0]))


_BINDS = {
    "windows": "the hours of the day",
    "weather": "the limits, which leave too little of the day",
    "packs": "the packs",
    "chargers": "the ports",
    "supply": "the supply",
    "starts": "the charge that the packs come with",
}


def _field(change: Change) -> str:
    return {"weather": "windows", "starts": "packs"}.get(change.kind, change.kind)


def _changes(task: RotationTask, last_landing: Callable[[RotationTask], float | None]) -> Iterator[Change]:
    by_weather = last_landing(replace(task, flights=tuple(replace(f, windows=None) for f in task.flights)))
    if any(f.windows is not None for f in task.flights) and by_weather is not None:
        yield Change(
            "weather",
            f"without limits (last landing {by_weather / 3600.0:.1f} h after the opening): choose another date or other hours",
        )
    closes = task.windows[-1][1] if task.windows else math.inf
    end = last_landing(_open_ended(task, closes)) if math.isfinite(closes) else None
    if end is not None and end > closes:
        later = math.ceil((end - closes) / _ROUND_S) * _ROUND_S / 60.0
        limits = " (where the limits hold so long)" if any(f.windows is not None for f in task.flights) else ""
        yield Change("windows", f"end the day {later:.0f} min later{limits}")
    kinds = sorted({c.type for c in task.aircraft if any(f.aircraft == c.id for f in task.flights)})
    for kind in kinds:
        more = _fewest(partial(_fits_with_sets, task, last_landing, kind))
        if more is not None:
            members = next(s.packs for s in task.sets if s.type == kind)
            what = ("pack" if members == 1 else f"set of {members}") if len(kinds) == 1 else _of_kind(task, kind, members)
            yield Change("packs", f"{more} more full {what}{'s' if more > 1 and members == 1 else ''}")
    if task.crews and last_landing(replace(task, crews=())) is not None:
        yield Change("crews", "people of its own for each aircraft")
    starts = tuple(replace(s, start_frac=1.0, fracs=(1.0,) * s.packs) for s in task.sets)
    if any(s.start_frac < FULL for s in task.sets) and last_landing(replace(task, sets=starts)) is not None:
        yield Change("starts", "charge the packs before the day")
    ports = _fewest(lambda n: last_landing(_with_ports(task, n)) is not None) if task.chargers else None
    if ports is not None:
        yield Change("chargers", f"{ports} more port{'s' if ports > 1 else ''}")
    if (task.site_power_w is not None or task.dips) and last_landing(replace(task, site_power_w=None, dips=())) is not None:
        yield Change("supply", "a larger supply")


def _of_kind(task: RotationTask, kind: str, members: int) -> str:
    flown = ", ".join(c.id for c in task.aircraft if c.type == kind)
    return f"{'pack' if members == 1 else f'set of {members}'} for {flown}" if len(flown) <= 12 else "set for another aircraft"


def _fewest(fits: Callable[[int], bool]) -> int | None:
    """Return the least number of something added with which it fits; None where even the most does not help."""
    if not fits(_MOST_ADDED):
        return None
    return next(n for n in range(1, _MOST_ADDED + 1) if n == _MOST_ADDED or fits(n))


def _open_ended(task: RotationTask, closes_s: float) -> RotationTask:
    def longer(windows: Windows | None) -> Windows | None:
        if not windows or abs(windows[-1][1] - closes_s) > _SAME_END_S:
            return windows
        return (*windows[:-1], (windows[-1][0], math.inf))

    flights = tuple(replace(f, windows=longer(f.windows)) for f in task.flights)
    return replace(task, windows=longer(task.windows), flights=flights)


def _with_sets(task: RotationTask, kind: str, count: int) -> RotationTask:
    like = next(s for s in task.sets if s.type == kind)
    added = tuple(_fresh(like, n) for n in range(count))
    flights = tuple(_any_of(f, added) for f in task.flights)
    return replace(task, sets=(*task.sets, *added), flights=flights)


def _fits_with_sets(task: RotationTask, last_landing: Callable[[RotationTask], float | None], kind: str, count: int) -> bool:
    return last_landing(_with_sets(task, kind, count)) is not None


def _fresh(like: PackSet, n: int) -> PackSet:
    return replace(like, id=f"another {n}", start_frac=1.0, fracs=(1.0,) * like.packs, from_s=0.0)


def _any_of(f: Flight, added: tuple[PackSet, ...]) -> Flight:
    return f if f.only is None else replace(f, only=(*f.only, *(s.id for s in added)))


def _with_ports(task: RotationTask, count: int) -> RotationTask:
    first = max(task.chargers, key=lambda c: c.ports)
    return replace(task, chargers=tuple(replace(c, ports=c.ports + count) if c is first else c for c in task.chargers))


def _most_that_fit(task: RotationTask, last_landing: Callable[[RotationTask], float | None]) -> int:
    """Return how many of the first sorties fit; each more is held against the day."""
    low, high = 0, len(task.flights) - 1
    while low < high:
        middle = (low + high + 1) // 2
        flights = task.flights[:middle]
        flown = {f.aircraft for f in flights}
        part = replace(task, flights=flights, aircraft=tuple(c for c in task.aircraft if c.id in flown))
        low, high = (middle, high) if last_landing(part) is not None else (low, middle - 1)
    return low
