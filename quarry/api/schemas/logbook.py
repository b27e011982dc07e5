"""The logbook: what was flown, imports, logs, flights, comparisons, what flights teach, totals."""

from __future__ import annotations

from datetime import date, datetime
from uuid import UUID

from pydantic import Field

from quarry.api.schemas.base import In
from quarry.apps.logbook.views import Axis, By, CurveOf, Of, Season, Subject


class BookQuery(In):
    """Which part of the logbook."""

    begins: date | None = None
    ends: date | None = None
    words: str = ""
    pack_id: UUID | None = None
    aircraft_id: UUID | None = None
    job_id: UUID | None = None
    cursor: str = Field(default="", max_length=400)
    size: int = 100


class DateSpan(In):
    """Between two dates."""

    begins: date | None = None
    ends: date | None = None


class RecordsQuery(DateSpan):
    """Which records."""

    words: str = ""
    cursor: str = Field(default="", max_length=400)
    size: int = 100


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


class AcceptLogIn(In):
    """How a log that contradicts itself is read: as it is, or in parts where its clock does not go on."""

    split: bool = False


class GroupIn(In):
    """A group of flights with a log."""

    flight_ids: list[UUID] | None = Field(default=None, max_length=60)
    pack_id: UUID | None = None
    pack_model_id: UUID | None = None
    aircraft_id: UUID | None = None
    aircraft_model_id: UUID | None = None
    job_id: UUID | None = None
    firmware: str | None = Field(default=None, max_length=60)
    person: str | None = Field(default=None, max_length=120)
    season: Season | None = None
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
    """Groups, of which the first is what the others are held against, and what is laid over one another.

    ``at_frac``: the charge left from which the axis ``at_percent`` counts.
    """

    groups: list[GroupIn] = Field(min_length=2, max_length=6)
    quantity: CurveOf = "cell_v"
    axis: Axis = "percent"
    at_frac: float | None = Field(default=None, ge=0, le=1)


class AcceptIn(In):
    """The lesson to go by, with the factor that was seen."""

    subject: Subject
    thing: Of
    thing_id: UUID | None = None
    factor: float


class TotalsQuery(In):
    """Totals by what, between which dates."""

    begins: date | None = None
    ends: date | None = None
    by: By = "month"
