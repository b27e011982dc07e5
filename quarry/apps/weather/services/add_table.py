from __future__ import annotations

from django.conf import settings
from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.weather import mappers
from quarry.apps.weather.fields import figures_json
from quarry.apps.weather.formats.readings import read_readings
from quarry.apps.weather.models import Reading
from quarry.apps.weather.views import TableProblem


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
            figures = figures_json(mappers.check_figures(reading.figures))
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
