"""What screens show of packs, their records and care: one frozen shape for each thing."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any, Literal
from uuid import UUID

from quarry.apps.care.fields import Goal
from quarry.apps.workings import WorkingOut
from quarry.core.packs.at_the_charger import BenchStep
from quarry.core.packs.depth import DepthTable
from quarry.core.packs.forecast import Forecast, Trend, TrendAhead

Level = Literal["in service", "not yet tested", "watch", "replace soon", "grounded"]
Task = Literal["recycle", "take out of service", "load test", "bring to storage", "monthly check", "balance", "order successor"]
ImportState = Literal["waiting", "checking", "writing", "done", "refused", "stopped"]
RecordKind = Literal[
    "load test",
    "resistance",
    "capacity",
    "rest volts",
    "flight",
    "charge",
    "storage",
    "reading",
    "look",
    "mishap",
    "grounding",
    "release",
    "care",
    "alarm levels",
    "withdrawal",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class CareTaskOut:
    """Something a pack needs, since or from when, and why."""

    kind: Task
    due: dt.date
    words: str
    by_itself: bool
    late: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PackLine:
    """A pack as it stands."""

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


@dataclass(frozen=True, slots=True, kw_only=True)
class SetOut:
    """A matched set."""

    mates: str
    model_id: UUID
    packs: list[str]
    level: Level
    words: str
    working: WorkingOut


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargingOut:
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
    began_at: dt.datetime
    ended_at: dt.datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ShelfOut:
    """All packs, all sets, and what is on charge."""

    packs: list[PackLine]
    sets: list[SetOut]
    charging: list[ChargingOut]
    test_each_take_off: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class RuleLimit:
    """A limit of a rule, in its unit: from this value on, or down to it where it falls."""

    kind: Literal["watch", "replace", "good", "bad"]
    value: float
    falling: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class RuleOut:
    """One rule of the verdict: what was measured and its limits as numbers in one unit; ``says`` where no number is a limit."""

    name: str
    level: Level
    measured: int | float | str
    unit: str
    limits: list[RuleLimit]
    says: str
    words: str
    source: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ResistanceOut:
    """Resistance of each cell at 25 °C."""

    at: dt.date
    cycles: float
    cell_ohm: list[float]


@dataclass(frozen=True, slots=True, kw_only=True)
class CapacityOut:
    """Share of rated capacity."""

    at: dt.date
    cycles: float
    health_frac: float


@dataclass(frozen=True, slots=True, kw_only=True)
class LimitsOut:
    """Where watch and replace soon begin."""

    watch: float
    replace: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class TestOut:
    """A load test with its verdict."""

    key: UUID
    at: dt.datetime
    cell_v: list[float]
    verdict: str
    weakest_cell: int
    weakest_v: float | None
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelsOut:
    """Volts of one cell: good, bad, full."""

    good: float | None
    bad: float | None
    full: float


@dataclass(frozen=True, slots=True, kw_only=True)
class MoneyOut:
    """What it cost, and for each minute."""

    price: float
    so_far: float | None
    over_life: float | None


@dataclass(frozen=True, slots=True)
class AlarmsSet:
    """Alarm levels of a whole pack at rest, whether a flight proved them, and the loss under load where it is known. [V]"""

    first_v: float
    second_v: float
    proven: bool
    loss_v: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class LabelOut:
    """What stands on the label; ``alarms``: both levels, whether they were proven, and the loss under load."""

    hard_s: float | None
    gentle_s: float | None
    shown_frac: float
    flights: int
    alarms: AlarmsSet | None


@dataclass(frozen=True, slots=True, kw_only=True)
class TransportOut:
    """How it may travel."""

    energy_wh: float
    travel: str
    most_charge_frac: float | None
    words: str
    too_full: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordOut:
    """A record; ``stands`` is false once another took its place."""

    key: UUID
    kind: RecordKind
    at: dt.datetime
    figures: dict[str, Any]
    note: str
    corrects: UUID | None
    who: str
    written_at: dt.datetime
    stands: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class LifeBedOut:
    """A stretch of its life."""

    begins: dt.date
    ends: dt.date
    state: Literal["flown", "shelf", "left full"]
    flights: int


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkOut:
    """Something that stood out."""

    at: dt.date
    words: str
    grave: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class LifeOut:
    """Beds and marks, oldest first."""

    beds: list[LifeBedOut]
    marks: list[MarkOut]


@dataclass(frozen=True, slots=True, kw_only=True)
class InventoryEntry:
    """What is in the inventory beside the line of a pack."""

    serial: str
    notes: str
    bought_on: dt.date | None
    warranty_until: dt.date | None
    grounded_why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PackModelFigures:
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


@dataclass(frozen=True, slots=True)
class PhotoKey:
    """The key by which a record names a photo."""

    key: UUID


@dataclass(frozen=True, slots=True, kw_only=True)
class WarrantyOut:
    """Where a pack stands in its warranty."""

    replace_until: dt.date | None
    prorata_until: dt.date | None
    share_frac: float
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PackBody:
    """What a pack's page draws beside its shelf line and its records."""

    life: LifeOut
    rules: list[RuleOut]
    resistance: list[ResistanceOut]
    worst_cell: int | None
    first_ohm: float | None
    capacity: list[CapacityOut]
    capacity_trend: Trend | None
    capacity_ahead: TrendAhead | None
    capacity_limits: LimitsOut
    resistance_limits: LimitsOut
    forecast: Forecast
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
    depth: DepthTable | None
    warranty: WarrantyOut | None


@dataclass(frozen=True, slots=True, kw_only=True)
class PackPage(PackBody):
    """Everything a pack's page draws."""

    line: PackLine
    pack: InventoryEntry
    model: PackModelFigures
    set: SetOut | None
    charging: ChargingOut | None
    records: list[RecordOut]
    records_count: int


@dataclass(frozen=True, slots=True, kw_only=True)
class VerdictOut:
    """The verdict of a load test."""

    verdict: str
    words: str
    weakest_cell: int
    weakest_v: float | None
    working: WorkingOut


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordAnswer:
    """The record as it was kept, its verdict if it has one, and the page anew."""

    record: RecordOut
    verdict: VerdictOut | None
    page: PackPage


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchOut:
    """Settings and steps of a charge."""

    current_a: float
    full_v: float
    on: list[BenchStep]
    off: list[BenchStep]
    cautions: list[str]
    working: WorkingOut


@dataclass(frozen=True, slots=True, kw_only=True)
class ProblemCell:
    """A wrong cell of a table."""

    row: int
    column: str
    detail: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TableImportOut:
    """A table being read in."""

    id: UUID
    name: str
    state: ImportState
    what: str
    rows: int
    done: int
    problems: list[ProblemCell]
    words: str
    broken_off: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class LabelFigures:
    """Everything that is printed on the label of a pack."""

    id: UUID
    name: str
    mates: str
    model: str
    cells: int
    capacity_ah: float
    rated_wh: float
    hard_s: float | None
    gentle_s: float | None
    shown_frac: float
    flights: int
    alarms: AlarmsSet | None
    storage_frac: float
    grounded: bool
