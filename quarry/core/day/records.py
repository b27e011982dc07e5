"""What the records of packs are told of a day: its charges and flights, each with the event that it comes from."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from quarry.core.day.events import Event
from quarry.core.day.state import DayState, Frame, begin, fold

_SHORTEST_CHARGE_S = 30.0  # what was taken off sooner was put on by mistake: it tells no rate
_SHORTEST_FLIGHT_S, _LONGEST_FLIGHT_S = 20.0, 4 * 3600.0


@dataclass(frozen=True, slots=True)
class DayCharge:
    """A charge of one pack on a day: from when to when, between which shares, on which charger at which rate."""

    pack: str
    key: str
    at_s: float
    from_frac: float
    to_frac: float
    port: int
    charger: str
    rate: str
    pack_w: float
    charged_s: float | None
    kind: Literal["charge"] = "charge"


@dataclass(frozen=True, slots=True)
class DayFlight:
    """A flight of one pack on a day; ``from_frac`` is None where it would be no more than what was left: a charge was not written down.

    ``lowest_v``: the lowest cell under load that was noted at its landing, of sortie ``flight``.
    """

    pack: str
    key: str
    at_s: float
    flown_s: float
    from_frac: float | None
    to_frac: float
    aircraft: str
    pack_c: float | None
    flight: str = ""
    lowest_v: float | None = None
    kind: Literal["flight"] = "flight"


_LEAST_FALL_FRAC = 0.001  # records are kept to a thousandth


class _Course:
    """The charge of every pack after each event, and the charges that have ended: heard while a day is folded, once."""

    def __init__(self, frame: Frame) -> None:
        self.frame = frame
        self.times: dict[str, list[float]] = {}
        self.fracs: dict[str, list[float]] = {}
        self.charges: list[DayCharge] = []
        self._on: dict[str, Event] = {}

    def start(self, state: DayState) -> None:
        for name, pack in state.packs.items():
            self.times[name], self.fracs[name] = [-math.inf], [pack.frac]

    def hear(self, e: Event, state: DayState) -> None:
        """Note what an event has changed; called with the state after it."""
        name = str(e.get("pack"))
        if e.kind == "on_port" and name in state.packs:
            self._on[name] = e
        elif e.kind == "off_port" and name in self._on:
            self._ended(name, self._on.pop(name), e, state)
        for each, pack in state.packs.items():
            if pack.frac != self.fracs[each][-1]:
                self.times[each].append(e.at_s)
                self.fracs[each].append(pack.frac)

    def before(self, pack: str, at_s: float) -> float:
        """Return the charge of a pack after the last event up to a moment."""
        return self.fracs[pack][bisect_right(self.times[pack], at_s) - 1]

    def _ended(self, name: str, on: Event, off: Event, state: DayState) -> None:
        port = int(on.get("port") or 0)
        mode = self.frame.mode(port, str(on.get("mode") or ""))
        from_frac, to_frac = self.fracs[name][-1], state.packs[name].frac
        if mode is None or from_frac > to_frac:
            return
        length = off.at_s - on.at_s
        self.charges.append(
            DayCharge(
                name,
                off.key,
                off.at_s,
                from_frac,
                to_frac,
                port,
                self.frame.ports()[port - 1][0],
                mode.name,
                mode.pack_w,
                length if length >= _SHORTEST_CHARGE_S else None,
            )
        )


def fold_with_records(frame: Frame, events: Iterable[Event]) -> tuple[DayState, list[DayCharge | DayFlight]]:
    """Return the state of a day, and its charges and flights as the records of their packs are told of them, in order of time.

    The day is folded once, however long it is. What was undone or set aside tells nothing.
    """
    course = _Course(frame)
    course.start(begin(frame))
    state = fold(frame, events, course.hear)
    found: list[DayCharge | DayFlight] = list(course.charges)
    for f in state.flights.values():
        if f.word != "landed" or not _SHORTEST_FLIGHT_S <= f.landing_s - f.takeoff_s <= _LONGEST_FLIGHT_S:
            continue
        for name in frame.members.get(f.set, ()):
            start = course.before(name, f.takeoff_s)
            found.append(
                DayFlight(
                    name,
                    f.key,
                    f.landing_s,
                    f.landing_s - f.takeoff_s,
                    start if start >= f.left_frac + _LEAST_FALL_FRAC else None,
                    f.left_frac,
                    f.aircraft,
                    f.pack_c,
                    f.id,
                    f.lowest_v,
                )
            )
    return state, sorted(found, key=lambda r: r.at_s)
