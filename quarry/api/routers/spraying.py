"""Spraying: the store, mix sheets, spray records."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpResponse
from ninja import Field, Query, Router

from quarry.api.auth import SignedIn
from quarry.api.schemas.base import In, WorkingOut
from quarry.apps.spraying import exports, queries, services
from quarry.apps.spraying.views import BatchOut, DayLacks, MixSheetOut, RecordLines, SprayRecordOut, StoreOut, SwathTestOut

router = Router(tags=["spraying"])
_TYPES = {"csv": "text/csv; charset=utf-8", "pdf": "application/pdf"}


class BatchIn(In):
    """A batch that came to the store."""

    product_id: UUID
    name: str = Field(max_length=40)
    amount: float
    expires_on: date | None = None


class MoveIn(In):
    """What came to a batch, was used or disposed of, or was counted."""

    kind: Literal["received", "used", "counted", "disposed"]
    amount: float
    words: str = Field(default="", max_length=200)


class WeatherRead(In):
    """The weather as it was measured, entered afterwards."""

    wind_m_s: float | None = None
    gust_m_s: float | None = None
    from_deg: float | None = None
    air_c: float | None = None
    humidity_frac: float | None = None


class EntryIn(In):
    """An entry in a spray record; a reason once its day has closed."""

    key: str = Field(max_length=60)
    value: str | WeatherRead
    why: str = Field(default="", max_length=200)


class SwathTestIn(In):
    """A swath test to keep: catches across the line as distance and amount, how it was flown, how even passes are to be."""

    aircraft_id: UUID
    catches: list[tuple[float, float]] = Field(max_length=200)
    wanted_frac: float
    way: Literal["racetrack", "back and forth"]
    height_m: float
    nozzle: str = Field(default="", max_length=60)
    wind_m_s: float | None = None


class RecordSearch(In):
    """Which closed records: by text, product, season; for a table the columns, in their order."""

    search: str = Field(default="", max_length=80)
    product: str = Field(default="", max_length=60)
    season: str = Field(default="", max_length=9)
    columns: list[Annotated[str, Field(max_length=40)]] = Field(default_factory=list, max_length=60)


def _attached(data: bytes, form: str, name: str) -> HttpResponse:
    answer = HttpResponse(data, content_type=_TYPES[form])
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


@router.get("/store", response=StoreOut, operation_id="store", summary="The store of products")
def store(request: SignedIn, archived: bool = False) -> object:
    """Return every batch with what is left of it and what moved."""
    return queries.store(archived=archived)


@router.post("/store", response={201: BatchOut}, operation_id="add_batch", summary="Add a batch")
def add_batch(request: SignedIn, data: BatchIn) -> object:
    """Add a batch with what was received."""
    return 201, queries.batch_view(services.add_batch(actor=request.user, **data.dict()))


@router.post("/store/{batch_id}/moves", response=BatchOut, operation_id="move_stock", summary="Record a move of a batch")
def move(request: SignedIn, batch_id: UUID, data: MoveIn) -> object:
    """Record what came to a batch or left it."""
    return queries.batch_view(services.move_stock(actor=request.user, batch_id=batch_id, **data.dict()))


@router.delete("/store/{batch_id}", response=BatchOut, operation_id="archive_batch", summary="Archive a batch")
def archive_batch(request: SignedIn, batch_id: UUID) -> object:
    """Archive a batch that is gone."""
    return queries.batch_view(services.set_batch_archived(actor=request.user, batch_id=batch_id, archived=True))


@router.post("/store/{batch_id}/restore", response=BatchOut, operation_id="restore_batch", summary="Restore a batch")
def restore_batch(request: SignedIn, batch_id: UUID) -> object:
    """Restore a batch."""
    return queries.batch_view(services.set_batch_archived(actor=request.user, batch_id=batch_id, archived=False))


@router.get("/jobs/{job_id}/mix", response=MixSheetOut, operation_id="mix_sheet", summary="The mix sheet of a job")
def mix(request: SignedIn, job_id: UUID, on: date | None = None) -> object:
    """Return what goes into each load, or why there is no sheet."""
    return queries.mix_sheet_of(job_id, on)


@router.get("/jobs/{job_id}/mix/working", response=WorkingOut, operation_id="mix_working", summary="The working of a figure")
def mix_working(request: SignedIn, job_id: UUID, key: str) -> object:
    """Return how a figure of a mix sheet comes about."""
    return queries.mix_working(job_id, key)


@router.get("/jobs/{job_id}/mix.pdf", operation_id="export_mix", summary="The mix sheet as PDF")
def mix_pdf(request: SignedIn, job_id: UUID, on: date | None = None) -> HttpResponse:
    """Return the mix sheet for the mixing place."""
    data, name = exports.export_mix(actor=request.user, job_id=job_id, on=on)
    return _attached(data, "pdf", name)


@router.get("/spray-records", response=RecordLines, operation_id="spray_records", summary="Spray records")
def records(request: SignedIn, query: Query[RecordSearch]) -> object:
    """Return open and closed records, the newest first."""
    return queries.record_lines(search=query.search, product=query.product, season=query.season)


@router.get("/spray-records.{form}", operation_id="export_spray_records", summary="Spray records as CSV or PDF")
def export_records(request: SignedIn, form: Literal["csv", "pdf"], query: Query[RecordSearch]) -> HttpResponse:
    """Return closed records as a table in the columns asked for, or as pages."""
    data, name = exports.export_records(actor=request.user, form=form, **query.dict())
    return _attached(data, form, name)


@router.get("/days/{day_id}/record-lacks", response=list[DayLacks], operation_id="record_lacks", summary="What records lack")
def lacks(request: SignedIn, day_id: UUID) -> object:
    """Return what the spray records of a day lack before it closes."""
    return queries.day_lacks(day_id)


@router.get(
    "/days/{day_id}/jobs/{job_id}/spray-record", response=SprayRecordOut, operation_id="spray_record", summary="A spray record"
)
def record(request: SignedIn, day_id: UUID, job_id: UUID) -> object:
    """Return the record of a job of a day as it stands."""
    return queries.record_of(day_id, job_id)


@router.post(
    "/days/{day_id}/jobs/{job_id}/spray-record",
    response=SprayRecordOut,
    operation_id="enter_in_record",
    summary="Enter something in a spray record",
)
def enter(request: SignedIn, day_id: UUID, job_id: UUID, data: EntryIn) -> object:
    """Enter or correct a field; what stood there stays to be read."""
    value = data.value if isinstance(data.value, str) else data.value.dict()
    return services.enter_in_record(actor=request.user, day_id=day_id, job_id=job_id, key=data.key, value=value, why=data.why)


@router.get("/days/{day_id}/jobs/{job_id}/spray-record.{form}", operation_id="export_spray_record", summary="A record as a file")
def export_record(request: SignedIn, day_id: UUID, job_id: UUID, form: Literal["csv", "pdf"]) -> HttpResponse:
    """Return one record as PDF or CSV."""
    data, name = exports.export_record(actor=request.user, day_id=day_id, job_id=job_id, form=form)
    return _attached(data, form, name)


@router.get("/swath-tests", response=list[SwathTestOut], operation_id="swath_tests", summary="Swath tests that are kept")
def swath_tests(request: SignedIn, aircraft_id: UUID | None = None) -> object:
    """Return swath tests, the newest first."""
    return queries.swath_tests(aircraft_id)


@router.post("/swath-tests", response={201: SwathTestOut}, operation_id="keep_swath_test", summary="Keep a swath test")
def keep_swath_test(request: SignedIn, data: SwathTestIn) -> object:
    """Keep a swath test with the aircraft that flew it."""
    return 201, queries.swath_test_view(services.keep_swath_test(actor=request.user, **data.dict()))


@router.delete("/swath-tests/{test_id}", response=SwathTestOut, operation_id="archive_swath_test", summary="Archive a swath test")
def archive_swath_test(request: SignedIn, test_id: UUID) -> object:
    """Archive a swath test."""
    return queries.swath_test_view(services.set_swath_test_archived(actor=request.user, test_id=test_id, archived=True))


@router.post(
    "/swath-tests/{test_id}/restore", response=SwathTestOut, operation_id="restore_swath_test", summary="Restore a swath test"
)
def restore_swath_test(request: SignedIn, test_id: UUID) -> object:
    """Restore a swath test."""
    return queries.swath_test_view(services.set_swath_test_archived(actor=request.user, test_id=test_id, archived=False))
