"""What a running day, its course, its events and its rehearsals show. Times are seconds from the opening of the day."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any, Literal
from uuid import UUID

from quarry.apps.day.views.plan import DayAircraftOut, DayFlightOut, DayGate, DayPackOut, WaitOut
from quarry.core.day.alerts import Alert, Telemetry
from quarry.core.day.calls import DayCall
from quarry.core.day.state import FlightWord, Question


@dataclass(frozen=True, slots=True)
class LiveCall(DayCall):
    """What to do next, when, why, and what follows if it is missed."""

    aircraft_name: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class LiveFlight:
    """A sortie as it stands."""

    id: str
    aircraft: str
    word: FlightWord
    set: str
    takeoff_s: float | None
    landing_s: float | None
    left_frac: float | None
    lowest_v: float | None
    pack_c: float | None
    done_frac: float
    resume: str
    job: str
    letter: str
    key: str
    length_s: float
    expected_frac: float | None
    done_by_now: float | None
    resume_words: str
    resume_at: tuple[float, float] | None
    number: int | None
    homing_s: float | None
    emergency_s: float | None
    lands_s: float | None
    work: float | None
    planned_work: float
    work_what: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LivePack:
    """A pack as it stands; ``charges_on``: ports that can charge it and work; ``short``: its name for little room."""

    id: str
    name: str
    set: str
    word: Literal["rest", "port", "air", "out"]
    frac: float
    port: int
    flight: str
    flights: int
    why: str
    resting_until_s: float | None
    pack_c: float | None
    charges_on: list[int]
    short: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LiveAircraft(DayAircraftOut):
    """An aircraft as it stands: what it flies now, what it flies next and when [s], and the sets that it can take."""

    flight: str
    next: str
    next_s: float | None
    sets: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class LivePort:
    """A port and what is on it."""

    port: int
    dead: bool
    pack: str
    frac: float | None
    pack_v: float | None
    into_a: float | None


@dataclass(frozen=True, slots=True)
class WeatherDue:
    """A measurement of the weather that the record of a spraying job asks for; ``lacks``: what of it was not read."""

    letter: str
    words: str
    at_s: float
    taken_s: float | None
    due: bool
    missed: bool
    lacks: list[str]


@dataclass(frozen=True, slots=True)
class Change:
    """When the plan changed, and how; ``kept``: only its times; ``problem``: what did not fit any more."""

    at_s: float
    words: str
    kept: bool
    problem: str = ""


@dataclass(frozen=True, slots=True)
class FoundOut:
    """That whoever was looked for is found: when, in words, and where in the notations of people on the ground."""

    at_s: float
    words: str
    notations: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class LiveOut:
    """A running day as it stands."""

    day_id: UUID
    name: str
    opens_at: dt.datetime
    closes_at: dt.datetime
    time_zone: str
    now_s: float
    not_now_s: float
    gate_look_s: float
    gap_frac: float
    revision: int
    plan_number: int
    planned_at_s: float
    finish_s: float
    planned_finish_s: float
    problem: str
    changes: list[Change]
    calls: list[LiveCall]
    alerts: list[Alert]
    flights: list[LiveFlight]
    packs: list[LivePack]
    ports: list[LivePort]
    aircraft: list[LiveAircraft]
    gates: list[DayGate]
    gust: tuple[float, float] | None
    wind: tuple[float, float] | None
    gate_closed_until_s: float | None
    gate_words: str
    hold_until_s: float | None
    power_out: bool
    load_w: float
    can_give_w: float | None
    questions: list[Question]
    oddities: list[str]
    telemetry: list[Telemetry]
    closed: bool
    events: int
    fallbacks: dict[str, list[str]]
    speed: float
    rehearsal_of: UUID | None
    weather_due: list[WeatherDue]
    inversion: str
    searches: bool
    found: FoundOut | None


@dataclass(frozen=True, slots=True)
class RefusedEvent:
    """An event that cannot be, and why."""

    key: str
    detail: str
    field: str


@dataclass(frozen=True, slots=True)
class EventsOut:
    """What was taken and what refused, and the day as it stands then; ``turned``: the plan was made anew."""

    taken: list[str]
    refused: list[RefusedEvent]
    turned: bool
    clock_off_s: float
    live: LiveOut | None


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordedEvent:
    """An event as it is kept; ``figures`` by name, as its device sent them."""

    id: int
    key: str
    kind: str
    at: dt.datetime
    received_at: dt.datetime
    offset_s: float
    by: str
    device: str
    figures: dict[str, Any]


@dataclass(frozen=True, slots=True)
class SummaryOut:
    """How a day went: last landing flown, planned, and as hindsight would have it; waits and risky moments."""

    flown_s: float | None
    planned_s: float
    hindsight_s: float | None
    waits: list[WaitOut]
    risky: list[str]
    sorties: int


@dataclass(frozen=True, slots=True, kw_only=True)
class EndingOut:
    """What ending a day now would write into records, and what stands in the way; sorties by name."""

    flights: int
    charges: int
    undone: list[str]
    in_the_air: list[str]
    questions: int
    can_undo: bool


@dataclass(frozen=True, slots=True)
class KnownValue:
    """A number that a preflight list asks for and that is known already, in SI, and where it is from.

    ``now``: it is told of this take-off, by the plan, the running day or the aircraft; else it is what was last recorded.
    """

    value: float | list[float]
    words: str
    now: bool


@dataclass(frozen=True, slots=True)
class GhostOut:
    """A sortie as it was planned before the day."""

    flight: str
    aircraft: str
    set: str
    takeoff_s: float
    landing_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class CourseOut:
    """A running day as it is drawn: what happened up to now, what is planned from now on, and the sorties as first planned."""

    now_s: float
    length_s: float
    windows: list[tuple[float, float]]
    finish_s: float
    flights: list[DayFlightOut]
    ghosts: list[GhostOut]
    waits: list[WaitOut]
    aircraft: list[DayAircraftOut]
    gates: list[DayGate]
    packs: list[DayPackOut]
    load: list[tuple[float, float]]
    can_give_w: float | None


@dataclass(frozen=True, slots=True)
class FaultKind:
    """What can go wrong."""

    kind: str
    words: str


@dataclass(frozen=True, slots=True)
class FaultOut:
    """A fault of a rehearsal, and whether it has struck."""

    kind: str
    at_s: float
    about: str
    length_s: float
    words: str
    struck: bool


@dataclass(frozen=True, slots=True)
class BetterOut:
    """The last landing of the same world with every call answered at once, with its faults and without. [s from opening]"""

    prompt_s: float | None
    prompt_sorties: int
    calm_s: float | None
    calm_sorties: int


@dataclass(frozen=True, slots=True, kw_only=True)
class RehearsalOut:
    """A rehearsal as it stands; ``of`` is the day that is rehearsed."""

    id: UUID
    of: UUID
    now_s: float
    speed: float
    seed: int
    by_hand: bool
    closed: bool
    faults: list[FaultOut]
    can: list[FaultKind]
    better: BetterOut | None


@dataclass(frozen=True, slots=True, kw_only=True)
class RehearsalLine:
    """A rehearsal in a list."""

    id: UUID
    started_at: dt.datetime
    by: str
    seed: int
    by_hand: bool
    faults: list[str]
    now_s: float
    closed: bool
