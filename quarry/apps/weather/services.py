"""Writing the weather: asking the desk, entering readings, reading reports and tables."""

from __future__ import annotations

from datetime import datetime, timedelta
from uuid import UUID, uuid4

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.models import Organisation, User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, record
from quarry.apps.weather import mappers
from quarry.apps.weather.fields import AirFigures, figures_kept, figures_of, forecast_kept
from quarry.apps.weather.formats.forecast import BadForecast, read_forecast
from quarry.apps.weather.formats.readings import read_readings
from quarry.apps.weather.models import Forecast, Reading
from quarry.apps.weather.queries import forecast_of, net
from quarry.apps.weather.source import SourceSilent, WeatherSource, source
from quarry.apps.weather.views import ReportTold, TableProblem


def ask_weather_service(
    organisation: Organisation, lon: float, lat: float, *, again: bool = False, by: WeatherSource | None = None
) -> Forecast | None:
    """Return the forecast of a place, asked anew when it is no longer fresh; what was known before stays if that fails.

    A silent desk is left alone for a minute, so that nobody waits for it at every click.
    """
    kept, now = forecast_of(lon, lat), timezone.now()
    desk = by or source()
    if desk is None:
        return kept
    if kept is not None and not again:
        fresh = kept.fetched_at is not None and now - kept.fetched_at < timedelta(seconds=settings.WEATHER_FRESH_S)
        if fresh or now - kept.tried_at < timedelta(seconds=settings.WEATHER_RETRY_S):
            return kept
    try:
        found = read_forecast(desk.hourly(net(lon), net(lat)), now)
        news = {"data": forecast_kept(found), "issued_at": found.issued_at, "fetched_at": now, "tried_at": now, "problem": ""}
    except (SourceSilent, BadForecast) as bad:
        news = {"tried_at": now, "problem": str(bad)[:200]}
    row, _made = Forecast.objects.update_or_create(organisation=organisation, lon=net(lon), lat=net(lat), defaults=news)
    return row


def _key_taken(key: UUID | None) -> Reading | None:
    return Reading.objects.filter(key=key).first() if key else None


@transaction.atomic
def add_reading(
    *, actor: User, lon: float, lat: float, figures: AirFigures, at: datetime | None = None, key: UUID | None = None
) -> Reading:
    """Keep what was measured on site; the same key again changes nothing."""
    require(actor, "weather:write")
    there = _key_taken(key)
    if there is not None:
        return there
    try:
        clean = figures_kept(mappers.check_figures(figures))
    except mappers.WeatherError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    if not clean:
        raise DomainError("missing", "Enter at least one figure: wind, gust, temperature …", "gust_m_s")
    moment = at or timezone.now()
    if moment > timezone.now() + timedelta(minutes=5):
        raise DomainError("invalid", "A measurement cannot lie ahead. Check its time.", "at")
    row = Reading.objects.create(
        organisation=actor.organisation, key=key or uuid4(), lon=lon, lat=lat, at=moment, kind="measured", figures=clean, by=actor
    )
    record(actor=actor, action="weather.measured", row=row, label=_label(row), after=clean)
    return row


def _label(row: Reading) -> str:
    f = figures_of(row)
    figures = ((f.gust_m_s, "m/s gust"), (f.wind_m_s, "m/s"), (f.air_c, "°C"))
    return ", ".join(f"{value:.1f} {unit}" for value, unit in figures if value is not None) or "reading"


@transaction.atomic
def add_report(*, actor: User, lon: float, lat: float, text: str, key: UUID | None = None) -> tuple[Reading, ReportTold]:
    """Keep a METAR that was pasted; returns (reading, what it says and lacks)."""
    require(actor, "weather:write")
    try:
        at, figures, report = mappers.decode(text, timezone.now())
    except mappers.WeatherError as bad:
        raise DomainError(bad.code, bad.message, "metar") from bad
    row = _key_taken(key) or Reading.objects.create(
        organisation=actor.organisation,
        key=key or uuid4(),
        lon=lon,
        lat=lat,
        at=at,
        kind="report",
        figures=figures_kept(figures),
        words=" ".join(text.split())[:700],
        by=actor,
    )
    return row, mappers.to_report(report)


def report_from_service(*, actor: User, lon: float, lat: float, by: WeatherSource | None = None) -> tuple[Reading, ReportTold]:
    """Ask the desk for the newest report near by and keep it."""
    desk = by or source()
    if desk is None:
        raise DomainError("missing", "No weather desk is set up. Paste a report instead.", "metar")
    try:
        text = desk.report(net(lon), net(lat))
    except SourceSilent as bad:
        raise DomainError("silent", f"{bad} Paste a report, or enter what you measure.", "metar") from bad
    return add_report(actor=actor, lon=lon, lat=lat, text=text)


@transaction.atomic
def add_table(*, actor: User, lon: float, lat: float, data: bytes) -> tuple[int, list[TableProblem]]:
    """Keep a table of readings; returns (how many, problems): with any problem none is kept."""
    require(actor, "weather:write")
    if len(data) > settings.UPLOAD_MOST_BYTES:
        raise DomainError("too_large", "The table is too large. Send the hours of the day only.", "file")
    found, problems = read_readings(data)
    rows = []
    for reading in found:
        try:
            figures = figures_kept(mappers.check_figures(reading.figures))
        except mappers.WeatherError as bad:
            problems.append(TableProblem(line=reading.line, column=bad.field, message=bad.message))
            continue
        rows.append(
            Reading(organisation=actor.organisation, lon=lon, lat=lat, at=reading.at, kind="entered", figures=figures, by=actor)
        )
    if problems:
        return 0, problems
    Reading.objects.bulk_create(rows)
    if rows:
        record(actor=actor, action="weather.table", row=rows[0], label=f"{len(rows)} readings")
    return len(rows), []


@transaction.atomic
def set_withdrawn(*, actor: User, reading_id: UUID, withdrawn: bool) -> Reading:
    """Take a reading back, or let it count again."""
    require(actor, "weather:write")
    row = Reading.objects.select_for_update().filter(pk=reading_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such reading.")
    row.withdrawn_at = timezone.now() if withdrawn else None
    row.save(update_fields=["withdrawn_at"])
    record(actor=actor, action="weather.withdrawn" if withdrawn else "weather.restored", row=row, label=_label(row))
    return row
