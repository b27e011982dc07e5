"""Writing the weather: asking the desk, entering readings, reading reports and tables."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.models import Organisation, User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, record
from quarry.apps.weather import bridge
from quarry.apps.weather.formats.forecast import BadForecast, read_forecast
from quarry.apps.weather.formats.readings import read_readings
from quarry.apps.weather.models import Forecast, Reading
from quarry.apps.weather.queries import forecast_of, net
from quarry.apps.weather.source import SourceSilent, WeatherSource, source

Plain = dict[str, Any]


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
    figures: Plain = {"tried_at": now, "problem": ""}
    try:
        told = read_forecast(desk.hourly(net(lon), net(lat)), now)
        figures |= {"data": told, "issued_at": datetime.fromisoformat(told["issued_at"]), "fetched_at": now}
    except (SourceSilent, BadForecast) as bad:
        figures["problem"] = str(bad)[:200]
    row, _made = Forecast.objects.update_or_create(organisation=organisation, lon=net(lon), lat=net(lat), defaults=figures)
    return row


def _key_taken(key: UUID | None) -> Reading | None:
    return Reading.objects.filter(key=key).first() if key else None


@transaction.atomic
def add_reading(
    *, actor: User, lon: float, lat: float, figures: Plain, at: datetime | None = None, key: UUID | None = None
) -> Reading:
    """Keep what was measured on site; the same key again changes nothing."""
    require(actor, "weather:write")
    there = _key_taken(key)
    if there is not None:
        return there
    try:
        clean = bridge.check_figures(figures)
    except bridge.WeatherError as bad:
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
    f = row.figures
    parts = [f"{f[k]:.1f} {unit}" for k, unit in (("gust_m_s", "m/s gust"), ("wind_m_s", "m/s"), ("air_c", "°C")) if k in f]
    return ", ".join(parts) or "reading"


@transaction.atomic
def add_report(*, actor: User, lon: float, lat: float, text: str, key: UUID | None = None) -> tuple[Reading, Plain]:
    """Keep a METAR that was pasted; returns (reading, what it says and lacks)."""
    require(actor, "weather:write")
    try:
        at, figures, report = bridge.decode(text, timezone.now())
    except bridge.WeatherError as bad:
        raise DomainError(bad.code, bad.message, "metar") from bad
    row = _key_taken(key) or Reading.objects.create(
        organisation=actor.organisation,
        key=key or uuid4(),
        lon=lon,
        lat=lat,
        at=at,
        kind="report",
        figures=figures,
        words=" ".join(text.split())[:700],
        by=actor,
    )
    return row, bridge.report_dict(report)


def report_from_service(*, actor: User, lon: float, lat: float, by: WeatherSource | None = None) -> tuple[Reading, Plain]:
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
def add_table(*, actor: User, lon: float, lat: float, data: bytes) -> tuple[int, list[Plain]]:
    """Keep a table of readings; returns (how many, problems): with any problem none is kept."""
    require(actor, "weather:write")
    if len(data) > settings.UPLOAD_MOST_BYTES:
        raise DomainError("too_large", "The table is too large. Send the hours of the day only.", "file")
    found, problems = read_readings(data)
    rows = []
    for k, f in enumerate(found):
        try:
            figures = bridge.check_figures({x: y for x, y in f.items() if x != "at"})
        except bridge.WeatherError as bad:
            problems.append({"line": k + 2, "column": bad.field, "message": bad.message})
            continue
        rows.append(
            Reading(organisation=actor.organisation, lon=lon, lat=lat, at=f["at"], kind="entered", figures=figures, by=actor)
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
