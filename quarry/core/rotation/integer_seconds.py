"""A task in whole seconds and whole percents, as a solver of integers wants it."""

from __future__ import annotations

import math
from dataclasses import dataclass

from quarry.core.rotation.model import Charger, Flight, Mode, PackSet, RotationTask, duration_s


@dataclass(frozen=True, slots=True)
class Pool:
    """Ports that are alike: all ports of chargers without a limit of their own and with equal rates for the same packs, or one charger."""

    chargers: tuple[Charger, ...]
    modes: tuple[Mode, ...]
    cap_w: float | None

    def charges(self, kind: str) -> bool:
        """Return whether a type of set can be charged here."""
        return self.chargers[0].charges(kind)

    @property
    def ports(self) -> int:
        """How many packs can charge at once."""
        return sum(c.ports for c in self.chargers)


@dataclass(frozen=True, slots=True)
class Kind:
    """Sets that can stand for one another: of one type, strength and charge law, and good for the same flights."""

    type: str
    sets: tuple[PackSet, ...]

    @property
    def one(self) -> PackSet:
        """Any of them."""
        return self.sets[0]


def up(time_s: float) -> int:
    """Return the next whole second; a thousandth is forgiven."""
    return math.ceil(time_s - 1e-3)


def pools(task: RotationTask) -> tuple[Pool, ...]:
    """Return the chargers of a task, those that are alike together."""
    alike: dict[object, list[Charger]] = {}
    for c in task.chargers:
        if c.ports > 0 and c.modes:
            key: object = (c.modes, c.types) if c.cap_w is None else c.id
            alike.setdefault(key, []).append(c)
    return tuple(Pool(tuple(cs), cs[0].modes, cs[0].cap_w) for cs in alike.values())


def kinds(task: RotationTask) -> tuple[Kind, ...]:
    """Return the sets of a task in groups of interchangeable ones."""
    choosy = [f.only for f in task.flights if f.only is not None]
    groups: dict[object, list[PackSet]] = {}
    for s in task.sets:
        good = tuple(s.id in only for only in choosy)
        groups.setdefault((s.type, s.packs, s.capacity_wh, s.slowness, s.balance_s, s.law, good), []).append(s)
    return tuple(Kind(key[0], tuple(sets)) for key, sets in groups.items())  # type: ignore[index]


def fits(kind: Kind, flight: Flight) -> bool:
    """Return whether a flight may be flown with sets of a kind, by its own list; types are compared elsewhere."""
    return flight.only is None or kind.one.id in flight.only


def starts_of(task: RotationTask, flight: Flight, until_s: int) -> list[list[int]]:
    """Return the spans of whole seconds in which a flight may take off so that it lands by ``until_s``."""
    craft = next(c for c in task.aircraft if c.id == flight.aircraft)
    length = up(flight.flight_s)
    spans = [(0.0, float(until_s))]
    for windows in (task.windows, flight.windows):
        if windows is not None:
            spans = [(max(a, c), min(b, d)) for a, b in spans for c, d in windows if min(b, d) > max(a, c)]
    least = up(craft.from_s)
    found = [[max(up(a), least), math.floor(min(b, until_s) + 1e-3) - length] for a, b in spans]
    return [s for s in found if s[1] >= s[0]]


def charge_s(kind: Kind, from_frac: float, mode: Mode) -> int:
    """Return the whole seconds that one pack of a kind charges to full."""
    return int(duration_s(kind.one, from_frac, mode))
