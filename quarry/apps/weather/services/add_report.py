from __future__ import annotations

from uuid import UUID, uuid4

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.weather import mappers
from quarry.apps.weather.fields import figures_json
from quarry.apps.weather.models import Reading
from quarry.apps.weather.services._readings import key_taken
from quarry.apps.weather.views import ReportTold


@transaction.atomic
def add_report(*, actor: User, lon: float, lat: float, text: str, key: UUID | None = None) -> tuple[Reading, ReportTold]:
    """Keep a METAR that was pasted; returns (reading, what it says and lacks)."""
    require(actor, "weather:write")
    try:
        at, figures, report = mappers.decode(text, timezone.now())
    except mappers.WeatherError as bad:
        raise DomainError(bad.code, bad.message, "metar") from bad
    row = key_taken(key) or Reading.objects.create(
        organisation=actor.organisation,
        key=key or uuid4(),
        lon=lon,
        lat=lat,
        at=at,
        kind="report",
        figures=figures_json(figures),
        words=" ".join(text.split())[:700],
        by=actor,
    )
    return row, mappers.to_report(report)
