from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import DayRun
from quarry.apps.day.services import join_run
from quarry.apps.fleet.models import Aircraft
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.services import add_job
from quarry.apps.search import mappers
from quarry.apps.search.models import SearchJob
from quarry.apps.search.queries import entered, found_words, template_job, tried_widths, wind_now
from quarry.apps.search.services._rows import open_search


@transaction.atomic
def give_segment(
    *, actor: User, search_id: UUID, segment: str, coverage: float, aircraft_id: UUID | None = None
) -> tuple[Job, list[str]]:
    """Make the job that flies a segment with a coverage, and let it join the search's day if that is running.

    Returns the job and the sorties that joined.

    Raises
    ------
    DomainError
        The segment is none of this search, or the day cannot fly it.
    """
    require(actor, "jobs:write")
    row = open_search(search_id)
    if found_words(row):
        raise DomainError("found", f"{found_words(row)} Take the find back before more is flown.", "segment")
    f = entered(row)
    s = next((x for x in f.segments if x.id == segment), None)
    if s is None:
        raise DomainError("not_found", "Choose a segment of this search.", "segment")
    aircraft = (
        Aircraft.objects.filter(pk__in=[aircraft_id] if aircraft_id else f.aircraft_ids[:1]).select_related("model").first()
    )
    width, _ = mappers.width_of(s, f, tried_widths())
    figures = dict(mappers.job_figures(f, s, row.name, width, coverage))
    if aircraft is not None:
        figures |= {"aircraft_model_id": aircraft.model_id, "aircraft_id": aircraft.pk}
    figures |= {"wind": wind_now(template_job(row, f, aircraft))}
    job = add_job(actor=actor, figures=figures)
    SearchJob.objects.create(organisation=row.organisation, search=row, job=job, segment=segment)
    record(actor=actor, action="search.given", row=row, label=f"{row.name}: {s.name}")
    running = row.day_id is not None and DayRun.objects.filter(day_id=row.day_id, closed_at=None).exists()
    if not running or row.day_id is None:
        return job, []
    return job, join_run(actor=actor, day_id=row.day_id, job_id=job.pk, aircraft_id=aircraft.pk if aircraft else None)
