"""What people fix in a day, and how the task of the day takes it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from quarry.core.base.errors import CoreError, MissingInput
from quarry.core.dayplan.hours import clock_of
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import FULL, Charger, Flight, Mode, RotationTask

PinKind = Literal["set", "takeoff", "port", "charge", "supply"]
KINDS: tuple[PinKind, ...] = ("set", "takeoff", "port", "charge", "supply")
_QUICK_PLAYS = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class Pin:
    """Something that a person has fixed; times are as in `DayHours`, None where none was entered.

    ``clocks``: these times as a clock shows them, where they were entered so.
    """

    kind: PinKind
    flight: str = ""
    set: str = ""
    port: int = 0
    from_s: float | None = None
    to_s: float | None = None
    clocks: tuple[str, str] | None = None

    @property
    def words(self) -> str:
        """The pin in words."""
        begins, ends = self.clocks or (clock_of(t) if t is not None else "" for t in (self.from_s, self.to_s))
        if self.kind == "set":
            return f"{self.flight} flies on {self.set}"
        if self.kind == "takeoff":
            return f"{self.flight} not before {begins}"
        if self.kind == "charge":
            return f"{self.set} on charge at {begins}"
        if self.kind == "supply":
            return f"no power {begins} to {ends}"
        return f"port {self.port} closed {begins} to {ends}"


def check_pins(pins: Sequence[Pin]) -> None:
    """Raise `MissingInput` at the pin that cannot be."""
    for k, pin in enumerate(pins):
        where = f"pins.{k}"
        if pin.kind not in KINDS:
            raise MissingInput(f"A pin is one of {', '.join(KINDS)}.", where)
        if pin.kind in ("set", "takeoff") and not pin.flight:
            raise MissingInput("Choose the sortie that is fixed.", where)
        if pin.kind in ("set", "charge") and not pin.set:
            raise MissingInput("Choose the pack that is fixed.", where)
        if pin.kind in ("takeoff", "charge") and pin.from_s is None:
            raise MissingInput("Enter the time.", where)
        if pin.kind in ("port", "supply") and (pin.from_s is None or pin.to_s is None or pin.to_s <= pin.from_s):
            raise MissingInput("Enter from when to when it is not to be used.", where)


def apply_pins(task: RotationTask, pins: Sequence[Pin], opens_s: float) -> RotationTask:
    """Return the task with everything that is fixed; pins on what is not in the day are left out."""
    for pin in pins:
        a, b = (pin.from_s or 0.0) - opens_s, (pin.to_s or 0.0) - opens_s
        if pin.kind == "set" and any(s.id == pin.set for s in task.sets):
            task = _flights(task, pin.flight, lambda f, p=pin: replace(f, only=(p.set,)))  # type: ignore[misc]
        elif pin.kind == "takeoff":
            task = _flights(task, pin.flight, lambda f, t=a, task=task: replace(f, windows=_from(f, task, t)))  # type: ignore[misc]
        elif pin.kind == "port":
            task = _close(task, pin.port, a, b)
        elif pin.kind == "supply" and task.site_power_w is not None:
            task = replace(task, dips=(*task.dips, (max(0.0, a), b, 0.0)))
        elif pin.kind == "charge":
            sets = tuple(
                replace(s, from_s=max(s.from_s, a), first=True) if s.id == pin.set and s.start_frac < FULL else s
                for s in task.sets
            )
            task = replace(task, sets=sets)
    return task


def _flights(task: RotationTask, name: str, change: Callable[[Flight], Flight]) -> RotationTask:
    return replace(task, flights=tuple(change(f) if f.id == name else f for f in task.flights))


def _from(flight: Flight, task: RotationTask, at_s: float) -> tuple[tuple[float, float], ...]:
    spans = flight.windows if flight.windows is not None else task.windows or ((0.0, 1e7),)
    return tuple((max(a, at_s), b) for a, b in spans if b > max(a, at_s))


def _close(task: RotationTask, number: int, from_s: float, to_s: float) -> RotationTask:
    """Close a port by its number through all chargers of the day, counted from one."""
    out: list[Charger] = []
    at = 0
    for c in task.chargers:
        port = number - at - 1
        out.append(replace(c, closed=(*c.closed, (port, max(0.0, from_s), to_s))) if 0 <= port < c.ports else c)
        at += c.ports
    return replace(task, chargers=tuple(out))


def gentlest(task: RotationTask) -> RotationTask:
    """Return the task with each charger at its gentlest rate alone."""

    def least(c: Charger) -> tuple[Mode, ...]:
        return (min(c.modes, key=lambda m: m.pack_w),) if c.modes else ()

    return replace(task, chargers=tuple(replace(c, modes=least(c)) for c in task.chargers))


def hindering(task: RotationTask, pins: Sequence[Pin], opens_s: float, why: CoreError) -> CoreError:
    """Return the error of a day that cannot be planned, naming the one pin without which it could."""
    for k, pin in enumerate(pins):
        try:
            dispatch(apply_pins(task, [p for n, p in enumerate(pins) if n != k], opens_s), plays=_QUICK_PLAYS)
        except CoreError:
            continue
        return type(why)(f"With “{pin.words}” fixed: {why.message} Without it the day can be planned.", f"pins.{k}")
    return why
