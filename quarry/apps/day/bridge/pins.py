"""What people fix in a day, and the schools it is planned by."""

from __future__ import annotations

from dataclasses import replace
from datetime import time
from typing import Any

from quarry.core.base.errors import CoreError, MissingInput, OutOfRange
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import FULL, Charger, Flight, Mode, RotationTask

SCHOOLS: dict[str, tuple[str, ...]] = {
    "packs": ("full", "need"),  # only full packs fly; charged to what the next sortie needs
    "rates": ("any", "gentle"),  # the slowest that makes nobody wait; never faster than the gentlest
    "aim": ("finish", "sure"),  # the earliest last landing; the earliest that nine days in ten keep
}
KINDS = ("set", "takeoff", "port", "charge", "supply")


def seconds(t: time) -> float:
    """Return seconds since midnight."""
    return t.hour * 3600.0 + t.minute * 60.0 + t.second


def school(schools: dict[str, Any], key: str) -> str:
    """Return a school of a day, the default where none is chosen."""
    value = schools.get(key, SCHOOLS[key][0])
    return value if value in SCHOOLS[key] else SCHOOLS[key][0]


def check_schools(schools: dict[str, Any]) -> None:
    """Raise `CoreError` at a school that is not known."""
    for key, value in schools.items():
        if key not in SCHOOLS or value not in SCHOOLS[key]:
            raise OutOfRange(f"{key} may be one of {', '.join(SCHOOLS.get(key, ('nothing',)))}.", f"schools.{key}")


def _clock(pin: dict[str, Any], key: str, where: str) -> float | None:
    value = pin.get(key) or ""
    if not value:
        return None
    try:
        return seconds(time.fromisoformat(value))
    except ValueError as bad:
        raise MissingInput(f"{value} is not a time of day. Write it as 10:00.", where) from bad


def check_pins(pins: list[dict[str, Any]]) -> None:
    """Raise `CoreError` at the pin that cannot be."""
    for k, pin in enumerate(pins):
        where = f"pins.{k}"
        if pin.get("kind") not in KINDS:
            raise MissingInput(f"A pin is one of {', '.join(KINDS)}.", where)
        a, b = _clock(pin, "from", where), _clock(pin, "to", where)
        if pin["kind"] in ("set", "takeoff") and not pin.get("flight"):
            raise MissingInput("Choose the sortie that is fixed.", where)
        if pin["kind"] in ("set", "charge") and not pin.get("set"):
            raise MissingInput("Choose the pack that is fixed.", where)
        if pin["kind"] in ("takeoff", "charge") and a is None:
            raise MissingInput("Enter the time.", where)
        if pin["kind"] in ("port", "supply") and (a is None or b is None or b <= a):
            raise MissingInput("Enter from when to when it is not to be used.", where)


def pin_words(pin: dict[str, Any]) -> str:
    """Return a pin in words."""
    if pin["kind"] == "set":
        return f"{pin['flight']} flies on {pin['set']}"
    if pin["kind"] == "takeoff":
        return f"{pin['flight']} not before {pin['from']}"
    if pin["kind"] == "charge":
        return f"{pin['set']} on charge at {pin['from']}"
    if pin["kind"] == "supply":
        return f"no power {pin['from']} to {pin['to']}"
    return f"port {pin['port']} closed {pin['from']} to {pin['to']}"


def apply(task: RotationTask, pins: list[dict[str, Any]], opens_s: float) -> RotationTask:
    """Return the task with everything that is fixed; pins on what is not in the day are left out."""
    for pin in pins:
        a, b = ((_clock(pin, k, "pins") or 0.0) - opens_s for k in ("from", "to"))
        if pin["kind"] == "set" and any(s.id == pin["set"] for s in task.sets):
            task = _flights(task, pin["flight"], lambda f, p=pin: replace(f, only=(p["set"],)))
        elif pin["kind"] == "takeoff":
            task = _flights(task, pin["flight"], lambda f, t=a, task=task: replace(f, windows=_from(f, task, t)))
        elif pin["kind"] == "port":
            task = _close(task, int(pin.get("port") or 0), a, b)
        elif pin["kind"] == "supply" and task.site_power_w is not None:
            task = replace(task, dips=(*task.dips, (max(0.0, a), b, 0.0)))
        elif pin["kind"] == "charge":
            sets = tuple(
                replace(s, from_s=max(s.from_s, a), first=True) if s.id == pin["set"] and s.start_frac < FULL else s
                for s in task.sets
            )
            task = replace(task, sets=sets)
    return task


def _flights(task: RotationTask, name: str, change: Any) -> RotationTask:
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


def hindering(task: RotationTask, pins: list[dict[str, Any]], opens_s: float, why: CoreError) -> CoreError:
    """Return the error of a day that cannot be planned, naming the one pin without which it could."""
    for k, pin in enumerate(pins):
        try:
            dispatch(apply(task, [p for n, p in enumerate(pins) if n != k], opens_s), plays=8)
        except CoreError:
            continue
        return type(why)(f"With “{pin_words(pin)}” fixed: {why.message} Without it the day can be planned.", f"pins.{k}")
    return why
