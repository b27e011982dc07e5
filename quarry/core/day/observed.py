"""What the events of a flown day tell of its times: how long flights, charges and swaps took, and how soon calls were answered."""

from __future__ import annotations

import math
from collections.abc import Iterable
from copy import copy

from quarry.core.day.events import Event
from quarry.core.day.state import DayState, FlightNow, Frame, PackNow, begin, fold, ready_s
from quarry.core.rotation.model import FULL, duration_s
from quarry.core.rotation.scatter import ObservedDay

_LONGEST_CHARGE = 1.5  # times the planned one; longer it lay on its port full
_LONGEST_SWAP = 2.5  # times the planned one; longer was waiting or lunch
_LONGEST_ANSWER_S = 600.0  # later it was left for later
_SHORTEST_S = 60.0


def observed(frame: Frame, events: Iterable[Event]) -> ObservedDay:
    """Return what a day tells of its times; what turned home, was cut short or waited for something else tells nothing."""
    seen = _Seen(frame)
    state = fold(frame, events, seen.hear)
    flights = [
        (f.landing_s - f.takeoff_s) / state.sorties[f.id].flight_s
        for f in state.flights.values()
        if f.word == "landed" and f.done_frac >= 1.0 and not math.isfinite(f.homing_s) and f.landing_s - f.takeoff_s > _SHORTEST_S
    ]
    return ObservedDay(tuple(flights), tuple(seen.charges), tuple(seen.swaps), tuple(seen.answers))


class _Seen:
    """Hears a day while it is folded."""

    def __init__(self, frame: Frame) -> None:
        self.frame = frame
        self.charges: list[tuple[str, float]] = []
        self.swaps: list[float] = []
        self.answers: list[float] = []
        self.free: dict[int, float] = {}  # of each port, since when nothing is on it
        self.off_s = 0.0  # since when the last pack that came off draws nothing
        self.landed: dict[str, float] = {}  # of each aircraft
        self.was = {p.name: copy(p) for p in begin(frame).packs.values()}
        task = frame.task
        self.short_of_power = task.site_power_w is not None or any(c.cap_w is not None for c in task.chargers)

    def hear(self, e: Event, state: DayState) -> None:
        """Note what an event tells; called with the state after it."""
        f = state.flights.get(str(e.get("flight")))
        if e.kind == "launched" and f is not None:
            self._launched(e.at_s, f, state)
        elif e.kind == "landed" and f is not None:
            self.landed[f.aircraft] = f.landing_s
        p = state.packs.get(str(e.get("pack")))
        if e.kind == "on_port" and p is not None and p.word == "port":
            self._on(e.at_s, p)
        elif e.kind == "off_port" and p is not None and self.was[p.name].word == "port":
            self._off(e.at_s, p)
        self.was = {x.name: copy(x) for x in state.packs.values()}

    def _launched(self, at_s: float, f: FlightNow, state: DayState) -> None:
        down_s = self.landed.pop(f.aircraft, None)
        task, members = self.frame.task, [state.packs[n] for n in self.frame.members.get(f.set, ())]
        since_s = ready_s(self.frame, members) if members else math.inf
        if down_s is None or at_s < since_s:
            return
        if (crew := task.crew_of(f.aircraft)) is not None:
            others = (x for x in state.flights.values() if x.aircraft in crew.aircraft and x.aircraft != f.aircraft)
            since_s = max([since_s, *(x.landing_s for x in others if x.word == "landed")])
        could_s = task.next_window(since_s, state.sorties[f.id])
        swap_s = task.swap_of(f.aircraft)
        if could_s > down_s + 2.0 * swap_s:
            self._answered(at_s - could_s)
        elif could_s <= down_s and 0.0 < at_s - down_s <= _LONGEST_SWAP * swap_s:
            self.swaps.append((at_s - down_s) / swap_s)

    def _on(self, at_s: float, p: PackNow) -> None:
        if self.was[p.name].word != "rest" or not math.isfinite(p.landed_s) or p.landed_s < p.charged_s:
            return
        could_s = max(p.landed_s + self.frame.task.rest_after_flight_s, self.free.get(p.port, 0.0))
        # Where power is short it may have been that which was waited for: no earlier than something came off.
        self._answered(at_s - (max(could_s, self.off_s) if self.short_of_power else could_s))

    def _off(self, at_s: float, p: PackNow) -> None:
        was = self.was[p.name]
        self.free[was.port] = self.off_s = at_s
        mode = self.frame.mode(was.port, was.mode)
        if mode is None or p.frac < FULL:
            return
        planned_s = duration_s(self.frame.set_of(p.name), was.frac, mode)
        took = (at_s - was.since_s) / planned_s if planned_s > _SHORTEST_S else 0.0
        if 0.0 < took <= _LONGEST_CHARGE:
            self.charges.append((p.name, took))

    def _answered(self, after_s: float) -> None:
        if 0.0 <= after_s <= _LONGEST_ANSWER_S:
            self.answers.append(after_s)
