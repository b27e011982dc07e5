from __future__ import annotations

import math
from dataclasses import replace
from datetime import datetime, timedelta
from uuid import UUID, uuid4

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import Day
from quarry.apps.day.services import start_day, start_run
from quarry.apps.fleet.models import Aircraft
from quarry.apps.jobs.fields import SearchWork, fields_of
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import FIELDS
from quarry.apps.jobs.services import add_job
from quarry.apps.limits.queries import windows_for
from quarry.apps.search import mappers
from quarry.apps.search.fields import SearchFields, SegmentFields
from quarry.apps.search.models import Search, SearchJob
from quarry.apps.search.queries import entered, first_job, template_job, until_of, zone_of
from quarry.apps.search.services._rows import kept, open_search
from quarry.apps.search.services.add_report import add_report

_LEAST = timedelta(hours=2)
# Shares of the radius that are tried in turn where limits and packs leave no time for more: something flies at once.
_OUT_TO = (1.0, 0.75, 0.5, 0.35, 0.25, 0.17, 0.12, 0.08)


@transaction.atomic
def launch_first(*, actor: User, search_id: UUID, pattern: mappers.FirstPattern) -> Day:
    """Begin a search in the air: the pattern as a job, a day that opens now with the packs there are, started at once.

    Weather, load test and home stand in the launch list of that day as on any other: nothing is skipped. Where the day has
    no room for the whole radius the pattern reaches less far, and a note among the reports says so.

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
    day, job, share = _launched(actor, row, f, aircraft, pattern)
    ring = [(float(lon), float(lat)) for lon, lat in job.areas[0].get("ring", [])]
    if pattern != "track" and not f.segments:
        row.what = kept(replace(f, segments=[SegmentFields("first", "first", ring)]))
    SearchJob.objects.create(organisation=row.organisation, search=row, job=job, segment="first")
    if share < 1.0:
        words = f"The first pattern reaches {f.radius_m * share:.0f} m of {f.radius_m:.0f} m: limits, packs and the hour leave no time for more."
        add_report(actor=actor, search_id=search_id, key=uuid4(), kind="note", figures={"words": words})
    row.day = day
    row.version += 1
    row.save(update_fields=["what", "day", "version"])
    record(actor=actor, action="search.launched", row=row, label=row.name)
    return day


def _launched(
    actor: User, row: Search, f: SearchFields, aircraft: Aircraft, pattern: mappers.FirstPattern
) -> tuple[Day, Job, float]:
    """Return the day that opens now, its job, and the share of the radius out to which it reaches; where none does, the first refusal."""
    refused: DomainError | None = None
    for share in [1.0] if pattern == "track" else _that_may_fit(row, f, aircraft, pattern):
        try:
            with transaction.atomic():
                return (*_begun(actor, row, replace(f, radius_m=f.radius_m * share), aircraft, pattern), share)
        except DomainError as bad:
            refused = refused or bad
    raise refused or DomainError("invalid", "The pattern cannot be flown.", "pattern")


def _that_may_fit(row: Search, f: SearchFields, aircraft: Aircraft, pattern: mappers.FirstPattern) -> list[float]:
    """Return the shares of the radius that are worth a try, the largest first.

    No pattern takes less time than its ground divided by spacing × speed, so what exceeds the windows by that alone is not
    planned at all. Where nothing can fit, the whole is tried, for what is said then.
    """
    try:
        work = fields_of(first_job(row, f, aircraft, pattern)).work
    except mappers.SearchError:
        return list(_OUT_TO)
    if not isinstance(work, SearchWork):
        return list(_OUT_TO)
    now, ends = _hours_of(row, f)
    room_s = sum(b - a for a, b in windows_for(template_job(row, f, aircraft), now, ends).windows)
    reach_m = math.sqrt(room_s * work.sweep_width_m / work.coverage * work.speed_m_s / math.pi)
    return [share for share in _OUT_TO if share * f.radius_m <= reach_m] or [1.0]


def _hours_of(row: Search, f: SearchFields) -> tuple[datetime, datetime]:
    now = timezone.now().astimezone(zone_of(row.organisation))
    return now, max(until_of(row, f, now), now + _LEAST)


def _begun(actor: User, row: Search, f: SearchFields, aircraft: Aircraft, pattern: mappers.FirstPattern) -> tuple[Day, Job]:
    """Return the day that opens now with the pattern, started, and its job; raises `DomainError` where it has no room for it."""
    try:
        proposed = first_job(row, f, aircraft, pattern)
    except mappers.SearchError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    figures = {name: getattr(proposed, name) for name in FIELDS if name != "letter"}
    links = {"aircraft_model_id": aircraft.model_id, "aircraft_id": aircraft.pk}
    job = add_job(actor=actor, figures={**figures, **links})
    now, ends = _hours_of(row, f)
    day = start_day(
        actor=actor,
        figures={
            "name": row.name,
            "date": now.date().isoformat(),
            "time_zone": str(zone_of(row.organisation)),
            "opens": f"{now:%H:%M}",
            "closes": f"{min(ends, now + timedelta(hours=23)):%H:%M}",
            "jobs": [{"job_id": job.pk, "aircraft_id": aircraft.pk}],
        },
    )
    start_run(actor=actor, day_id=day.pk, how="now", now=now)
    return day, job
