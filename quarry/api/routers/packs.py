"""Packs with their records, charges at the bench, labels, and tables."""

from __future__ import annotations

from typing import Literal
from uuid import UUID

from django.conf import settings
from django.http import HttpResponse, StreamingHttpResponse
from django.utils import timezone
from ninja import File, Query, Router, UploadedFile

from quarry.api.auth import SignedIn
from quarry.api.schemas import packs as s
from quarry.api.schemas.base import WorkingOut
from quarry.apps.accounts.errors import DomainError
from quarry.apps.care import importer, queries, services, tasks
from quarry.apps.care.fields import ChargeAsked
from quarry.apps.care.formats.labels import labels_pdf
from quarry.apps.care.views import (
    BenchOut,
    ChargingOut,
    PackPage,
    PhotoKey,
    RecordAnswer,
    RecordOut,
    ShelfOut,
    TableImportOut,
    VerdictOut,
)
from quarry.apps.day.queries import next_flights
from quarry.apps.fleet.fields import charger_modes
from quarry.apps.fleet.models import Charger

router = Router(tags=["packs"])


def _page(pack_id: UUID) -> PackPage:
    return queries.pack_page(pack_id, next_flights().get(str(pack_id)))


def _rest(r: s.RestRow) -> services.RestVolts:
    return services.RestVolts(r.pack_id, tuple(r.cell_v or ()), r.total_v, r.pack_c, r.key)


def _asked(data: s.BenchIn) -> ChargeAsked:
    return ChargeAsked(data.goal, data.rate_c, data.pack_c, data.charger_id, data.port, tuple(data.shown or ()))


@router.get("", response=ShelfOut, operation_id="shelf", summary="All packs with verdict and care")
def shelf(request: SignedIn, archived: bool = False) -> object:
    """Return the packs; what is due knows the days that are planned."""
    return queries.shelf(next_flights(), archived=archived)


@router.post("/rest-volts", response={201: ShelfOut}, operation_id="add_rest_volts", summary="Resting voltages of many packs")
def add_rest_volts(request: SignedIn, data: s.RestRows) -> object:
    """Add all, or none and say which rows are wrong."""
    services.add_rest_volts(actor=request.user, rows=[_rest(r) for r in data.rows], at=data.at)
    return 201, queries.shelf(next_flights())


@router.get("/labels.pdf", operation_id="labels", summary="Labels to print")
def labels(request: SignedIn, ids: Query[list[UUID]], size: Literal["sheet", "roll"] = "sheet") -> HttpResponse:
    """Return labels as PDF; their code opens the pack at the public address, else at the one that was asked."""
    if len(ids) > 300:
        raise DomainError("too_large", "Print at most 300 labels at once.", "ids")
    address = settings.PUBLIC_URL.rstrip("/") or f"{request.scheme}://{request.get_host()}"
    data = labels_pdf(queries.label_figures(ids), address, timezone.now().date().isoformat(), size)
    answer = HttpResponse(data, content_type="application/pdf")
    answer["Content-Disposition"] = 'inline; filename="labels.pdf"'
    return answer


@router.get("/tables/{what}.csv", operation_id="export_table", summary="The inventory or its history as CSV")
def export_table(request: SignedIn, what: Literal["models", "packs", "records"]) -> StreamingHttpResponse:
    """Return all of a table; reading it in again changes nothing."""
    answer = StreamingHttpResponse(list(importer.export_lines(what)), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{what}.csv"'
    return answer


@router.post("/tables", response={201: TableImportOut}, operation_id="read_table_in", summary="Read a table in")
def read_in(request: SignedIn, file: File[UploadedFile]) -> object:
    """Read models, packs or records in: the whole file or nothing. A large one is read by the worker."""
    data = file.read(settings.TABLE_MOST_BYTES + 1)
    row = importer.begin_import(actor=request.user, name=file.name or "", data=data)
    tasks.begin_run(row)
    return 201, queries.import_view(row.pk)


@router.get("/tables/imports/{import_id}", response=TableImportOut, operation_id="table_state", summary="How far a table is")
def table_state(request: SignedIn, import_id: UUID) -> object:
    """Return how far reading in has come."""
    return queries.import_view(import_id)


@router.delete("/tables/imports/{import_id}", response=TableImportOut, operation_id="stop_table", summary="Stop reading in")
def stop_table(request: SignedIn, import_id: UUID) -> object:
    """Stop; nothing of the table stays."""
    importer.stop_import(actor=request.user, import_id=import_id)
    return queries.import_view(import_id)


@router.post("/tables/imports/{import_id}/again", response=TableImportOut, operation_id="read_table_again", summary="Try again")
def table_again(request: SignedIn, import_id: UUID) -> object:
    """Read a table once more that was broken off."""
    tasks.begin_again(request.user, import_id)
    return queries.import_view(import_id)


@router.post("/charges/{charging_id}/end", response={201: RecordOut}, operation_id="end_charge", summary="End a charge")
def end_charge(request: SignedIn, charging_id: UUID, data: s.EndCharge) -> object:
    """End it and record it."""
    made = services.end_charge(actor=request.user, charging_id=charging_id, **data.dict())
    return 201, queries.record_view(made, stands=True)


@router.delete("/charges/{charging_id}", response={204: None}, operation_id="cancel_charge", summary="Take a charge back")
def cancel_charge(request: SignedIn, charging_id: UUID) -> object:
    """Take back a charge begun by mistake."""
    services.cancel_charge(actor=request.user, charging_id=charging_id)
    return 204, None


@router.get("/{pack_id}", response=PackPage, operation_id="pack_page", summary="A pack and its records")
def page(request: SignedIn, pack_id: UUID) -> object:
    """Return its page."""
    return _page(pack_id)


@router.get("/{pack_id}/working/{key}", response=WorkingOut, operation_id="pack_working", summary="The working of a number")
def working(request: SignedIn, pack_id: UUID, key: str) -> object:
    """Return the working of one number of its page."""
    return queries.working_of(pack_id, key)


@router.post("/{pack_id}/photos", response={201: PhotoKey}, operation_id="add_photo", summary="Keep a photo of a pack")
def add_photo(request: SignedIn, pack_id: UUID, file: File[UploadedFile]) -> object:
    """Keep a photo, made small; a record names it by its key."""
    made = services.add_photo(actor=request.user, pack_id=pack_id, data=file.read(settings.PHOTO_MOST_BYTES + 1))
    return 201, PhotoKey(made.key)


@router.get("/photos/{photo_key}", operation_id="get_photo", summary="A photo of a pack")
def get_photo(request: SignedIn, photo_key: UUID) -> HttpResponse:
    """Return it as JPEG. It never changes."""
    answer = HttpResponse(queries.photo_of(photo_key), content_type="image/jpeg")
    answer["Cache-Control"] = "private, max-age=31536000, immutable"
    return answer


@router.post("/{pack_id}/records", response={201: RecordAnswer}, operation_id="add_record", summary="Record something")
def add_record(request: SignedIn, pack_id: UUID, data: s.RecordIn) -> object:
    """Add a record, or correct one; what follows for planning is set at once."""
    made = services.add_record(actor=request.user, pack_id=pack_id, **data.dict())
    return 201, {
        "record": queries.record_view(made, stands=True),
        "verdict": queries.verdict_of(made),
        "page": _page(pack_id),
    }


@router.post("/{pack_id}/try", response=VerdictOut, operation_id="try_load_test", summary="The verdict before it is kept")
def try_load_test(request: SignedIn, pack_id: UUID, data: s.RecordIn) -> object:
    """Return what a load test would say under the policy; nothing is kept."""
    return queries.try_load_test(pack_id, data.figures)


@router.post("/{pack_id}/bench", response=BenchOut, operation_id="bench_steps", summary="How to charge it at the bench")
def bench(request: SignedIn, pack_id: UUID, data: s.BenchIn) -> object:
    """Return settings and steps."""
    charger = Charger.objects.select_related("model").filter(pk=data.charger_id).first() if data.charger_id else None
    port_w = max(m.pack_w for m in charger_modes(charger.model)) if charger else None
    return queries.bench_steps(pack_id, _asked(data), port_w, charger.model.supply_leads if charger else 1)


@router.post("/{pack_id}/charges", response={201: ChargingOut}, operation_id="begin_charge", summary="Begin a charge")
def begin_charge(request: SignedIn, pack_id: UUID, data: s.BenchIn) -> object:
    """Begin it."""
    return 201, queries.charging_view(services.begin_charge(actor=request.user, pack_id=pack_id, asked=_asked(data)))
