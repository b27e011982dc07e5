from __future__ import annotations

from datetime import datetime, timedelta
from uuid import UUID, uuid4

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.weather import mappers
from quarry.apps.weather.fields import AirFigures, figures_json
from quarry.apps.weather.models import Reading
from quarry.apps.weather.services._readings import key_taken, label_of


@transaction.atomic
def add_reading(
    *, actor: User, lon: float, lat: float, figures: AirFigures, at: datetime | None = None, key: UUID | None = None
) -> Reading:
    """Keep what was measured on site; the same key again changes nothing."""
    require(actor, "weather:write")
    there = key_taken(key)
    if there is not None:
        return there
    try:
        clean = figures_json(mappers.check_figures(figures))
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
    record(actor=actor, action="weather.measured", row=row, label=label_of(row), after=clean)
    return row
