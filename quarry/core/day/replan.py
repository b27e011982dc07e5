"""A plan for the rest of a day: the old one at its true times where that still holds, else a new one; and what has changed."""

from __future__ import annotations

from dataclasses import dataclass, replace

from quarry.core.base.errors import CoreError
from quarry.core.day.remainder import remainder
from quarry.core.day.state import DayState, Frame
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.follow import follow
from quarry.core.rotation.model import Rotation, RotationTask

_WORTH_S = 180.0  # a new plan must end so much earlier that a crew is asked to think anew
_PLAYS, _WORK = 24, 560  # fewer plays where there is much to fly: nobody on site waits for a plan


@dataclass(frozen=True, slots=True)
class Replanned:
    """What is left of a day and its plan; ``problem`` says why there is none, ``kept`` whether the old plan still holds."""

    task: RotationTask
    plan: Rotation | None
    kept: bool
    words: str
    problem: str = ""


def replan(
    frame: Frame, state: DayState, before: Rotation, now_s: float, *, plays: int | None = None, anew: bool = True
) -> Replanned:
    """Return the plan from now on, changed as little as can be.

    What is flown or under way stays. The order of the old plan is kept at its true times; a new order is taken where the
    old one no longer holds, or where a new one ends more than three minutes earlier; ``anew=False`` does not look for one
    while the old one holds.
    """
    task = remainder(frame, state, now_s)
    if not task.flights:
        return Replanned(task, _nothing_left(task, before), kept=True, words="")
    old = follow(task, before)
    if old is not None and not anew:
        return Replanned(task, old, kept=True, words=changed(before, old, frame))
    new, problem = None, ""
    try:
        new = dispatch(task, plays=plays or max(8, min(_PLAYS, _WORK // len(task.flights))))
    except CoreError as bad:
        problem = bad.message
    if old is not None and (new is None or new.makespan_s > old.makespan_s - _WORTH_S):
        return Replanned(task, old, kept=True, words=changed(before, old, frame))
    if new is None:
        return Replanned(task, None, kept=False, words="", problem=problem)
    return Replanned(task, new, kept=False, words=changed(before, new, frame))


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
