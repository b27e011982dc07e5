"""What screens show of the store, of mix sheets and of spray records: one frozen shape for each thing."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal
from uuid import UUID

from quarry.apps.spraying.fields import LoadFact, WeatherFact

MoveKind = Literal["received", "used", "counted", "disposed"]


@dataclass(frozen=True, slots=True)
class MoveOut:
    """What came to a batch or was taken from it."""

    at: datetime
    amount: float
    kind: MoveKind
    words: str
    by: str


@dataclass(frozen=True, slots=True)
class BatchOut:
    """A batch in the store: what is left, whether it has expired, what moved."""

    id: UUID
    product_id: UUID
    product: str
    unit: str
    name: str
    expires_on: str | None
    expired: bool
    left_amount: float
    archived: bool
    moves: list[MoveOut]


@dataclass(frozen=True, slots=True)
class StoreOut:
    """The store."""

    batches: list[BatchOut]


@dataclass(frozen=True, slots=True)
class MixLoadOut:
    """One filling: litres, water, and what of each product in the order of the sheet."""

    number: int
    load_l: float
    water_l: float
    amounts: list[float]
    sorties: list[str]


@dataclass(frozen=True, slots=True)
class MixProductOut:
    """A product of the sheet, in the order in which it is filled, with what the store holds of it and its label says."""

    product_id: str
    name: str
    unit: str
    form: str
    per_ha_amount: float
    total_amount: float
    from_batches: list[str]
    short_amount: float
    clothing: str
    reentry_h: float | None
    rainfast_h: float | None
    before_harvest_days: int | None


@dataclass(frozen=True, slots=True)
class MixFinding:
    """Something that speaks against a mix, or wants to be looked at; ``field``: where it is entered."""

    verdict: Literal["no", "care"]
    words: str
    field: str = ""


@dataclass(frozen=True, slots=True)
class MixSheetOut:
    """What goes into each load of a job. ``problem``: why there is no sheet, at its ``field``.

    ``label_table``: winds and distances that keep the labels of all products for the droplets of the job; empty without such tables.
    """

    job_id: UUID
    job: str
    letter: str
    crop: str
    problem: str
    field: str
    rate_l_ha: float
    area_ha: float
    spray_l: float
    mix_l: float
    lines_l: float
    vessel: bool
    fill_s: float
    loads: list[MixLoadOut]
    products: list[MixProductOut]
    findings: list[MixFinding]
    usual: list[str]
    label_table: list[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class EntryLine:
    """An entry of a record in the order in which they were made; ``was``: what stood there before."""

    label: str
    was: str
    value: str
    by: str
    at: datetime
    why: str


@dataclass(frozen=True, slots=True)
class RecordFieldOut:
    """A field of a record: its value as text, whether the record needs it, and what was entered there before."""

    key: str
    label: str
    value: str
    unit: str
    needed: bool
    choices: list[str]


@dataclass(frozen=True, slots=True)
class RecordProductOut:
    """A product of a record: amount over all loads, and its batch as entered; ``not_in_store``: nothing is taken of those."""

    product_id: str
    name: str
    registration: str
    unit: str
    per_ha_amount: float
    amount: float
    batch: str
    key: str
    batches: list[str]
    not_in_store: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class SprayRecordOut:
    """A spray record as it stands: number 0 until something of it was entered or its day has closed."""

    number: int
    job_id: UUID
    day_id: UUID
    job: str
    letter: str
    day: str
    date: str
    time_zone: str
    place: str
    closed_at: datetime | None
    without: str
    area_ha: float
    litres: float
    litres_counted: bool
    rate_l_ha: float
    swath_m: float
    fields: list[RecordFieldOut]
    loads: list[LoadFact]
    weather: list[WeatherFact]
    products: list[RecordProductOut]
    kept_clear: list[str]
    lacks: list[str]
    entries: list[EntryLine]


@dataclass(frozen=True, slots=True)
class RecordLine:
    """A record in the list."""

    number: int
    job_id: UUID
    day_id: UUID
    date: str
    job: str
    fields: str
    crop: str
    products: list[str]
    area_ha: float
    litres: float
    lacks_count: int
    closed: bool


@dataclass(frozen=True, slots=True)
class RecordLines:
    """Records of a search, the newest first, with what they come to; columns that a table of them can have.

    ``not_shown``: older ones that a list this long has no room for; a season or a product finds them.
    """

    items: list[RecordLine]
    not_shown: int
    area_ha: float
    litres: float
    seasons: list[str]
    columns: list[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class DayLacks:
    """What the records of a day lack before it closes, by the letter of the job."""

    job_id: UUID
    letter: str
    job: str
    lacks: list[str]


@dataclass(frozen=True, slots=True)
class SwathTestOut:
    """A swath test that was kept: the widest spacing that is even enough the way it is flown."""

    id: UUID
    aircraft_id: UUID
    aircraft: str
    height_m: float
    nozzle: str
    wind_m_s: float | None
    way: str
    spacing_m: float
    variation_frac: float
    wanted_frac: float
    by: str
    made_at: datetime
