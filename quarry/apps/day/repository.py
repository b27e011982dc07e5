"""What a day keeps as JSON, with one typed shape each: plans, frames of runs, what was flown, rehearsals.

Each has a way to be kept and a way back. What an older version kept is read by the defaults of what has come since, or
said to be too old.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction
from pydantic import TypeAdapter, ValidationError

from quarry.apps.accounts.models import User
from quarry.apps.day.fields import inputs_from, inputs_json
from quarry.apps.day.models import Day, DayPlan, DayRun
from quarry.apps.day.views.live import BetterOut, Change
from quarry.apps.day.views.plan import DayAircraftOut, DayGate, PlanOfDay
from quarry.core.base.errors import CoreError
from quarry.core.base.shapes import plain
from quarry.core.day.landing_place import Spot
from quarry.core.day.rehearsal import Fault
from quarry.core.day.state import Frame
from quarry.core.dayplan.differences import PlanInput, changes
from quarry.core.dayplan.inputs import Route, SortieFigures
from quarry.core.packs.alarms import FlightLevels
from quarry.core.rotation.model import Rotation, RotationTask
from quarry.core.rotation.people import PeopleLimits
from quarry.core.rotation.scatter import ObservedDay, Scatter

_MOST_CHANGES = 60
_MOST_PLANS = 20
_NOT_COMPARED = "an older version made the plan before this one: what changed between them cannot be told"
FLOWN_SCHEMA = 3  # of what was flown; one of another number is made anew from the events
_PLAN = TypeAdapter(PlanOfDay)
_PLAN_SAID = {"schools": "methods"}  # what older plans called it
_ROTATION = TypeAdapter(Rotation)


def plan_json(plan: PlanOfDay) -> Any:
    """Return a plan as it is kept."""
    return _PLAN.dump_python(plan, mode="json", by_alias=True)


def plan_from(kept: Any) -> PlanOfDay:
    """Return a plan that was kept.

    Raises
    ------
    CoreError
        An older version kept it in another shape.
    """
    try:
        return _PLAN.validate_python({_PLAN_SAID.get(key, key): value for key, value in (kept or {}).items()})
    except ValidationError as bad:
        raise CoreError("An older version made this plan: plan the day again to see one.", "number") from bad


def rotation_from(kept: Any) -> Rotation:
    """Return a kept schedule as the core's."""
    return _ROTATION.validate_python(kept)


@dataclass(frozen=True, slots=True)
class ChargerName:
    """A charger of a day, in the order in which its ports are numbered."""

    id: str
    name: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFrame:
    """Everything of a plan that a running day goes by; kept when it begins and never changed.

    ``swap_times``: what swaps took, in times of the swap that was entered, as the company's own had taught.
    """

    task: RotationTask
    members: dict[str, tuple[str, ...]]
    pack_ids: dict[str, str]
    planned_set: dict[str, str]
    fixed_s: dict[str, float]
    turn_backs_s: dict[str, float]
    flights: dict[str, SortieFigures]
    aircraft: list[DayAircraftOut]
    gates: list[DayGate]
    plan: Rotation
    air_c: float | None
    chargers: list[ChargerName] = field(default_factory=list)
    routes: dict[str, Route] = field(default_factory=dict)
    to_test: tuple[str, ...] = ()
    refuel_s: dict[str, tuple[float, ...]] = field(default_factory=dict)
    people: PeopleLimits = field(default_factory=PeopleLimits)
    p90_s: float | None = None
    swap_times: float = 1.0
    fallbacks: dict[str, list[str]] = field(default_factory=dict)
    levels: dict[str, FlightLevels] = field(default_factory=dict)
    spots: dict[str, list[Spot]] = field(default_factory=dict)
    p50_s: float | None = None
    scatter: Scatter = field(default_factory=Scatter)

    def core(self) -> Frame:
        """Return the core's frame of the day."""
        return Frame(
            self.task,
            self.members,
            self.planned_set,
            self.fixed_s,
            self.routes,
            self.to_test,
            self.refuel_s,
            preflight=True,
            levels=self.levels,
            spots={name: tuple(self.spots.get(f.letter, ())) for name, f in self.flights.items()},
            rings={name: f.rings for name, f in self.flights.items()},
            settles_c={name: self._unmeasured_c(f) for name, f in self.flights.items()},
        )

    def _unmeasured_c(self, f: SortieFigures) -> float:
        """Return how warm the packs of a sortie are taken to be while they tell nothing: below freezing as cold as the air."""
        return self.air_c if self.air_c is not None and self.air_c < 0.0 else f.settles_c

    def figures(self, sortie: str) -> SortieFigures | None:
        """Return what the plan knows of a sortie or of the rest of one; nothing of one that was added on the day."""
        return self.flights.get(sortie.rstrip("+"))

    def aircraft_name(self, key: str) -> str:
        """Return the name of an aircraft of the day."""
        return next((a.name for a in self.aircraft if a.id == key), "")

    def charger(self, name: str) -> ChargerName | None:
        """Return a charger by the number under which the core knows it."""
        # Runs from before chargers were named in their frame know them by number alone.
        return self.chargers[int(name) - 1] if name.isdigit() and 0 < int(name) <= len(self.chargers) else None


_FRAME = TypeAdapter(RunFrame)


def cached_plan(day: Day, mark: str) -> DayPlan | None:
    """Return the plan made from what a mark stands for, if it is cached."""
    return DayPlan.objects.filter(day=day, fingerprint=mark).first()


def kept_rotations(day: Day, newest: int = 3) -> list[Rotation]:
    """Return the schedules of the newest plans of a day that can still be read: a new one is never later than what holds of them."""
    found = []
    for row in DayPlan.objects.filter(day=day).order_by("-number")[:newest]:
        with suppress(CoreError):
            found.append(plan_from(row.plan).rotation)
    return found


def cache_plan(day: Day, by: User | None, mark: str, plan: PlanOfDay, inputs: dict[str, PlanInput]) -> tuple[DayPlan, bool]:
    """Cache a plan as the next version of its day, with what has changed since the one before; the oldest go.

    Returns the version, and whether it is new: another process may have made it meanwhile.
    """
    with transaction.atomic():
        Day.objects.select_for_update().get(pk=day.pk)
        versions = DayPlan.objects.filter(day=day).order_by("-number")
        last = versions.first()
        before = inputs_from(last)
        unlike = [_NOT_COMPARED] if last is not None and last.inputs else []
        figures = {
            "organisation": day.organisation,
            "number": last.number + 1 if last is not None else 1,
            "plan": plan_json(plan),
            "by": by,
            "inputs": inputs_json(inputs),
            "why": changes(before, inputs) if before else unlike,
        }
        made, new = DayPlan.objects.get_or_create(day=day, fingerprint=mark, defaults=figures)
        DayPlan.objects.filter(pk__in=list(versions.values_list("pk", flat=True)[_MOST_PLANS:])).delete()
    return made, new


def frame_json(frame: RunFrame | Rotation) -> Any:
    """Return a frame, or the schedule of one, as it is kept."""
    return plain(frame)


def frame_of(run: DayRun) -> RunFrame:
    """Return the frame of a run."""
    return _FRAME.validate_python(run.frame)


@dataclass(frozen=True, slots=True)
class FlownCharge:
    """A charge that ended: the event at its end, the pack, and the power into it. [W]"""

    key: str
    pack: str
    pack_w: float


@dataclass(frozen=True, slots=True)
class FlownDay:
    """What was flown on a day and how it kept to its plan: last landing, the one promised for nine days in ten, time in the air.

    ``swaps``: times from a landing to the next take-off of the same aircraft, in times of the swap that was entered;
    ``promised_half_s``: when half of all such days were to be down; ``times``: how its times kept to the planned ones.
    """

    schema: int
    planned_finish_s: float
    promised_s: float | None
    finish_s: float | None
    planned_sorties: int
    planned_air_s: float
    sorties: int
    air_s: float
    swaps: tuple[float, ...]
    charges: tuple[FlownCharge, ...]
    promised_half_s: float | None = None
    times: ObservedDay = field(default_factory=ObservedDay)


_FLOWN = TypeAdapter(FlownDay)


def flown_json(day: FlownDay) -> Any:
    """Return what was flown as it is kept with its run."""
    return plain(day)


def flown_from(kept: Any) -> FlownDay | None:
    """Return what is kept with a run; None where nothing is, or where another version kept it."""
    if not kept or kept.get("schema") != FLOWN_SCHEMA:
        return None
    return _FLOWN.validate_python(kept)


@dataclass(frozen=True, slots=True)
class WorldMemory:
    """What the simulated world of a rehearsal remembers between two steps; ``mute_until_s`` is None where nothing is mute."""

    made: int = 0
    due: dict[str, float] = field(default_factory=dict)
    put_off: dict[str, float] = field(default_factory=dict)
    length: dict[str, float] = field(default_factory=dict)
    early: dict[str, float] = field(default_factory=dict)
    mute_until_s: float | None = None
    owed: list[tuple[float, str, dict[str, Any]]] = field(default_factory=list)
    struck: list[int] = field(default_factory=list)
    weak: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class RehearsalSettings:
    """How a day is rehearsed, what goes wrong, what its world remembers, and how it would have gone at best."""

    seed: int
    by_hand: bool
    faults: list[Fault]
    memory: WorldMemory = field(default_factory=WorldMemory)
    better: BetterOut | None = None


_REHEARSAL = TypeAdapter(RehearsalSettings)
_CHANGES = TypeAdapter(list[Change])


def rehearsal_from(run: DayRun) -> RehearsalSettings:
    """Return what is kept of a rehearsal."""
    return _REHEARSAL.validate_python(run.rehearsal)


def rehearsal_json(rehearsal: RehearsalSettings) -> Any:
    """Return a rehearsal as it is kept; one without an end says nothing of how it would have gone."""
    kept = plain(rehearsal)
    return kept if rehearsal.better is not None else {k: v for k, v in kept.items() if k != "better"}


def changes_of(run: DayRun) -> list[Change]:
    """Return the changes of the plan of a running day, oldest first."""
    return _CHANGES.validate_python(run.changes)


def changes_json(changes: list[Change]) -> Any:
    """Return the newest changes of a plan as they are kept."""
    return plain(changes[-_MOST_CHANGES:])
