from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import Day
from quarry.apps.day.services import start_day, start_run
from quarry.apps.fleet.models import Aircraft
from quarry.apps.jobs.queries import FIELDS
from quarry.apps.jobs.services import add_job
from quarry.apps.search import mappers
from quarry.apps.search.fields import SegmentFields
from quarry.apps.search.models import SearchJob
from quarry.apps.search.queries import entered, first_job, until_of, zone_of
from quarry.apps.search.services._rows import kept, open_search

_LEAST = timedelta(hours=2)


@transaction.atomic
def launch_first(*, actor: User, search_id: UUID, pattern: mappers.FirstPattern) -> Day:
    """Begin a search in the air: the pattern as a job, a day that opens now with the packs there are, started at once.

    Weather, load test and home stand in the launch list of that day as on any other: nothing is skipped.

    Raises
    ------
    DomainError
        The search is in the air already, or the pattern cannot be flown.
    """
    require(actor, "jobs:write")
    row = open_search(search_id)
    if row.day_id is not None:
        raise DomainError("taken", "This search has its day already: give out segments instead.", "pattern")
    f = entered(row)
    aircraft = Aircraft.objects.filter(archived_at=None, pk__in=f.aircraft_ids).select_related("model__pack_model").first()
    if aircraft is None:
        raise DomainError("missing", "Choose the aircraft that flies first.", "what.aircraft_ids")
    try:
        proposed = first_job(row, f, aircraft, pattern)
    except mappers.SearchError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    figures = {name: getattr(proposed, name) for name in FIELDS if name != "letter"}
    links = {"aircraft_model_id": aircraft.model_id, "aircraft_id": aircraft.pk}
    job = add_job(actor=actor, figures={**figures, **links})
    ring = [(float(lon), float(lat)) for lon, lat in job.areas[0].get("ring", [])]
    if pattern != "track" and not f.segments:
        row.what = kept(replace(f, segments=[SegmentFields("first", "first", ring)]))
    row.save(update_fields=["what"])
    SearchJob.objects.create(organisation=row.organisation, search=row, job=job, segment="first")
    zone = zone_of(row.organisation)
    now = timezone.now().astimezone(zone)
    ends = max(until_of(row, f, now), now + _LEAST)
    day = start_day(
        actor=actor,
        figures={
            "name": row.name,
            "date": now.date().isoformat(),
            "time_zone": str(zone),
            "opens": f"{now:%H:%M}",
            "closes": f"{min(ends, now + timedelta(hours=23)):%H:%M}",
            "jobs": [{"job_id": job.pk, "aircraft_id": aircraft.pk}],
        },
    )
    start_run(actor=actor, day_id=day.pk, how="now", now=now)
    row.day = day
    row.version += 1
    row.save(update_fields=["day", "version"])
    record(actor=actor, action="search.launched", row=row, label=row.name)
    return day
