"""What can happen on a day. An event is written once and never changed; a later one may undo it.

Times are seconds from the day's opening, already corrected for a device whose clock is off.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, get_args

from quarry.core.base.errors import CoreError, MissingInput, OutOfRange
from quarry.core.day.figures import check_figures

Kind = Literal[
    "started",
    "launched",
    "landed",
    "homing",
    "emergency",
    "emergency_over",
    "lost",
    "on_port",
    "off_port",
    "tested",
    "pack_out",
    "pack_back",
    "port_dead",
    "port_back",
    "power_out",
    "power_back",
    "hold",
    "gate",
    "observed",
    "dropped",
    "note",
    "answer",
    "undo",
    "checked",
    "refuelled",
    "found",
    "closed",
]
_NEEDS: dict[str, tuple[str, ...]] = {
    "launched": ("flight", "set"),
    "landed": ("flight",),
    "homing": ("flight",),
    "emergency": ("flight",),
    "emergency_over": ("flight",),
    "lost": ("flight",),
    "on_port": ("pack", "port"),
    "off_port": ("pack",),
    "tested": ("pack", "word"),
    "pack_out": ("pack",),
    "pack_back": ("pack",),
    "port_dead": ("port",),
    "port_back": ("port",),
    "hold": ("until_s",),
    "gate": ("word",),
    "dropped": ("flight",),
    "answer": ("of", "stands"),
    "undo": ("of",),
    "note": ("words",),
    "checked": ("aircraft",),
    "refuelled": ("supply",),
}
KINDS: tuple[str, ...] = get_args(Kind)
_WORDS = {"tested": ("good", "weak", "bad"), "gate": ("open", "closed")}
CLOCK_NOTICE_S = 60.0


@dataclass(frozen=True, slots=True)
class Event:
    """One thing that somebody says has happened.

    ``key`` is made by the device, so that a repeated upload changes nothing. ``figures`` depend on the kind:
    packs by name, ports by number, shares in 0 to 1, temperatures in °C, volts of single cells.
    """

    key: str
    kind: str
    at_s: float
    who: str = ""
    figures: Mapping[str, Any] = field(default_factory=dict)

    def get(self, name: str) -> Any:
        """Return a figure, or None."""
        return self.figures.get(name)


def check_event(event: Event) -> None:
    """Raise at the figure that cannot be.

    Raises
    ------
    MissingInput
        The kind is not known, or lacks a figure.
    OutOfRange
        A figure is beyond what can be.
    """
    if not event.key or len(event.key) > 64 or not event.key.isprintable():
        raise MissingInput("An event needs a key of its own, of at most 64 characters.", "key")
    if not math.isfinite(event.at_s):
        raise OutOfRange("An event needs a time.", "at")
    if event.kind not in KINDS:
        raise MissingInput(f"Nothing called {event.kind[:40]} can happen on a day.", "kind")
    check_figures(event.figures)
    for name in _NEEDS.get(event.kind, ()):
        if event.get(name) in (None, ""):
            raise MissingInput(f"Say which {name.replace('_s', '').replace('_', ' ')}.", name)
    words = _WORDS.get(event.kind)
    if words and event.get("word") not in words:
        raise OutOfRange(f"It may be one of {', '.join(words)}.", "word")


def set_aside(events: Iterable[Event]) -> list[tuple[Event, str]]:
    """Return the events that cannot be folded, each with the reason: they were stored before figures were checked as now."""
    return [(e, why) for e in events if (why := _fault(e))]


def _fault(event: Event) -> str:
    try:
        check_event(event)
    except CoreError as bad:
        return bad.message
    return ""


def _order(e: Event) -> tuple[float, str, str, str]:
    return e.at_s, e.kind, e.who, repr(sorted(e.figures.items()))


def standing(events: Iterable[Event]) -> list[Event]:
    """Return the events that hold, each once, in order of time: repeated ones, undone ones and those to set aside are left out.

    Undoing an undo brings the thing back. The answer does not depend on the order or the number of times given.
    """
    unique: dict[str, Event] = {}
    for e in events:
        if _fault(e):
            continue
        kept = unique.get(e.key)
        # The same key for something else is a fault of a device: whichever comes first in order stands, always.
        if kept is None or _order(e) < _order(kept):
            unique[e.key] = e
    undoing: dict[str, list[str]] = {}
    for e in unique.values():
        if e.kind == "undo":
            undoing.setdefault(str(e.get("of")), []).append(e.key)
    known: dict[str, bool] = {}

    def holds(key: str, path: frozenset[str]) -> bool:
        if key in path:
            return False  # undos that undo each other: none holds
        if key not in known:
            known[key] = not any(holds(u, path | {key}) for u in sorted(undoing.get(key, ())))
        return known[key]

    found = [e for e in unique.values() if e.kind != "undo" and holds(e.key, frozenset())]
    return sorted(found, key=lambda e: (e.at_s, e.key))


def clock_off_s(device_now_s: float, server_now_s: float) -> float:
    """Return what must be added to the times of a device, from the moment at which it sends. [s]"""
    return server_now_s - device_now_s
