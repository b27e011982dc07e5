"""A first plan of a day that is never later than one that is known: of the day before a change, or of a stricter one."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from quarry.core.base.errors import CoreError
from quarry.core.rotation.dispatch import dispatch, settled
from quarry.core.rotation.model import Rotation, RotationTask, check_task, squares
from quarry.core.rotation.optimise import search
from quarry.core.rotation.reschedule import reschedule_in_order
from quarry.core.rotation.validity import holds


def plan_day(
    task: RotationTask,
    known: Iterable[Rotation] = (),
    *,
    plays: int | None = None,
    explain: bool = False,
    solve_s: float = 0.0,
) -> Rotation:
    """Return the best of what the dispatcher finds and of the plans that are known, as they are and at their first chance.

    With the plan in force among the known ones, more sets, ports, power or hours, or shorter rests and swaps, never plan a
    later day: what held then holds now.

    Parameters
    ----------
    known : iterable of Rotation
        Plans of this day or of a stricter one.
    explain : bool
        Where there is none, name the smallest change that would do.
    solve_s : float
        How long a day that the dispatcher cannot fit is tried by the solver before it is refused. [s]

    Raises
    ------
    CoreError
        No plan is found, and none that is known holds.
    """
    found = [p for before in known for p in held(task, before)]
    try:
        found.insert(0, dispatch(task, plays=plays))
    except CoreError:
        solved = fitted(task, solve_s) if solve_s > 0.0 and not found else None
        if solved is not None:
            found = [solved]
        if not found and explain:
            return dispatch(task, plays=plays, explain=True)
        if not found:
            raise
    return min(found, key=lambda p: (p.makespan_s, squares(p)))


def fitted(task: RotationTask, limit_s: float) -> Rotation | None:
    """Return a schedule that the solver fits into the hours of a day, or None where it finds none in the time.

    Raises
    ------
    CoreError
        The day cannot be done whatever the schedule; see `check_task`.
    """
    check_task(task)
    ends = [f.windows[-1][1] for f in task.flights if f.windows] + ([task.windows[-1][1]] if task.windows else [])
    if not ends:
        return None
    try:
        first = dispatch(task.open_ended(), plays=12)
    except CoreError:
        return None
    # What runs late is a hint of the order; the hours bound the model.
    found = search(task, replace(first, makespan_s=max(ends)), limit_s)
    return found if found is not None and holds(task, found) else None


def held(task: RotationTask, before: Rotation) -> list[Rotation]:
    """Return what becomes of a plan under a changed day: in its order at its first chance, and as it stands where it holds."""
    sets, ports = {s.id for s in task.sets}, {c.id for c in task.chargers}
    if any(f.set not in sets for f in before.flights):
        return []
    found = []
    if all(c.charger in ports for c in before.charges):
        moved = reschedule_in_order(task, before)
        found = [moved] if moved is not None and holds(task, moved) else []
    if holds(task, before):
        found.append(settled(task, before.flights, before.charges, before.rule, before.tried))
    return found
