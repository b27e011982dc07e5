"""What the events of a flown day tell of its times: how long flights, charges and swaps took, and how soon calls were answered."""

from __future__ import annotations

import math
from collections.abc import Iterable

from quarry.core.day.events import Event
from quarry.core.day.state import DayState, Frame, begin, fold
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
        self.ready: dict[str, float] = {s.id: s.from_s for s in frame.task.sets}  # of each set, since when it may fly
        self.free: dict[int, float] = {}  # of each port, since when nothing is on it
        self.landed: dict[str, float] = {}  # of each aircraft
        self.was = {p.name: (p.word, p.since_s, p.frac, p.port, p.mode) for p in begin(frame).packs.values()}

    def hear(self, e: Event, state: DayState) -> None:
        if e.kind == "launched" and str(e.get("flight")) in state.flights:
            self._launched(e, state)
        elif e.kind == "landed" and str(e.get("flight")) in state.flights:
            f = state.flights[str(e.get("flight"))]
            self.landed[f.aircraft] = f.landing_s
        name = str(e.get("pack"))
        if name in state.packs:
            if e.kind == "on_port" and state.packs[name].word == "port":
                self._on(e, state, name)
            elif e.kind == "off_port":
                self._off(e, state, name)
        for p in state.packs.values():
            self.was[p.name] = (p.word, p.since_s, p.frac, p.port, p.mode)

    def _launched(self, e: Event, state: DayState) -> None:
        f = state.flights[str(e.get("flight"))]
        down_s = self.landed.pop(f.aircraft, None)
        ready_s = self._ready_s(f.set, state)
        task = self.frame.task
        if ready_s is None or e.at_s < ready_s:
            return
        opens_s = task.next_window(ready_s, state.sorties[f.id])
        if down_s is not None and max(ready_s, opens_s) <= down_s:
            swap = (e.at_s - down_s) / task.swap_s if task.swap_s > 0 else 0.0
            if 0.0 < swap <= _LONGEST_SWAP:
                self.swaps.append(swap)
        elif down_s is not None and max(ready_s, opens_s) > down_s + 2.0 * task.swap_s:
            self._answered(e.at_s - max(ready_s, opens_s))

    def _ready_s(self, set_id: str, state: DayState) -> float | None:
        members = [state.packs[n] for n in self.frame.members.get(set_id, ())]
        if not members:
            return None
        task = self.frame.task
        charged = max(p.charged_s for p in members)
        return charged + task.rest_after_charge_s if math.isfinite(charged) else self.frame.set_of(members[0].name).from_s

    def _on(self, e: Event, state: DayState, name: str) -> None:
        p = state.packs[name]
        was, since_s, *_ = self.was[name]
        rested_s = since_s + self.frame.task.rest_after_flight_s if was == "rest" and p.landed_s >= p.charged_s else None
        if rested_s is not None and math.isfinite(p.landed_s):
            self._answered(e.at_s - max(p.landed_s + self.frame.task.rest_after_flight_s, self.free.get(p.port, 0.0)))

    def _off(self, e: Event, state: DayState, name: str) -> None:
        was, since_s, frac, port, mode_name = self.was[name]
        if was != "port":
            return
        self.free[port] = e.at_s
        mode = self.frame.mode(port, mode_name)
        if mode is None or state.packs[name].frac < FULL:
            return
        planned_s = duration_s(self.frame.set_of(name), frac, mode)
        took = (e.at_s - since_s) / planned_s if planned_s > _SHORTEST_S else 0.0
        if 0.0 < took <= _LONGEST_CHARGE:
            self.charges.append((name, took))

    def _answered(self, after_s: float) -> None:
        if 0.0 <= after_s <= _LONGEST_ANSWER_S:
            self.answers.append(after_s)
