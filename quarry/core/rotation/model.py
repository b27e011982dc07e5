"""The rotation of a day as records: times in seconds from the start of the day.

A *set* is one pack, or several matched packs that fly together and may charge apart.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Literal, Protocol

from quarry.core.base.errors import CoreError, Infeasible, MissingInput
from quarry.core.power.charging import CONSTANT_POWER, ChargeLaw, charge_time_s

Policy = Literal["full", "partial"]
Windows = tuple[tuple[float, float], ...]
FULL = 1.0 - 1e-9


@dataclass(frozen=True, slots=True)
class Mode:
    """One rate of a charger: power into a pack, and drawn from the supply."""

    name: str
    pack_w: float
    wall_w: float


@dataclass(frozen=True, slots=True)
class Charger:
    """Equal ports, each charging one pack; ``cap_w`` bounds what all draw together (None: no bound).

    ``closed``: when a port may not be used, as (port, from, to). ``types``: the types of set that it can charge, by their
    cells and volts; None takes all.
    """

    id: str
    ports: int
    modes: tuple[Mode, ...]
    cap_w: float | None = None
    closed: tuple[tuple[int, float, float], ...] = ()
    types: tuple[str, ...] | None = None

    def charges(self, kind: str) -> bool:
        """Return whether a type of set can be charged here."""
        return self.types is None or kind in self.types


@dataclass(frozen=True, slots=True)
class PackSet:
    """Packs that fly together.

    ``capacity_wh`` and ``start_frac`` belong to each pack. ``slowness`` multiplies charge time; ``balance_s`` comes after a
    charge to full, while the charger balances the cells.
    ``from_s`` is when the set is there; ``first``: its first charge goes before all others that wait then.
    ``fracs``: state of charge of each pack, where they differ in the middle of a day.
    """

    id: str
    type: str
    packs: int
    capacity_wh: float
    start_frac: float
    slowness: float = 1.0
    law: ChargeLaw = CONSTANT_POWER
    from_s: float = 0.0
    first: bool = False
    balance_s: float = 0.0
    fracs: tuple[float, ...] | None = None

    def starts(self) -> list[float]:
        """Return the state of charge of each pack when the set is there."""
        return list(self.fracs) if self.fracs is not None else [self.start_frac] * self.packs


@dataclass(frozen=True, slots=True)
class Flight:
    """One sortie to be flown: its length and the share it takes from each pack of its set.

    ``windows``: when it may be in the air, within those of the day; None takes the day's alone. ``only``: ids of
    the sets that give enough for it; None takes any of its type.
    """

    id: str
    aircraft: str
    flight_s: float
    energy_frac: float
    required_frac: float = 1.0
    windows: tuple[tuple[float, float], ...] | None = None
    only: tuple[str, ...] | None = None


@dataclass(frozen=True, slots=True)
class Craft:
    """An aircraft: which type of set it flies, and from when it is there; ``fill_s``: what filling its tank between two flights takes."""

    id: str
    type: str
    from_s: float = 0.0
    fill_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Crew:
    """People who look after several aircraft and fly one of them at a time; from when they are free."""

    id: str
    aircraft: tuple[str, ...]
    from_s: float = 0.0


@dataclass(frozen=True, slots=True)
class RotationTask:
    """Everything that a rotation is made from.

    Flights of one aircraft are flown in the order given. Every flight lies wholly in one of
    ``windows`` (None: any time). ``swap_s`` is the least time from a landing to the next take-off
    of the same aircraft, where filling its tank takes no longer: see `swap_of`. ``dips``: when the supply gives less, as (from, to, watts): a refuelling stop, a shared outlet.
    ``now_s``: nothing begins before; ``begun``: charges under way then, on their ports to their end. ``crews``: who flies
    which aircraft; one that is in none has people of its own.
    """

    aircraft: tuple[Craft, ...]
    flights: tuple[Flight, ...]
    sets: tuple[PackSet, ...]
    chargers: tuple[Charger, ...]
    swap_s: float
    rest_after_flight_s: float
    rest_after_charge_s: float
    site_power_w: float | None = None
    windows: tuple[tuple[float, float], ...] | None = None
    policy: Policy = "full"
    dips: tuple[tuple[float, float, float], ...] = ()
    now_s: float = 0.0
    begun: tuple[PlannedCharge, ...] = ()
    crews: tuple[Crew, ...] = ()

    def swap_of(self, aircraft: str) -> float:
        """Return the least time from a landing of an aircraft to its next take-off: packs are changed while its tank is filled. [s]"""
        return max([self.swap_s, *(c.fill_s for c in self.aircraft if c.id == aircraft)])

    def mean_swap_s(self, flights: Iterable[Flight]) -> float:
        """Return the mean of what lies between flights on the ground, at the least. [s]"""
        each = [self.swap_of(f.aircraft) for f in flights]
        return sum(each) / len(each) if each else self.swap_s

    def crew_of(self, aircraft: str) -> Crew | None:
        """Return who flies an aircraft beside others, or None where it has people of its own."""
        return next((c for c in self.crews if aircraft in c.aircraft), None)

    def open_ended(self) -> RotationTask:
        """Return the task with hours that do not end; where none are left, they begin now."""

        def longer(spans: Windows | None) -> Windows | None:
            if spans is None:
                return None
            return (*spans[:-1], (spans[-1][0], math.inf)) if spans else ((self.now_s, math.inf),)

        flights = tuple(replace(f, windows=longer(f.windows)) for f in self.flights)
        return replace(self, windows=longer(self.windows), flights=flights)

    def next_window(self, at_s: float, flight: Flight) -> float:
        """Return the earliest time, not before ``at_s``, at which a flight fits; inf if none."""
        windows = self.windows if flight.windows is None else flight.windows
        if windows is None:
            return at_s
        for a, b in windows:
            t = max(a, at_s)
            if t + flight.flight_s <= b:
                return t
        return math.inf


@dataclass(frozen=True, slots=True)
class PlannedFlight:
    """When a flight takes off and lands, and with which set."""

    flight: str
    aircraft: str
    set: str
    takeoff_s: float
    landing_s: float


@dataclass(frozen=True, slots=True)
class PlannedCharge:
    """When one pack of a set is on a port, at which rate, from which state of charge to which."""

    set: str
    pack: int
    charger: str
    port: int
    mode: str
    start_s: float
    end_s: float
    from_frac: float
    to_frac: float = 1.0


@dataclass(frozen=True, slots=True)
class Wait:
    """An aircraft ready to fly that does not: how long, and for want of what."""

    aircraft: str
    flight: str
    from_s: float
    to_s: float
    reason: Literal["pack", "window", "crew"]


@dataclass(frozen=True, slots=True)
class Rotation:
    """A schedule with its last landing, what bounds it from below, and what waits."""

    flights: tuple[PlannedFlight, ...]
    charges: tuple[PlannedCharge, ...]
    waits: tuple[Wait, ...]
    makespan_s: float
    lower_bound_s: float
    bound_reason: str
    rule: str
    tried: int


class Improver(Protocol):
    """Takes a task and a schedule and gives one at least as good; the seam for the optimiser."""

    def __call__(self, task: RotationTask, first: Rotation) -> Rotation:
        """Return a schedule no later than ``first``."""
        ...


def squares(plan: Rotation) -> int:
    """Return the sum over sets of the square of how often each flies: the less, the more even. [flights²]"""
    return sum(n * n for n in Counter(f.set for f in plan.flights).values())


def duration_s(pack: PackSet, from_frac: float, mode: Mode) -> float:
    """Return the whole seconds that a pack of the set is on a port until it is full."""
    balance = pack.balance_s if from_frac < FULL else 0.0
    return math.ceil(charge_time_s(pack.capacity_wh, from_frac, mode.pack_w, pack.law) * pack.slowness + balance - 1e-6)


@dataclass(slots=True)
class _Problems:
    found: list[CoreError] = field(default_factory=list)


def check_task(task: RotationTask) -> None:
    """Raise if the task cannot be done whatever the schedule, with the smallest change that helps.

    Raises
    ------
    MissingInput
        No flights, no aircraft, or no set for one of the aircraft.
    Infeasible
        A flight takes more than a full set, fits no window, or needs a charger that is not there.
    """
    if not task.flights:
        raise MissingInput("There is nothing to fly. Put a job with sorties into the day.", "jobs")
    craft = {c.id: c for c in task.aircraft}
    for flight in task.flights:
        if flight.aircraft not in craft:
            raise MissingInput(f"{flight.id} has no aircraft. Choose one for its job.", "aircraft")
        if flight.energy_frac > 1.0 + 1e-9:
            raise Infeasible(f"{flight.id} takes {flight.energy_frac:.0%} of a full set. Cut the job for these packs.", "packs")
        if not math.isfinite(task.next_window(0.0, flight)):
            fits = task.windows is None or any(b - a >= flight.flight_s for a, b in task.windows)
            whose = "no opening that its limits leave" if fits else "no opening of the day"
            raise Infeasible(
                f"{flight.id} takes {flight.flight_s / 60:.0f} min and {whose} is that long. "
                + ("Wait for another day, or cut the sortie shorter." if fits else "Widen the hours, or cut the sortie shorter."),
                "windows",
            )
    for c in task.aircraft:
        of_aircraft = [f for f in task.flights if f.aircraft == c.id]
        sets = [s for s in task.sets if s.type == c.type]
        if of_aircraft and not sets:
            raise MissingInput(f"No pack for {c.id} is in the day. Add one that fits it.", "packs")
        for f in of_aircraft:
            if f.only is not None and not any(s.id in f.only for s in sets):
                raise Infeasible(
                    f"No set of the day gives enough for {f.id}. Cut the job for the packs of the day, warm them, or add a stronger one.",
                    "packs",
                )
    for kind in {c.type for c in task.aircraft}:
        need = sum(1 for f in task.flights if craft[f.aircraft].type == kind)
        sets = [s for s in task.sets if s.type == kind]
        full = sum(1 for s in sets if s.start_frac >= FULL)
        if task.policy == "full" and need > full and not any(c.ports > 0 and c.modes and c.charges(kind) for c in task.chargers):
            lacks = (
                "no charger of the day takes packs of their cells, volts and chemistry"
                if task.chargers
                else "there is no charger in the day"
            )
            raise Infeasible(
                f"{need} sorties need {need} full sets and {full} are full; {lacks}. "
                f"Add a charger, or {need - full} more full sets.",
                "chargers",
            )
    _check_power(task)


def _check_power(task: RotationTask) -> None:
    if task.site_power_w is None or not task.chargers:
        return
    least = min((m.wall_w for c in task.chargers for m in c.modes if c.ports > 0), default=0.0)
    if least > task.site_power_w and any(s.start_frac < FULL for s in task.sets):
        raise Infeasible(
            f"The supply can give {task.site_power_w:.0f} W and the gentlest charge draws {least:.0f} W. "
            "Use a larger supply, or a charger with a gentler rate.",
            "supply",
        )
