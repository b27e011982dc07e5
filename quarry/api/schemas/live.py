"""A day being flown. Times are seconds from the opening of the day; events carry the clock of their device."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from ninja import Schema
from pydantic import AwareDatetime, Field, ValidationError, ValidatorFunctionWrapHandler, WrapValidator

from quarry.api.schemas.base import In


class EventIO(In):
    """Something that happened, as a device tells it; ``key`` is made by the device, ``at`` is on its clock."""

    key: str = Field(min_length=1, max_length=64)
    kind: str = Field(max_length=16)
    at: AwareDatetime
    under: int = Field(default=0, ge=0, le=2_000_000_000)
    figures: dict[str, Any] = Field(default_factory=dict, max_length=40)


class Unreadable:
    """An event that is not even of the form of one: refused by itself, so that the rest of the batch stands."""

    def __init__(self, key: str, detail: str, field: str) -> None:
        self.key, self.detail, self.field = key, detail, field


def _by_itself(value: Any, read: ValidatorFunctionWrapHandler) -> Any:
    try:
        return read(value)
    except ValidationError as bad:
        first = bad.errors()[0]
        key = value.get("key") if isinstance(value, dict) else None
        field = ".".join(str(part) for part in first["loc"])
        return Unreadable(key if isinstance(key, str) else "", f"{first['msg']}.", field)


class EventsIn(In):
    """What a device has to tell, with its own clock at the moment of sending."""

    device: str = Field(default="", max_length=60)
    device_now: AwareDatetime
    events: list[Annotated[EventIO, WrapValidator(_by_itself)]] = Field(max_length=400)


class TelemetryIO(In):
    """What an aircraft tells from the air; volts are the lowest cell's."""

    flight: str = Field(max_length=16)
    at: AwareDatetime
    left_frac: float | None = Field(default=None, ge=0, le=1)
    lowest_v: float | None = Field(default=None, ge=0, le=5)
    pack_c: float | None = Field(default=None, ge=-40, le=120)
    home_frac: float | None = Field(default=None, ge=0, le=1)
    satellites: int | None = Field(default=None, ge=0, le=60)
    from_home_m: float | None = Field(default=None, ge=0, le=200_000)
    cells_v: list[Annotated[float, Field(ge=0, le=5)]] | None = Field(default=None, max_length=28)
    lon_deg: float | None = Field(default=None, ge=-180, le=180)
    lat_deg: float | None = Field(default=None, ge=-90, le=90)


class PortIO(In):
    """What a charger tells of a port."""

    port: int = Field(ge=1, le=200)
    at: AwareDatetime
    pack_v: float | None = Field(default=None, ge=0, le=120)
    into_a: float | None = Field(default=None, ge=0, le=200)
    frac: float | None = Field(default=None, ge=0, le=1)


class TelemetryIn(In):
    """Readings of aircraft in the air and of chargers, from a bridge, with its own clock at the moment of sending."""

    device_now: AwareDatetime | None = None
    readings: list[TelemetryIO] = Field(max_length=40)
    ports: list[PortIO] = Field(default_factory=list, max_length=200)


class RefusedOut(Schema):
    """An event that cannot be, and why."""

    key: str
    detail: str
    field: str


class LiveCall(Schema):
    """What to do next, when, why, and what follows if it is missed."""

    id: str
    at_s: float
    kind: str
    flight: str
    aircraft: str
    aircraft_name: str
    set: str
    pack: str
    port: int
    mode: str
    why: str
    missed: str


class AlertOut(Schema):
    """What cannot wait: why, which limit, and who acts."""

    key: str
    grade: Literal["now", "soon"]
    words: str
    reason: str
    limit: str
    owner: Literal["pilot", "handler", "lead"]
    about: str


class LiveFlight(Schema):
    """A sortie as it stands."""

    id: str
    aircraft: str
    word: Literal["planned", "airborne", "landed", "dropped"]
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
    work: float | None
    planned_work: float
    work_what: str


class LivePack(Schema):
    """A pack as it stands."""

    id: UUID
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


class LivePort(Schema):
    """A port and what is on it."""

    port: int
    dead: bool
    pack: str
    frac: float | None
    pack_v: float | None
    into_a: float | None


class QuestionOut(Schema):
    """Two accounts of one thing; the first counts meanwhile."""

    about: str
    keys: list[str]
    words: str


class ChangeOut(Schema):
    """When the plan changed, and how; ``kept``: only its times."""

    at_s: float
    words: str
    kept: bool


class LiveOut(Schema):
    """A running day as it stands."""

    day_id: UUID
    name: str
    opens_at: datetime
    closes_at: datetime
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
    changes: list[ChangeOut]
    calls: list[LiveCall]
    alerts: list[AlertOut]
    flights: list[LiveFlight]
    packs: list[LivePack]
    ports: list[LivePort]
    aircraft: list[dict[str, str]]
    gates: list[dict[str, Any]]
    gust: tuple[float, float] | None
    gate_closed_until_s: float | None
    gate_words: str
    hold_until_s: float | None
    power_out: bool
    load_w: float
    can_give_w: float | None
    questions: list[QuestionOut]
    oddities: list[str]
    telemetry: list[dict[str, Any]]
    closed: bool
    events: int
    fallbacks: dict[str, list[str]]
    speed: float
    rehearsal_of: UUID | None


class LiveAnswer(Schema):
    """A day as it stands, or none while it has not begun."""

    live: LiveOut | None


class EventsOut(Schema):
    """What was taken and what refused, and the day as it stands then."""

    taken: list[str]
    refused: list[RefusedOut]
    clock_off_s: float
    live: LiveOut | None


class ToldEvent(Schema):
    """An event as it is kept."""

    id: int
    key: str
    kind: str
    at: datetime
    received_at: datetime
    offset_s: float
    by: str
    device: str
    figures: dict[str, Any]


class WaitTold(Schema):
    """An aircraft that stood ready and did not fly."""

    aircraft: str
    flight: str
    from_s: float
    to_s: float
    reason: str


class SummaryOut(Schema):
    """How a day went: last landing flown, planned, and as hindsight would have it; waits and risky moments."""

    flown_s: float | None
    planned_s: float
    hindsight_s: float | None
    waits: list[WaitTold]
    risky: list[str]
    sorties: int


class EndingOut(Schema):
    """What ending a day now would write into records, and what stands in the way; sorties by name."""

    flights: int
    charges: int
    undone: list[str]
    in_the_air: list[str]
    questions: int
    can_undo: bool


class FaultIn(In):
    """Something that goes wrong in a rehearsal; ``about`` names a sortie, pack or port, where it is empty the next one."""

    kind: str = Field(max_length=20)
    at_s: float
    about: str = Field(default="", max_length=16)
    length_s: float = 1200.0


class FaultNow(In):
    """Something that goes wrong now."""

    kind: str = Field(max_length=20)
    about: str = Field(default="", max_length=16)
    length_s: float = 1200.0


class RehearsalIn(In):
    """How a day is rehearsed: how many times as fast as time, who answers the calls, what goes wrong."""

    speed: float = 30.0
    by_hand: bool = True
    seed: int = Field(default=1, ge=0, le=1_000_000)
    faults: list[FaultIn] = Field(default_factory=list, max_length=20)


class SteerIn(In):
    """A change of clock or crew; a speed of 0 lets the clock stand."""

    speed: float | None = None
    by_hand: bool | None = None


class FaultOut(FaultIn):
    """A fault of a rehearsal, and whether it has struck."""

    words: str
    struck: bool


class FaultKind(Schema):
    """What can go wrong."""

    kind: str
    words: str


class BetterOut(Schema):
    """The last landing of the same world with every call answered at once, with its faults and without. [s from opening]"""

    prompt_s: float | None
    prompt_sorties: int
    calm_s: float | None
    calm_sorties: int


class RehearsalOut(Schema):
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


class RehearsalAnswer(Schema):
    """A rehearsal as it stands, or none where a day is flown and not rehearsed."""

    rehearsal: RehearsalOut | None


class RehearsalLine(Schema):
    """A rehearsal in a list."""

    id: UUID
    started_at: datetime
    by: str
    seed: int
    by_hand: bool
    faults: list[str]
    now_s: float
    closed: bool
