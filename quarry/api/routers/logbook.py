"""The logbook: what was flown, imported logs, flights, comparisons, what planning learns, totals and returns."""

from __future__ import annotations

from datetime import date
from typing import Literal
from uuid import UUID

from django.conf import settings
from django.http import HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.utils import timezone
from ninja import File, Query, Router, UploadedFile

from quarry.api.auth import SignedIn
from quarry.api.schemas import logbook as s
from quarry.apps.fleet.services import roll_back_calibration
from quarry.apps.logbook import importer, queries, services, tasks, views
from quarry.apps.logbook.formats.returns import totals_csv, totals_pdf
from quarry.apps.logbook.formats.samples import csv_lines, table_parquet
from quarry.apps.logbook.formats.tables import flights_csv
from quarry.apps.logbook.samples import parquet_of, series_of

router = Router(tags=["logbook"])


def _attached(data: bytes | list[bytes], kind: str, name: str) -> HttpResponseBase:
    streamed = not isinstance(data, bytes)
    made = (StreamingHttpResponse if streamed else HttpResponse)(data, content_type=kind)
    made["Content-Disposition"] = f'attachment; filename="{name}"'
    return made


@router.get("", response=views.BookOut, operation_id="logbook", summary="What was flown, and what needs an answer")
def book(request: SignedIn, query: Query[s.BookQuery]) -> object:
    """Return the logbook."""
    return queries.book_page(**query.dict())


@router.get("/records/{what}", response=views.BookRecords, operation_id="book_records", summary="Charges or tests of packs")
def book_records(request: SignedIn, what: Literal["charges", "tests"], query: Query[s.RecordsQuery]) -> object:
    """Return what was written down at packs and on days."""
    return queries.book_records(what, query.begins, query.ends, query.words, query.cursor, query.size)


@router.post("/imports", response={201: views.ImportOut}, operation_id="read_logs_in", summary="Read a log or an archive in")
def read_in(request: SignedIn, file: File[UploadedFile]) -> object:
    """Read it in, on the worker where it is large or an archive."""
    data = file.read(settings.LOG_MOST_BYTES + 1)
    row = importer.begin_import(actor=request.user, name=file.name or "", data=data)
    tasks.begin_run(row, len(data), packed=importer.is_packed(data))
    return 201, queries.import_view(queries.import_of(row.pk))


@router.get("/imports/{import_id}", response=views.ImportOut, operation_id="import_state", summary="How far an import is")
def import_state(request: SignedIn, import_id: UUID) -> object:
    """Return how far it has come, with a word on every file."""
    return queries.import_view(queries.import_of(import_id))


@router.delete("/imports/{import_id}", response=views.ImportOut, operation_id="stop_import", summary="Stop an import")
def stop(request: SignedIn, import_id: UUID) -> object:
    """Stop it; what was read before stays."""
    importer.stop_import(actor=request.user, import_id=import_id)
    return queries.import_view(queries.import_of(import_id))


@router.post(
    "/imports/{import_id}/again", response=views.ImportOut, operation_id="read_logs_again", summary="Try an import again"
)
def again(request: SignedIn, import_id: UUID) -> object:
    """Read an import once more that was broken off."""
    tasks.begin_again(request.user, import_id)
    return queries.import_view(queries.import_of(import_id))


@router.get(
    "/files/{file_id}", response=views.LogFilePage, operation_id="log_file", summary="A log and what its columns are taken for"
)
def file_page(request: SignedIn, file_id: UUID) -> object:
    """Return its head."""
    return queries.file_page(file_id)


@router.put("/files/{file_id}/columns", response=views.ColumnsOut, operation_id="say_columns", summary="Say what columns hold")
def say_columns(request: SignedIn, file_id: UUID, data: s.ColumnsIn) -> object:
    """Remember it for logs of this kind, and read those that wait."""
    said = [(c.header, views.ColumnSaid(c.quantity, c.unit, c.cell)) for c in data.columns]
    file = services.say_columns(actor=request.user, file_id=file_id, columns=said, zone=data.zone)
    others = tasks.begin_waiting(request.user, file)
    return views.ColumnsOut(
        file=queries.file_view(queries.file_of(file_id)),
        read=int(file.state == "read") + others.read,
        refused=others.refused,
        queued=others.queued,
    )


@router.post(
    "/files/{file_id}/accept", response=views.LogFilePage, operation_id="accept_log", summary="Read a held log all the same"
)
def accept_held(request: SignedIn, file_id: UUID, data: s.AcceptLogIn) -> object:
    """Read a log that says something against itself, as it is or in parts."""
    services.accept_held(actor=request.user, file_id=file_id, split=data.split)
    return queries.file_page(file_id)


@router.delete("/files/{file_id}", response={204: None}, operation_id="delete_log", summary="Delete a log and all that it told")
def delete_file(request: SignedIn, file_id: UUID) -> object:
    """Delete it with its flights, their samples, and what it wrote into the records of packs."""
    services.delete_file(actor=request.user, file_id=file_id)
    return 204, None


@router.get("/flights.{kind}", operation_id="export_flights", summary="All flights as CSV or Parquet")
def export_flights(request: SignedIn, kind: Literal["csv", "parquet"], query: Query[s.DateSpan]) -> HttpResponseBase:
    """Return one row for each flight."""
    rows = queries.flight_rows(query.begins, query.ends)
    if kind == "csv":
        return _attached(flights_csv(rows), "text/csv; charset=utf-8", "flights.csv")
    return _attached(table_parquet(rows), "application/vnd.apache.parquet", "flights.parquet")


@router.get("/flights/{flight_id}", response=views.FlightPage, operation_id="flight_page", summary="A flight of a log")
def flight(request: SignedIn, flight_id: UUID) -> object:
    """Return its page."""
    return queries.flight_page(flight_id)


@router.patch("/flights/{flight_id}", response=views.FlightPage, operation_id="change_flight", summary="Say what a log is of")
def change_flight(request: SignedIn, flight_id: UUID, data: s.FlightIn) -> object:
    """Say which recorded flight, packs or aircraft it is of, when it was, what it carried, or write a note."""
    given = data.dict(exclude_unset=True, exclude={"version"})
    changes = services.FlightSaid(said=frozenset(given), **given)
    services.change_flight(actor=request.user, flight_id=flight_id, version=data.version, changes=changes)
    return queries.flight_page(flight_id)


@router.get(
    "/flights/{flight_id}/samples", response=views.SeriesOut, operation_id="flight_samples", summary="Samples of a stretch"
)
def samples(
    request: SignedIn, flight_id: UUID, from_s: float | None = None, to_s: float | None = None, points: int = 2000
) -> object:
    """Return its series between two times, thinned without losing a peak."""
    return series_of(flight_id, from_s, to_s, max(100, min(points, 8000)))


@router.get("/flights/{flight_id}/samples.{kind}", operation_id="export_samples", summary="All samples as CSV or Parquet")
def export_samples(request: SignedIn, flight_id: UUID, kind: Literal["csv", "parquet"]) -> HttpResponseBase:
    """Return every sample, in metres, seconds, volts, amperes and degrees Celsius."""
    data = parquet_of(flight_id)
    if kind == "csv":
        return _attached(list(csv_lines(data)), "text/csv; charset=utf-8", "samples.csv")
    return _attached(data, "application/vnd.apache.parquet", "samples.parquet")


@router.get("/groupings", response=views.GroupingsOut, operation_id="groupings", summary="What flights can be grouped by")
def groupings(request: SignedIn) -> object:
    """Return packs, models, aircraft, jobs and firmware that have flights with a log."""
    return queries.groupings()


@router.post(
    "/compare", response=views.CompareOut, operation_id="compare_flights", summary="Lay groups of flights over one another"
)
def compare(request: SignedIn, data: s.CompareIn) -> object:
    """Return curves, middles, and the differences with their bounds."""
    return queries.compare([queries.Group(**g.dict()) for g in data.groups], data.quantity, data.axis, data.at_frac)


@router.get("/claims", response=views.ClaimsOut, operation_id="claims", summary="Rated against measured")
def claims(request: SignedIn) -> object:
    """Return what flights teach, what planning goes by, and how days kept to their plans."""
    return queries.claims()


@router.post(
    "/calibrations", response={201: views.CalibrationOut}, operation_id="accept_calibration", summary="Plan by what flights teach"
)
def accept(request: SignedIn, data: s.AcceptIn) -> object:
    """Accept a lesson; plans are made anew by it."""
    return 201, queries.calibration_view(services.accept_lesson(actor=request.user, **data.dict()))


@router.post(
    "/calibrations/{number}/roll-back",
    response=views.CalibrationOut,
    operation_id="roll_back_calibration",
    summary="Take one back",
)
def roll_back(request: SignedIn, number: int) -> object:
    """Go back to the one before it, or to the claim."""
    return queries.calibration_view(roll_back_calibration(actor=request.user, number=number))


@router.get("/totals", response=views.TotalsOut, operation_id="totals", summary="Hours, flights, cycles, hectares, litres")
def totals(request: SignedIn, query: Query[s.TotalsQuery]) -> object:
    """Return totals by month, person, aircraft, pack or job."""
    return queries.totals(query.begins, query.ends, query.by)


@router.get("/totals.{kind}", operation_id="export_totals", summary="The return as CSV or PDF")
def export_totals(request: SignedIn, kind: Literal["csv", "pdf"], query: Query[s.TotalsQuery]) -> HttpResponseBase:
    """Return totals to hand in."""
    totals = queries.totals(query.begins, query.ends, query.by)
    if kind == "csv":
        return _attached(totals_csv(totals).encode(), "text/csv; charset=utf-8", f"totals-by-{query.by}.csv")
    today: date = timezone.now().date()
    return _attached(
        totals_pdf(totals, request.user.organisation.name, today.isoformat()), "application/pdf", f"totals-by-{query.by}.pdf"
    )
