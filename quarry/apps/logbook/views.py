"""What the logbook shows: one frozen shape for each thing, from which the API's schema and the screens' types are derived."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, field
from typing import Any, Literal
from uuid import UUID

from quarry.apps.workings import WorkingOut
from quarry.core.logs.by_phase import PhaseDraw
from quarry.core.logs.groups import Condition
from quarry.core.logs.wind import WindMet

Subject = Literal["power", "capacity", "resistance", "charge", "swap"]
Of = Literal["aircraft model", "aircraft", "pack", ""]
__all__ = ["Condition", "PhaseDraw", "WindMet"]
Axis = Literal["percent", "time", "charge", "at_percent", "warning", "landing"]
CurveOf = Literal["cell_v", "left_frac", "current_a", "pack_c", "height_m", "speed_m_s"]
MatchWord = Literal["none", "sure", "asked", "said"]
Source = Literal["day", "record", "log"]
RatedKind = Literal["hover", "steady", "mixed", "figures"]
MinutesBy = Literal["all", "firmware", "season", "air"]
Season = Literal["1", "2", "3", "4"]  # quarters of a year from December on
By = Literal["month", "season", "person", "aircraft", "model", "firmware", "pack", "job", "warning", "landing"]


@dataclass(frozen=True, slots=True)
class BookEntry:
    """A flight, whoever recorded it: a running day, a record of a pack, or a log."""

    id: str
    source: Source
    began_at: dt.datetime | None
    length_s: float
    from_frac: float | None
    to_frac: float | None
    aircraft: str
    aircraft_id: str | None
    packs: list[str]
    pack_ids: list[str]
    job_id: str | None
    job: str
    letter: str
    sortie: str
    day_id: str | None
    day: str
    date: dt.date | None
    who: str
    planned_s: float | None
    planned_frac: float | None
    hectares: float
    litres: float | None
    air_c: float | None
    flight_id: str | None
    ask: str


@dataclass(frozen=True, slots=True)
class AskingFile:
    """A log of which somebody should say what its columns are."""

    id: UUID
    name: str
    words: str


@dataclass(frozen=True, slots=True)
class AskingFlight:
    """A flight of a log of which somebody should say something."""

    id: UUID
    name: str
    ask: str
    began_at: dt.datetime | None
    length_s: float


@dataclass(frozen=True, slots=True)
class ReportLine:
    """What came of one file of an import."""

    name: str
    state: Literal["read", "there", "asks", "refused"]
    words: str
    file_id: UUID | None = None
    flights: int = 0
    rows: int = 0
    bad_rows: int = 0
    flight_ids: list[UUID] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class ImportOut:
    """How far an import has come."""

    id: UUID
    name: str
    state: Literal["waiting", "reading", "done", "refused", "stopped"]
    total: int
    done: int
    words: str
    report: list[ReportLine]
    made_at: dt.datetime
    broken_off: bool


@dataclass(frozen=True, slots=True)
class BookOut:
    """A page of the logbook with the sums of all that fits, what needs an answer, and the imports of late."""

    entries: list[BookEntry]
    next: str | None
    flights: int
    flown_s: float
    hectares: float
    litres: float
    with_log: int
    asking_files: list[AskingFile]
    asking_flights: list[AskingFlight]
    imports: list[ImportOut]


@dataclass(frozen=True, slots=True)
class BookRecord:
    """A charge or a test of a pack."""

    key: UUID
    at: dt.datetime
    kind: str
    pack: str
    pack_id: UUID
    who: str
    note: str
    figures: dict[str, Any]


@dataclass(frozen=True, slots=True)
class BookRecords:
    """A page of charges or tests, and how many there are in all."""

    items: list[BookRecord]
    next: str | None
    total: int


@dataclass(frozen=True, slots=True)
class LessonFigures:
    """What ratios make of a factor, with its working."""

    measured_ratio: float
    count: int
    left_out: int
    weight_frac: float
    low: float
    high: float
    noise: bool
    words: str
    working: WorkingOut


@dataclass(frozen=True, slots=True)
class LessonPoint:
    """One flight that teaches."""

    flight_id: UUID
    at: dt.datetime | None
    ratio: float
    measured: float
    claimed: float


@dataclass(frozen=True, slots=True)
class LessonOut:
    """What flights, charges or swaps teach of one thing: rated, measured, what planning goes by and what it would."""

    subject: Subject
    thing: Of
    thing_id: UUID | None
    name: str
    kind: str
    claimed: float
    unit: str
    now_factor: float
    now_number: int | None
    factor: float | None
    figures: LessonFigures | None
    new: bool
    points: list[LessonPoint]


@dataclass(frozen=True, slots=True)
class CalibrationOut:
    """A calibration that was accepted."""

    number: int
    subject: Subject
    name: str
    factor: float
    words: str
    working: WorkingOut | None
    accepted_at: dt.datetime
    accepted_by: str
    rolled_back_at: dt.datetime | None
    rolled_back_by: str


@dataclass(frozen=True, slots=True)
class DayAgainstPlan:
    """How a day kept to its plan."""

    day_id: UUID
    name: str
    date: dt.date
    opens_at: dt.datetime
    closed: bool
    plan_number: int
    planned_finish_s: float
    promised_s: float | None
    finish_s: float | None
    planned_sorties: int
    sorties: int
    planned_air_s: float
    air_s: float


@dataclass(frozen=True, slots=True)
class RatedClaim:
    """Minutes that the maker states with so much left, or that follow from the figures of aircraft and pack; and measured."""

    kind: RatedKind
    rated_min: float
    left_frac: float
    measured_min: float


@dataclass(frozen=True, slots=True)
class MeasuredMinutes:
    """What flights of one kind got out of a full pack."""

    by: MinutesBy
    name: str
    flights: int
    kneed: int
    to_reserve_min: float
    to_warning_min: float | None
    to_empty_min: float
    least_min: float
    most_min: float


@dataclass(frozen=True, slots=True)
class MinutesOut:
    """Minutes from full of a model of aircraft on a model of pack: rated, and measured in all, by firmware, season and air."""

    aircraft_model: str
    pack_model: str
    reserve_frac: float
    rated: list[RatedClaim]
    rows: list[MeasuredMinutes]


@dataclass(frozen=True, slots=True)
class ClaimsOut:
    """Rated against measured."""

    lessons: list[LessonOut]
    calibrations: list[CalibrationOut]
    days: list[DayAgainstPlan]
    covered: int
    covered_of: int
    minutes: list[MinutesOut]


@dataclass(frozen=True, slots=True)
class TotalRow:
    """Sums of a group of flights; ``warned``: flights with a log in which the battery warned; ``early``: landed before its time."""

    name: str
    flights: int
    flown_s: float
    cycles: float
    hectares: float
    litres: float
    with_log: int
    longest_s: float
    warned: int
    early: int


@dataclass(frozen=True, slots=True)
class MonthOfPack:
    """Minutes that packs of a model gave from full to empty in a month, over ``flights``; ``air_c`` of those that tell it."""

    model: str
    month: str
    minutes: float
    flights: int
    air_c: float | None


@dataclass(frozen=True, slots=True)
class TotalsOut:
    """What was flown in all, and what packs gave month by month."""

    by: By
    begins: dt.date | None
    ends: dt.date | None
    rows: list[TotalRow]
    sum: TotalRow
    months: list[MonthOfPack]


@dataclass(frozen=True, slots=True)
class NamedThing:
    """A thing by its name."""

    id: UUID
    name: str


@dataclass(frozen=True, slots=True)
class JobNamed:
    """A job by its name and letter."""

    id: UUID
    name: str
    letter: str


@dataclass(frozen=True, slots=True)
class ColumnUse:
    """A column of a log: what it was taken for in words, empty where it is not used, in which unit, and why."""

    header: str
    words: str
    unit: str
    why: str


@dataclass(frozen=True, slots=True)
class FileOfFlight:
    """The log in which a flight was found."""

    id: UUID
    name: str
    doubts: list[str]
    bad_rows: int
    rows: int
    examples: list[str]
    flights: int
    columns: list[ColumnUse]


@dataclass(frozen=True, slots=True)
class MatchCandidate:
    """A recorded flight that a log may be of."""

    id: str
    score: float
    off_s: float
    why: str
    began_at: dt.datetime | None
    length_s: float
    words: str


@dataclass(frozen=True, slots=True)
class FlightPlanned:
    """What was planned and recorded of a flight."""

    planned_s: float | None
    planned_frac: float | None
    recorded_s: float
    to_frac: float | None
    who: str
    source: str


@dataclass(frozen=True, slots=True)
class Grouping:
    """A thing, person, firmware or season by which flights can be grouped, and how many have a log."""

    id: str
    name: str
    flights: int


@dataclass(frozen=True, slots=True)
class GroupingsOut:
    """What flights with a log can be grouped by, each with the most flights first."""

    packs: list[Grouping]
    pack_models: list[Grouping]
    aircraft: list[Grouping]
    aircraft_models: list[Grouping]
    jobs: list[Grouping]
    firmware: list[Grouping]
    people: list[Grouping]
    seasons: list[Grouping]
    flights: int


@dataclass(frozen=True, slots=True)
class GroupFlight:
    """A flight of a group that is compared."""

    id: UUID
    began_at: dt.datetime | None
    length_s: float
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LogColumn:
    """A column and what it is taken for."""

    header: str
    unit_row: str
    quantity: str
    unit: str
    cell: int
    certain: bool
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LookOut:
    """The head of a log."""

    columns: list[LogColumn]
    rows: list[list[str]]
    lacks: str
    separator: str
    decimal: str
    encoding: str
    first_row: int


@dataclass(frozen=True, slots=True)
class HeldRow:
    """A row of a log by its line in the file."""

    number: int
    cells: list[str]


@dataclass(frozen=True, slots=True)
class HoldOut:
    """What a log says against itself, the line of the file at which it shows with the rows around it, and what would mend it.

    ``leave_out``: columns one of which is not what it is taken for; ``splits``: read in parts it would be whole.
    """

    words: str
    line: int | None
    rows: list[HeldRow]
    leave_out: list[str]
    splits: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class LogFileOut:
    """A log."""

    id: UUID
    name: str
    size: int
    state: Literal["asks", "read"]
    words: str
    rows: int
    bad_rows: int
    examples: list[str]
    doubts: list[str]
    held: bool
    holds: list[HoldOut]
    look: LookOut
    zone: str
    same_kind: int
    columns_said: bool
    flights: list[UUID]


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnChoice:
    """Something that a column may hold."""

    name: str
    words: str
    units: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class LogFilePage:
    """A log to be told of."""

    file: LogFileOut
    choices: list[ColumnChoice]
    zone_guess: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RefusedFile:
    """A log that still cannot be read."""

    name: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnsOut:
    """What came of what was told."""

    read: int
    queued: int
    refused: list[RefusedFile]
    file: LogFileOut


@dataclass(frozen=True, slots=True, kw_only=True)
class FlightFigures:
    """What a flight says; what its log does not tell is missing."""

    length_s: float
    from_frac: float | None = None
    to_frac: float | None = None
    used_frac: float | None = None
    min_per_percent: float | None = None
    above_knee_min: float | None = None
    below_knee_min: float | None = None
    low_run_s: float | None = None
    knee_frac: float | None = None
    knee_s: float | None = None
    drops: tuple[list[float], ...] = ()
    mean_a: float | None = None
    hard_a: float | None = None
    mean_w: float | None = None
    used_ah: float | None = None
    used_wh: float | None = None
    ah_per_min: float | None = None
    wh_per_km: float | None = None
    lowest_v: float | None = None
    lowest_cell: int | None = None
    spread_v: float | None = None
    resistance_ohm: float | None = None
    resistance_c: float | None = None
    resistance_r2: float | None = None
    resistance_25_ohm: float | None = None
    steps: int = 0
    from_c: float | None = None
    to_c: float | None = None
    most_c: float | None = None
    settled_c: float | None = None
    distance_m: float | None = None
    warned_by: Literal["", "log", "percent"] = ""
    warned_s: float | None = None
    warned_frac: float | None = None
    in_warning_s: float | None = None
    critical_at_s: float | None = None
    critical_s: float | None = None
    cells_count: int | None = None
    working: WorkingOut | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class FlightMark:
    """A change of mode or warning."""

    at_s: float
    kind: Literal["mode", "warning"]
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class FlightClaimOut:
    """What was rated of a flight, and what it measured."""

    claimed: float
    measured: float
    unit: str
    ratio: float
    working: WorkingOut


@dataclass(frozen=True, slots=True, kw_only=True)
class FlightPage:
    """A flight of a log."""

    id: UUID
    version: int
    file: FileOfFlight
    number: int
    began_at: dt.datetime | None
    zoned: bool
    zone: str
    length_s: float
    serial: str
    firmware: str
    packs: list[NamedThing]
    aircraft: NamedThing | None
    job: JobNamed | None
    day: NamedThing | None
    sortie: str
    cells: int | None
    ask: str
    match: MatchWord
    candidates: list[MatchCandidate]
    payload_kg: float | None
    air_c: float | None
    note: str
    figures: FlightFigures
    by_phase: list[PhaseDraw]
    phases: list[tuple[str, float, float]]
    phase_words: dict[str, str]
    marks: list[FlightMark]
    wind: WindMet | None
    track: list[list[float]]
    claims: dict[str, FlightClaimOut]
    planned: FlightPlanned | None
    route: list[list[list[float]]]


@dataclass(frozen=True, slots=True, kw_only=True)
class SeriesOut:
    """Samples of a stretch of a flight, thinned to what a screen can show; gaps are null."""

    time_s: list[float]
    series: dict[str, list[float | None]]
    rows: int
    whole_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class FlightCurveOut:
    """One curve, and the points at which the first and the critical warning came."""

    id: UUID
    x: list[float]
    y: list[float]
    warned: tuple[float, float] | None
    critical: tuple[float, float] | None


@dataclass(frozen=True, slots=True, kw_only=True)
class BandOut:
    """Middle of a group, and its middle half."""

    x: list[float]
    middle: list[float]
    low: list[float]
    high: list[float]


@dataclass(frozen=True, slots=True, kw_only=True)
class FlightGroupOut:
    """A group, drawn."""

    curves: list[FlightCurveOut]
    band: BandOut | None
    without: int
    flights: list[GroupFlight]


@dataclass(frozen=True, slots=True, kw_only=True)
class DifferenceOut:
    """How far a figure of a group lies from that of the first, with the bounds for nine in ten; ``noise``: not significant."""

    difference: float
    low: float
    high: float
    noise: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class AdjustedOut(DifferenceOut):
    """The same by a regression without other conditions that differ."""

    without: list[Condition]


@dataclass(frozen=True, slots=True, kw_only=True)
class CompareRow:
    """One figure: the middle of each group and of how many flights, and how each later group lies from the first."""

    figure: str
    unit: str
    middles: list[float | None]
    counts: list[int]
    against: list[DifferenceOut | None]
    adjusted: list[AdjustedOut | None]


@dataclass(frozen=True, slots=True, kw_only=True)
class ImbalanceOut:
    """A condition in which a group differs from the first besides what they are compared by: means, or the usual names."""

    condition: Condition
    group: int
    mine: float | str
    first: float | str
    taken_out: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class CompareOut:
    """Groups laid over one another, each held against the first."""

    groups: list[FlightGroupOut]
    table: list[CompareRow]
    imbalances: list[ImbalanceOut]
    reserve_frac: float
    quantity: CurveOf
    axis: Axis


@dataclass(frozen=True, slots=True)
class ColumnSaid:
    """What people have said that a column holds."""

    quantity: str
    unit: str
    cell: int = 0


@dataclass(frozen=True, slots=True)
class Candidate:
    """A recorded flight that a log may be of, as it is kept."""

    id: str
    score: float
    off_s: float
    why: str


@dataclass(frozen=True, slots=True)
class ReadWaiting:
    """What came of the logs that waited for the same answer: how many were read, which still cannot be, how many are queued."""

    read: int
    refused: list[RefusedFile]
    queued: int = 0
