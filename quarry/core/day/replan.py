"""A plan for the rest of a day: the old one at its true times where that still holds, else a new one; and what has changed."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from quarry.core.base.errors import CoreError
from quarry.core.day.remainder import remainder
from quarry.core.day.state import DayState, Frame
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import FULL, Rotation, RotationTask, check_task, duration_s
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.reschedule import reschedule_in_order

_SOONER_S = 1.0
_WORTH_S = 180.0  # a new plan must end so much earlier that a crew is asked to think anew
_TRIED = 4
_PLAYS, _WORK = 24, 560  # fewer plays where there is much to fly: nobody on site waits for a plan


@dataclass(frozen=True, slots=True)
class Replanned:
    """What is left of a day and its plan.

    ``kept``: the old plan still holds; ``left_out``: sorties that no longer fit in the hours of the day, which ``problem``
    says in words; without any plan it says why.
    """

    task: RotationTask
    plan: Rotation | None
    kept: bool
    words: str
    problem: str = ""
    left_out: tuple[str, ...] = ()


def replan(
    frame: Frame,
    state: DayState,
    before: Rotation,
    now_s: float,
    *,
    plays: int | None = None,
    anew: bool = True,
    search_s: float = 0.0,
) -> Replanned:
    """Return the plan from now on, changed as little as can be.

    What is flown or under way stays. The order of the old plan is kept at its true times; a new order is taken where the
    old one no longer holds, or where a new one ends more than three minutes earlier; ``anew=False`` does not look for one
    while the old one holds; ``search_s``: a new one is searched for by the solver for so long. Packs found weak today are
    spared where all can be flown nevertheless. Where not all that is left fits in the hours, the plan flies what does.
    """
    if "weak" in state.tested.values():
        spared = _replan(frame, remainder(frame, state, now_s, spare_weak=True), before, plays, anew=anew, search_s=search_s)
        if spared.plan is not None and not spared.left_out:
            return spared
    return _replan(frame, remainder(frame, state, now_s), before, plays, anew=anew, search_s=search_s)


def _to_need(task: RotationTask, before: Rotation) -> RotationTask:
    """Return what is left with charges under way that end at what the plan wants of them, where packs are charged to need."""
    if task.policy != "partial" or not task.begun:
        return task
    sets = {s.id: s for s in task.sets}
    modes = {(c.id, m.name): m for c in task.chargers for m in c.modes}
    found = []
    for c in task.begun:
        meant = [o for o in before.charges if (o.set, o.pack) == (c.set, c.pack) and o.to_frac > c.from_frac]
        to = min(meant, key=lambda o: abs(o.start_s - c.start_s)).to_frac if meant else FULL
        if to >= FULL or c.set not in sets:
            found.append(c)
            continue
        packs, mode = sets[c.set], modes[c.charger, c.mode]
        length = max(1.0, math.ceil(duration_s(packs, c.from_frac, mode) - duration_s(packs, to, mode)))
        found.append(replace(c, to_frac=to, end_s=max(task.now_s, c.start_s + length)))
    return replace(task, begun=tuple(found))


def _replan(frame: Frame, task: RotationTask, before: Rotation, plays: int | None, *, anew: bool, search_s: float) -> Replanned:
    task = _to_need(task, before)
    if not task.flights:
        return Replanned(task, _nothing_left(task, before), kept=True, words="")
    known = {f.flight for f in before.flights}
    out = tuple(f.id for f in task.flights if f.id not in known)
    part = _without(task, out)
    old = reschedule_in_order(part, before) if part.flights else _nothing_left(task, before) if out else None
    if old is not None and not anew:
        return Replanned(task, old, kept=True, words=changed(before, old, frame), problem=_too_late(out), left_out=out)
    new, left, problem = _best(task, plays or max(8, min(_PLAYS, _WORK // len(task.flights))))
    if old is not None and (new is None or len(left) > len(out)):
        new, left = None, out
    if (
        search_s > 0.0
        and (start := min((p for p in (old, new) if p is not None), key=lambda p: p.makespan_s, default=None)) is not None
    ):
        searched = improve(_flown_by(task, start), start, search_s).rotation
        if searched.makespan_s < start.makespan_s - _SOONER_S:
            new, left = searched, out if start is old else left
    if old is not None and (new is None or (left == out and new.makespan_s > old.makespan_s - _WORTH_S)):
        return Replanned(task, old, kept=True, words=changed(before, old, frame), problem=_too_late(out), left_out=out)
    if new is None:
        return Replanned(task, None, kept=False, words="", problem=problem)
    return Replanned(task, new, kept=False, words=changed(before, new, frame), problem=_too_late(left), left_out=left)


def _flown_by(task: RotationTask, plan: Rotation) -> RotationTask:
    """Return what is left without what a plan leaves out."""
    there = {f.flight for f in plan.flights}
    flights = tuple(f for f in task.flights if f.id in there)
    flying = {f.aircraft for f in flights}
    return replace(task, flights=flights, aircraft=tuple(c for c in task.aircraft if c.id in flying))


def _without(task: RotationTask, names: tuple[str, ...]) -> RotationTask:
    return replace(task, flights=tuple(f for f in task.flights if f.id not in names)) if names else task


def _too_late(names: tuple[str, ...]) -> str:
    if not names:
        return ""
    fit, them = ("fits", "it") if len(names) == 1 else ("fit", "them")
    return (
        f"{', '.join(names)} no longer {fit} in the hours or the packs of the day: give more of them, or fly {them} another day"
    )


def _best(task: RotationTask, plays: int) -> tuple[Rotation | None, tuple[str, ...], str]:
    """Return a plan of all that is left or, where that does not fit, of what does; what it leaves out; and why there is none."""
    whole, out = task, _without_packs(task)
    if out:
        task = _without(task, out)
        if not task.flights:
            return _nothing_left(task, Rotation((), (), (), task.now_s, task.now_s, "", "", 0)), out, ""
        flying = {f.aircraft for f in task.flights}
        task = replace(task, aircraft=tuple(c for c in task.aircraft if c.id in flying))
    try:
        return dispatch(task, plays=plays), out, ""
    except CoreError as bad:
        problem = bad.message
    found, left, problem = _part(task, plays, problem)
    return found, tuple(f.id for f in whole.flights if f.id in {*out, *left}), problem


def _without_packs(task: RotationTask) -> tuple[str, ...]:
    """Return the sorties that no set can fly any more: their packs are out of the day, or give too little."""
    found = []
    for f in task.flights:
        try:
            check_task(replace(task, flights=(f,), aircraft=tuple(c for c in task.aircraft if c.id == f.aircraft)))
        except CoreError:
            found.append(f.id)
    return tuple(found)


def _part(task: RotationTask, plays: int, problem: str) -> tuple[Rotation | None, tuple[str, ...], str]:
    """Return a plan of what fits in the hours, what it leaves out, and why there is none."""
    few = max(4, plays // 4)
    try:
        late = dispatch(task.open_ended(), plays=few)
    except CoreError:
        return None, (), problem
    spans = {f.id: f.windows if f.windows is not None else task.windows for f in task.flights}
    fits = tuple(f for f in late.flights if any(a <= f.takeoff_s and f.landing_s <= b for a, b in spans[f.flight] or ()))
    left = tuple(f.id for f in task.flights if f.id not in {x.flight for x in fits})
    # The longer day was planned for its end: what it lets run late is tried again, one sortie after the other.
    found = _fitting(_without(task, left), few) if fits else None
    for name in left[:_TRIED]:
        fewer = tuple(n for n in left if n != name)
        better = _fitting(_without(task, fewer), few)
        if better is not None:
            found, left = better, fewer
    if found is None and fits:
        # As it came out of the longer day: what lands in time stands, with the charges that it needs.
        end = max(f.landing_s for f in fits)
        needed = tuple(c for c in late.charges if any(f.set == c.set and f.takeoff_s >= c.end_s for f in fits) or c in task.begun)
        return replace(late, flights=fits, charges=needed, makespan_s=end, lower_bound_s=task.now_s), left, ""
    return found or _nothing_left(task, late), left, ""


def _fitting(task: RotationTask, plays: int) -> Rotation | None:
    try:
        return dispatch(task, plays=plays)
    except CoreError:
        return None


def _nothing_left(task: RotationTask, before: Rotation) -> Rotation:
    return replace(before, flights=(), charges=task.begun, waits=(), makespan_s=task.now_s, lower_bound_s=task.now_s)


def changed(before: Rotation, after: Rotation, frame: Frame) -> str:
    """Return in one line what a new plan changes: the end, who flies on what, and what charges elsewhere."""
    found: list[str] = []
    late = after.makespan_s - before.makespan_s
    if abs(late) >= 60.0 and after.flights:
        found.append(f"ends {abs(late) / 60:.0f} min {'later' if late > 0 else 'earlier'}")
    was = {f.flight: f for f in before.flights}
    moved = [
        f"{f.flight} flies on {f.set}, not {was[f.flight].set}"
        for f in after.flights
        if f.flight in was and was[f.flight].set != f.set
    ]
    found += moved[:2] + ([f"{len(moved) - 2} more on other packs"] if len(moved) > 2 else [])
    found += [f"{f.flight} is flown too" for f in after.flights if f.flight not in was]
    numbers = {key: n for n, key in enumerate(frame.ports(), start=1)}
    ports = {(c.set, c.pack): (c.charger, c.port) for c in reversed(before.charges)}
    for c in after.charges:
        old = ports.pop((c.set, c.pack), None)
        if old is not None and old != (c.charger, c.port):
            found.append(f"{frame.members[c.set][c.pack]} charges on port {numbers[c.charger, c.port]}, not {numbers[old]}")
            break
    return "; ".join(found)
