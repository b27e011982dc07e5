"""The weather: the service, readings, reports."""

from __future__ import annotations

from uuid import UUID

from django.conf import settings
from ninja import File, Form, Router
from ninja.files import UploadedFile

from quarry.api.auth import SignedIn
from quarry.api.schemas import weather as s
from quarry.apps.weather import queries, services
from quarry.apps.weather.fields import AirFigures
from quarry.apps.weather.views import ReadingOut, ReadingsTableOut, ReportOut, WeatherServiceOut

router = Router(tags=["weather"])


def _figures(data: s.AirFigures) -> AirFigures:
    """Return what was entered; who saw no thunder may not have looked for it."""
    return AirFigures(**data.dict() | {"thunder": data.thunder or None})


@router.get("/service", response=WeatherServiceOut, operation_id="weather_service", summary="How the weather service stands")
def service(request: SignedIn, lon: float, lat: float, again: bool = False) -> object:
    """Return when the forecast of a place was made; ``again`` asks for a new one now."""
    row = services.ask_weather_service(organisation=request.user.organisation, lon=lon, lat=lat, again=again)
    return queries.forecast_view(row, bool(settings.WEATHER_URL))


@router.post("/readings", response={201: ReadingOut}, operation_id="add_reading", summary="Enter what was measured")
def add_reading(request: SignedIn, data: s.ReadingIn) -> object:
    """Keep a measurement; the same key again changes nothing."""
    row = services.add_reading(
        actor=request.user, lon=data.lon, lat=data.lat, figures=_figures(data.figures), at=data.at, key=data.key
    )
    return 201, queries.reading_view(row)


@router.post("/reports", response={201: ReportOut}, operation_id="add_report", summary="Read a METAR")
def add_report(request: SignedIn, data: s.ReportIn) -> object:
    """Keep a pasted report, or the newest of the service when no text is given."""
    if data.text.strip():
        row, report = services.add_report(actor=request.user, lon=data.lon, lat=data.lat, text=data.text, key=data.key)
    else:
        row, report = services.report_from_service(actor=request.user, lon=data.lon, lat=data.lat)
    return 201, ReportOut(reading=queries.reading_view(row), report=report)


@router.post("/table", response=ReadingsTableOut, operation_id="add_readings", summary="Read a table of readings")
def add_table(
    request: SignedIn,
    lon: Form[float],
    lat: Form[float],
    file: File[UploadedFile],
) -> object:
    """Keep all readings of a CSV, or none and every wrong cell."""
    kept, problems = services.add_table(actor=request.user, lon=lon, lat=lat, data=file.read(settings.UPLOAD_MOST_BYTES + 1))
    return ReadingsTableOut(kept=kept, problems=problems)


@router.put("/readings/{reading_id}", response=ReadingOut, operation_id="withdraw_reading", summary="Take a reading back")
def withdraw(request: SignedIn, reading_id: UUID, data: s.WithdrawnIn) -> object:
    """Take a reading back, or let it count again."""
    return queries.reading_view(services.set_withdrawn(actor=request.user, reading_id=reading_id, withdrawn=data.withdrawn))
