"""The logbook: what was flown, imports, logs, flights, comparisons, what flights teach, totals."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from quarry.api.schemas.base import In, WorkingOut
from quarry.apps.logbook.views import (
    By,
    FileOfFlight,
    FlightPlanned,
    GroupFlight,
    JobNamed,
    MatchCandidate,
    NamedThing,
    Of,
    Subject,
)

Axis = Literal["percent", "time", "charge"]
CurveOf = Literal["cell_v", "left_frac", "current_a", "pack_c", "height_m", "speed_m_s"]


class BookQuery(Schema):
    """Which part of the logbook."""

    begins: date | None = None
    ends: date | None = None
    words: str = ""
    pack_id: UUID | None = None
    aircraft_id: UUID | None = None
    job_id: UUID | None = None
    cursor: str = Field(default="", max_length=400)
    size: int = 100


class DateSpan(Schema):
    """Between two dates."""

    begins: date | None = None
    ends: date | None = None


class RecordsQuery(DateSpan):
    """Which records."""

    words: str = ""
    cursor: str = Field(default="", max_length=400)
    size: int = 100


class LogColumn(Schema):
    """A column and what it is taken for."""

    header: str
    unit_row: str
    quantity: str
    unit: str
    cell: int
    certain: bool
    why: str


class LookOut(Schema):
    """The head of a log."""

    columns: list[LogColumn]
    rows: list[list[str]]
    lacks: str
    separator: str
    decimal: str
    encoding: str
    first_row: int


class LogFileOut(Schema):
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
    look: LookOut
    zone: str
    same_kind: int
    told: bool
    flights: list[UUID]


class ColumnChoice(Schema):
    """Something that a column may hold."""

    name: str
    words: str
    units: list[str]


class LogFilePage(Schema):
    """A log to be told of."""

    file: LogFileOut
    choices: list[ColumnChoice]
    zone_guess: str


class ColumnIn(In):
    """What a column holds."""

    header: str = Field(max_length=200)
    quantity: str = Field(default="", max_length=40)
    unit: str = Field(default="", max_length=20)
    cell: int = 0


class ColumnsIn(In):
    """What the columns of a log hold."""

    columns: list[ColumnIn] = Field(max_length=500)
    zone: str = Field(default="", max_length=40)


class RefusedFile(Schema):
    """A log that still cannot be read."""

    name: str
    words: str


class ColumnsOut(Schema):
    """What came of what was told."""

    read: int
    queued: int
    refused: list[RefusedFile]
    file: LogFileOut


class FlightFigures(Schema):
    """What a flight says; what its log does not tell is missing."""

    length_s: float
    from_frac: float | None = None
    to_frac: float | None = None
    used_frac: float | None = None
    min_per_percent: float | None = None
    knee_frac: float | None = None
    knee_s: float | None = None
    drops: list[list[float]] = []
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
    steps: int = 0
    from_c: float | None = None
    to_c: float | None = None
    most_c: float | None = None
    settled_c: float | None = None
    distance_m: float | None = None
    warned_s: float | None = None
    warned_frac: float | None = None
    in_warning_s: float | None = None
    critical_s: float | None = None
    cells_count: int | None = None
    working: WorkingOut | None = None


class PhaseDrawOut(Schema):
    """What a kind of stretch drew."""

    name: str
    length_s: float
    mean_a: float | None
    mean_w: float | None
    wh: float | None


class FlightMark(Schema):
    """A change of mode or warning."""

    at_s: float
    kind: Literal["mode", "warning"]
    words: str


class WindMetOut(Schema):
    """The wind that a flight met."""

    wind_m_s: float
    from_deg: float
    air_m_s: float
    off_m_s: float
    rows: int
    whole: bool


class FlightClaimOut(Schema):
    """What was claimed of a flight, and what it measured."""

    claimed: float
    measured: float
    unit: str
    ratio: float
    working: WorkingOut


class FlightPage(Schema):
    """A flight of a log."""

    id: UUID
    version: int
    file: FileOfFlight
    number: int
    began_at: datetime | None
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
    match: Literal["none", "sure", "asked", "said"]
    candidates: list[MatchCandidate]
    payload_kg: float | None
    air_c: float | None
    note: str
    figures: FlightFigures
    by_phase: list[PhaseDrawOut]
    phases: list[tuple[str, float, float]]
    phase_words: dict[str, str]
    marks: list[FlightMark]
    wind: WindMetOut | None
    track: list[list[float]]
    claims: dict[str, FlightClaimOut]
    planned: FlightPlanned | None
    route: list[list[list[float]]]


class FlightIn(In):
    """What somebody says of a flight; what is left out stays."""

    version: int
    note: str | None = Field(default=None, max_length=1000)
    payload_kg: float | None = None
    air_c: float | None = None
    began_at: datetime | None = None
    record: str | None = Field(default=None, max_length=80)
    pack_ids: list[UUID] | None = Field(default=None, max_length=8)
    aircraft_id: UUID | None = None


class SeriesOut(Schema):
    """Samples of a stretch of a flight, thinned to what a screen can show; gaps are null."""

    time_s: list[float]
    series: dict[str, list[float | None]]
    rows: int
    whole_s: float


class GroupIn(In):
    """A group of flights with a log."""

    flight_ids: list[UUID] | None = Field(default=None, max_length=60)
    pack_id: UUID | None = None
    pack_model_id: UUID | None = None
    aircraft_id: UUID | None = None
    aircraft_model_id: UUID | None = None
    job_id: UUID | None = None
    firmware: str | None = Field(default=None, max_length=60)
    begins: date | None = None
    ends: date | None = None
    least_air_c: float | None = None
    most_air_c: float | None = None
    least_pack_c: float | None = None
    most_pack_c: float | None = None
    least_wind_m_s: float | None = None
    most_wind_m_s: float | None = None
    least_payload_kg: float | None = None
    most_payload_kg: float | None = None


class CompareIn(In):
    """Two groups, and what is laid over one another."""

    ours: GroupIn
    theirs: GroupIn
    quantity: CurveOf = "cell_v"
    axis: Axis = "percent"


class FlightCurveOut(Schema):
    """One curve."""

    id: UUID
    x: list[float]
    y: list[float]


class BandOut(Schema):
    """Middle of a group, and its middle half."""

    x: list[float]
    middle: list[float]
    low: list[float]
    high: list[float]


class FlightGroupOut(Schema):
    """A group, drawn."""

    curves: list[FlightCurveOut]
    band: BandOut | None
    without: int
    flights: list[GroupFlight]


class DifferenceOut(Schema):
    """How far a figure of one group lies from that of the other."""

    figure: str
    unit: str
    of: float
    against: float
    difference: float
    low: float
    high: float
    noise: bool


class CompareOut(Schema):
    """Two groups laid over one another."""

    ours: FlightGroupOut
    theirs: FlightGroupOut
    table: list[DifferenceOut]
    quantity: CurveOf
    axis: Axis


class AcceptIn(In):
    """The lesson to go by, with the factor that was seen."""

    subject: Subject
    thing: Of
    thing_id: UUID | None = None
    factor: float


class TotalsQuery(Schema):
    """Totals by what, between which dates."""

    begins: date | None = None
    ends: date | None = None
    by: By = "month"
