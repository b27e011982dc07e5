from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day import mappers
from quarry.apps.day.models import DayRun, DayTelemetry, TrackPoint
from quarry.apps.day.queries import live_of, moment_of, read_run, run_of
from quarry.apps.day.services._clock import OFF, on_server_clock
from quarry.apps.day.services.tell_screens import tell_screens
from quarry.apps.policy.queries import own_values


@dataclass(frozen=True, slots=True)
class Reported:
    """What an aircraft or a charger tells: of a sortie or, as ``port 3``, of a port; figures that were not read are left out."""

    about: str
    at: datetime
    figures: Entered


def post_telemetry(*, actor: User, day_id: UUID, readings: Sequence[Reported], device_now: datetime | None = None) -> None:
    """Keep the newest that aircraft and chargers tell; screens are told when an alert comes of it or goes.

    Times are set right by the clock of the sender, where it is told; what still lies ahead counts as read now.
    """
    require(actor, "day:run")
    run = run_of(day_id)
    now = timezone.now()
    off = (now - device_now) if device_now is not None and abs(now - device_now) > OFF else timedelta(0)
    latest = moment_of(run, now)
    reading, hold_s = read_run(run), mappers.hold_s(own_values())
    places: list[TrackPoint] = []
    with transaction.atomic():
        wanted = DayTelemetry.objects.filter(day=run.day, flight__in={r.about for r in readings})
        rows = {row.flight: row for row in wanted.select_for_update().order_by("flight")}
        newer: dict[str, DayTelemetry] = {}
        for r in readings:
            at = moment_of(run, min(on_server_clock(r.at, off.total_seconds(), "at"), now))
            places += _place(run, r, at)
            there = rows.get(r.about)
            # A reading that an older version kept from ahead of its time must not silence the true ones.
            if there is not None and at <= there.at <= latest:
                continue
            recent = mappers.recent_json(there, at, r.figures)
            least_v = mappers.least_v(there, recent, mappers.cells_of(reading, r.about), hold_s)
            newer[r.about] = rows[r.about] = DayTelemetry(
                organisation=run.organisation,
                day=run.day,
                flight=r.about,
                at=at,
                figures=dict(r.figures),
                recent=recent,
                least_v=least_v,
            )
        DayTelemetry.objects.bulk_create(
            [newer[about] for about in sorted(newer)],
            update_conflicts=True,
            unique_fields=["day", "flight"],
            update_fields=["at", "figures", "recent", "least_v"],
        )
    TrackPoint.objects.bulk_create(places, ignore_conflicts=True)
    alerts = [[a.key, a.grade] for a in live_of(run.day, (reading, mappers.planned(reading, anew=False))).alerts]
    if alerts != run.alerts:
        DayRun.objects.filter(pk=run.pk).update(alerts=alerts)
        tell_screens(run=run, look=True)


def _place(run: DayRun, r: Reported, at: datetime) -> list[TrackPoint]:
    """Return the place to keep of a reading; none of a rehearsal, of a port, and where no position was read."""
    lon, lat = r.figures.get("lon_deg"), r.figures.get("lat_deg")
    if run.day.rehearsal_of_id is not None or lon is None or lat is None or r.about.startswith(mappers.PORT):
        return []
    figures = {name: r.figures.get(name) for name in ("lon_deg", "lat_deg", "height_m", "works")}
    return [TrackPoint(organisation=run.organisation, day=run.day, flight=r.about, at=at, **figures)]
