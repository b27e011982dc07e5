from __future__ import annotations

from django.db import connection

from quarry.apps.day.models import DayRun

CHANNEL = "quarry_day"


def tell_screens(*, run: DayRun, look: bool = False) -> None:
    """Tell every process, once this is written, that the day has changed; with ``look`` though its plan has not."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, f"{run.organisation_id}:{run.day_id}:{0 if look else run.revision}"])
