"""A rehearsed day played: from one thing that happens to the next, each at its own time."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from quarry.core.day.calls import DayCall, calls_from
from quarry.core.day.debrief import Debrief, debrief
from quarry.core.day.events import Event
from quarry.core.day.rehearsal import World
from quarry.core.day.replan import Replanned, replan
from quarry.core.day.state import DayState, Frame, fold
from quarry.core.day.triggers import turns_over
from quarry.core.rotation.model import Rotation

_LOOK_AGAIN_S = 30.0  # where nobody does anything the plan is looked at again after this: what is overdue moves


@dataclass(frozen=True, slots=True)
class Rehearsed:
    """A rehearsed day: all that happened, how it ended, and each time the plan changed as (when, words)."""

    events: tuple[Event, ...]
    state: DayState
    debrief: Debrief
    changes: tuple[tuple[float, str], ...]


def rehearse(
    frame: Frame,
    plan: Rotation,
    world: World,
    turn_backs_s: dict[str, float],
    *,
    until_s: float = 24 * 3600.0,
    adapt: bool = True,
) -> Rehearsed:
    """Return a day played from its opening to its last landing, every call answered by the simulated crew.

    ``adapt``: whether the plan is made anew when something happens that may turn it over, as on a flown day.
    """
    events: list[Event] = []
    changes: list[tuple[float, str]] = []
    state = fold(frame, events)
    current, now = plan, 0.0
    replanned = replan(frame, state, current, now, anew=False)
    while now <= until_s:
        calls = calls_from(frame, state, replanned.task, replanned.plan, now, turn_backs_s)
        new = world.step(state, calls, now)
        if new:
            events += new
            state = fold(frame, events)
        if _over(state) or (not new and _nothing_more(state, replanned)):
            break
        if new:
            replanned = replan(frame, state, current, now, anew=adapt and any(turns_over(e.kind) for e in new))
            if replanned.plan is not None and not replanned.kept:
                changes.append((now, replanned.words))
        else:
            later, now = now, _next_s(world, state, calls, now)
            if any(c.at_s <= now for c in calls if c.at_s > later) or not math.isfinite(world.next_s(state, calls, later)):
                replanned = replan(frame, state, current, now, anew=False)
        current = replanned.plan or current
    return Rehearsed(tuple(events), state, debrief(frame, state, plan), tuple(changes))


def play_on(
    frame: Frame,
    current: Rotation,
    world: World,
    happened: Sequence[Event],
    now_s: float,
    turn_backs_s: dict[str, float],
    *,
    air_c: float | None = None,
    by_hand: bool = False,
) -> tuple[list[Event], tuple[DayCall, ...]]:
    """Return (what happens in a rehearsal from its last event up to now, the calls it was answered by).

    It ends with the first thing that may turn the plan over: what follows is to be played under the plan made then.
    """
    events, found = list(happened), list[Event]()
    state = fold(frame, events)
    at = min(now_s, state.last_s)
    while True:
        replanned = replan(frame, state, current, at, anew=False)
        calls = calls_from(frame, state, replanned.task, replanned.plan, at, turn_backs_s, air_c)
        new = world.step(state, calls, at, by_hand=by_hand)
        if new:
            found += new
            events += new
            state = fold(frame, events)
            if any(turns_over(e.kind) for e in new):
                return found, calls
            continue
        at = _next_s(world, state, calls, at, by_hand=by_hand)
        if at > now_s:
            return found, calls


def _next_s(world: World, state: DayState, calls: tuple[DayCall, ...], now_s: float, *, by_hand: bool = False) -> float:
    later = world.next_s(state, calls, now_s, by_hand=by_hand)
    return later if now_s < later < math.inf else now_s + _LOOK_AGAIN_S


def _nothing_more(state: DayState, had: Replanned) -> bool:
    flying = any(f.word == "airborne" for f in state.flights.values())
    return not flying and had.plan is not None and not had.plan.flights


def _over(state: DayState) -> bool:
    return all(f.word in ("landed", "lost", "dropped") for f in state.flights.values())
