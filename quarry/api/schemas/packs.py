"""The shelf, a pack, its records, charges at the bench, and tables."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from quarry.api.schemas.base import In, WorkingOut

Level = Literal["in service", "watch", "replace soon", "grounded"]
Task = Literal["recycle", "take out of service", "load test", "bring to storage", "monthly check", "balance", "order successor"]
RecordKind = Literal[
    "load test",
    "resistance",
    "capacity",
    "rest volts",
    "flight",
    "charge",
    "storage",
    "mishap",
    "grounding",
    "release",
    "care",
    "alarm levels",
    "withdrawal",
]
Goal = Literal["full", "storage", "balance"]


class CareTaskOut(Schema):
    """Something a pack needs, since or from when, and why."""

    kind: Task
    due: date
    words: str
    by_itself: bool
    late: int


class PackLine(Schema):
    """A pack on the shelf."""

    id: UUID
    version: int
    archived: bool
    name: str
    model: str
    model_id: UUID
    mates: str
    level: Level
    words: str
    may_override: bool
    charge_frac: float
    health_frac: float
    health_measured: bool
    cycles: float
    flights: int
    tasks: list[CareTaskOut]


class SetOut(Schema):
    """A matched set."""

    mates: str
    model_id: UUID
    packs: list[str]
    level: Level
    words: str
    working: WorkingOut


class ChargingOut(Schema):
    """A charge at the bench."""

    id: UUID
    pack_id: UUID
    pack: str
    charger: str
    charger_id: UUID | None
    port: int
    goal: Goal
    rate_c: float
    from_frac: float | None
    began_at: str
    ended_at: str | None


class ShelfOut(Schema):
    """All packs, all sets, and what is on charge."""

    packs: list[PackLine]
    sets: list[SetOut]
    charging: list[ChargingOut]
    test_each_take_off: bool


class RuleLimit(Schema):
    """A limit of a rule, in its unit: from this value on, or down to it where it falls."""

    kind: Literal["watch", "replace", "good", "bad"]
    value: float
    falling: bool


class RuleOut(Schema):
    """One rule of the verdict: what was measured and its limits as numbers in one unit; ``says`` where no number is a limit."""

    name: str
    level: Level
    measured: float | str
    unit: str
    limits: list[RuleLimit]
    says: str
    words: str
    source: str


class ResistanceOut(Schema):
    """Resistance of each cell at 25 °C."""

    at: date
    cycles: float
    cell_ohm: list[float]


class CapacityOut(Schema):
    """Share of rated capacity."""

    at: date
    cycles: float
    health_frac: float


class TrendOut(Schema):
    """A robust line: value now, and its change for each cycle with the likely range."""

    now: float
    slope: float
    slope_low: float
    slope_high: float


class LimitsOut(Schema):
    """Where watch and replace soon begin."""

    watch: float
    replace: float | None


class ForecastOut(Schema):
    """Cycles left."""

    cycles_left: float | None
    low: float | None
    high: float | None
    limited_by: str
    words: str


class TestOut(Schema):
    """A load test with its verdict."""

    key: UUID
    at: datetime
    cell_v: list[float]
    verdict: str
    weakest_cell: int
    weakest_v: float | None
    words: str


class LevelsOut(Schema):
    """Volts of one cell: good, bad, full."""

    good: float | None
    bad: float | None
    full: float


class MoneyOut(Schema):
    """What it cost, and for each minute."""

    price: float
    so_far: float | None
    over_life: float | None


class LabelOut(Schema):
    """What stands on the label."""

    hard_s: float | None
    gentle_s: float | None
    shown_frac: float
    flights: int
    alarms: list[float | None] | None


class TransportOut(Schema):
    """How it may travel."""

    energy_wh: float
    travel: str
    most_charge_frac: float | None
    words: str
    too_full: bool


class RecordOut(Schema):
    """A record; ``stands`` is false once another took its place."""

    key: UUID
    kind: RecordKind
    at: datetime
    figures: dict[str, Any]
    note: str
    corrects: UUID | None
    who: str
    written_at: datetime
    stands: bool


class LifeBedOut(Schema):
    """A stretch of its life."""

    begins: date
    ends: date
    state: Literal["flown", "shelf", "left full"]
    flights: int


class MarkOut(Schema):
    """Something that stood out."""

    at: date
    words: str
    grave: bool


class LifeOut(Schema):
    """Beds and marks, oldest first."""

    beds: list[LifeBedOut]
    marks: list[MarkOut]


class PackFacts(Schema):
    """What is in the register beside the shelf line."""

    serial: str
    notes: str
    bought_on: date | None
    warranty_until: date | None
    grounded_why: str


class ModelFacts(Schema):
    """Its model."""

    name: str
    chemistry: str
    cells: int
    parallel: int
    capacity_ah: float
    rated_wh: float
    mass_kg: float | None
    label_c: float | None
    fits: str
    most_rate_c: float
    storage_frac: float
    drains_itself: bool


class PackPage(Schema):
    """Everything a pack's page draws."""

    line: PackLine
    pack: PackFacts
    model: ModelFacts
    set: SetOut | None
    charging: ChargingOut | None
    life: LifeOut
    rules: list[RuleOut]
    resistance: list[ResistanceOut]
    worst_cell: int | None
    first_ohm: float | None
    capacity: list[CapacityOut]
    capacity_trend: TrendOut | None
    capacity_limits: LimitsOut
    resistance_limits: LimitsOut
    forecast: ForecastOut
    tests: list[TestOut]
    test_levels: LevelsOut
    flown_s: float
    flights: int
    money: MoneyOut | None
    label: LabelOut
    true_a: float | None
    true_c: float | None
    transport: TransportOut
    chemistry: str
    volts_tell: bool
    records: list[RecordOut]
    records_count: int


class RecordIn(In):
    """A record to add; ``key`` is made by the sender, so that sending twice writes once."""

    kind: RecordKind
    figures: dict[str, Any]
    at: datetime | None = None
    note: str = Field(default="", max_length=300)
    key: UUID | None = None
    corrects: UUID | None = None


class VerdictOut(Schema):
    """The verdict of a load test."""

    verdict: str
    words: str
    weakest_cell: int
    weakest_v: float | None
    working: WorkingOut


class RecordAnswer(Schema):
    """The record as it was kept, its verdict if it has one, and the page anew."""

    record: RecordOut
    verdict: VerdictOut | None
    page: PackPage


class RestRow(In):
    """Rest volts of one pack."""

    pack_id: UUID
    cell_v: list[float] | None = Field(default=None, max_length=28)
    total_v: float | None = None
    pack_c: float | None = None
    key: UUID | None = None


class RestRows(In):
    """Rest volts of many packs."""

    rows: list[RestRow] = Field(min_length=1, max_length=1000)
    at: datetime | None = None


class BenchIn(In):
    """A charge that is to begin."""

    goal: Goal = "full"
    rate_c: float = 1.0
    pack_c: float | None = None
    charger_id: UUID | None = None
    port: int = 1
    shown: list[float] | None = Field(default=None, max_length=28)


class BenchStepOut(Schema):
    """One step; ``shown`` is what the charger must show."""

    do: str
    why: str
    shown: str


class BenchOut(Schema):
    """Settings and steps of a charge."""

    current_a: float
    full_v: float
    on: list[BenchStepOut]
    off: list[BenchStepOut]
    cautions: list[str]
    working: WorkingOut


class EndCharge(In):
    """How a charge ended."""

    to_frac: float | None = None
    put_back_ah: float | None = None
    most_c: float | None = None


class ProblemCell(Schema):
    """A wrong cell of a table."""

    row: int
    column: str
    detail: str


class IntakeOut(Schema):
    """A table being read in."""

    id: UUID
    name: str
    state: Literal["waiting", "checking", "writing", "done", "refused", "stopped"]
    what: str
    rows: int
    done: int
    problems: list[ProblemCell]
    words: str
    broken_off: bool


class ChoiceOut(Schema):
    """A choice of a school."""

    value: bool | float | str
    words: str


class OwnOut(Schema):
    """What the organisation set itself."""

    value: bool | float | str
    why: str
    by: str
    at: datetime


class SettingOut(Schema):
    """A line of the policy."""

    key: str
    group: str
    words: str
    unit: str
    scale: float
    low: float
    high: float
    choices: list[ChoiceOut]
    default: bool | float | str
    reason: str
    source: str
    value: bool | float | str
    own: OwnOut | None


class DefaultOut(Schema):
    """A figure that something begins with."""

    key: str
    words: str
    value: float
    unit: str
    low: float
    high: float
    reason: str


class PolicyOut(Schema):
    """The policy."""

    version: int
    currency: str
    settings: list[SettingOut]


class PolicyChange(In):
    """A setting to change; no value sets it back to the default."""

    key: str
    value: bool | float | str | None
    why: str = ""


class PolicyIn(In):
    """Changes to the policy, with the version that was seen."""

    version: int
    changes: list[PolicyChange] = Field(max_length=200)
    currency: str | None = Field(default=None, max_length=3)
