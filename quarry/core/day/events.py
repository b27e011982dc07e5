"""What can happen on a day. An event is written once and never changed; a later one may undo it.

Times are seconds from the day's opening, already corrected for a device whose clock is off.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from quarry.core.base.errors import MissingInput, OutOfRange, require_range

Kind = Literal[
    "started",
    "launched",
    "landed",
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
    "closed",
]
_NEEDS: dict[str, tuple[str, ...]] = {
    "launched": ("flight", "set"),
    "landed": ("flight",),
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
KINDS: tuple[str, ...] = (
    "started",
    *_NEEDS,
    "power_out",
    "power_back",
    "observed",
    "closed",
)
_SHARES = ("left_frac", "frac", "done_frac")
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
    if not event.key or len(event.key) > 64:
        raise MissingInput("An event needs a key of its own.", "key")
    if event.kind not in KINDS:
        raise MissingInput(f"Nothing called {event.kind} can happen on a day.", "kind")
    for name in _NEEDS.get(event.kind, ()):
        if event.get(name) in (None, ""):
            raise MissingInput(f"Say which {name.replace('_s', '').replace('_', ' ')}.", name)
    for name in _SHARES:
        if event.get(name) is not None:
            require_range(float(event.get(name)), 0.0, 1.0, name, "Share", "")
    if event.get("work") is not None:
        require_range(float(event.get("work")), 0.0, 100_000.0, "work", "What was done", "")
    for k, v in enumerate(event.get("cells_v") or ()):
        require_range(float(v), 0.5, 5.0, f"cells_v.{k}", f"Cell {k + 1}", "V")
    if event.get("pack_c") is not None:
        require_range(float(event.get("pack_c")), -40.0, 120.0, "pack_c", "Pack temperature", "°C")
    words = _WORDS.get(event.kind)
    if words and event.get("word") not in words:
        raise OutOfRange(f"It may be one of {', '.join(words)}.", "word")


def standing(events: Iterable[Event]) -> list[Event]:
    """Return the events that hold, each once, in order of time: repeated ones and undone ones are left out.

    Undoing an undo brings the thing back. The answer does not depend on the order or the number of times given.
    """
    unique: dict[str, Event] = {}
    for e in events:
        kept = unique.get(e.key)
        # The same key with other figures is a fault of a device: whichever comes first in order stands, always.
        if kept is None or (e.at_s, repr(sorted(e.figures.items()))) < (kept.at_s, repr(sorted(kept.figures.items()))):
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
