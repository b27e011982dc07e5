from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import DayJob
from quarry.apps.day.services import join_run
from quarry.apps.flown import mappers
from quarry.apps.flown.models import GapJob
from quarry.apps.flown.queries import as_flown, known_of
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import job_dict
from quarry.apps.jobs.services import add_job

_NAMES = 66


@transaction.atomic
def fly_gaps(
    *, actor: User, job_id: UUID, numbers: Sequence[int], mark: str, day_id: UUID | None = None, join: UUID | None = None
) -> tuple[Job, list[str]]:
    """Make a job of chosen gaps of another, with its aircraft, camera, home and direction of lines.

    ``mark``: of the job as flown that was looked at; ``day_id`` as there. ``join``: put it at the end of this running day.
    Returns the job and the sorties that joined the day.

    Raises
    ------
    DomainError
        What was flown changed meanwhile, no gap was chosen, or the day cannot take it.
    """
    require(actor, "jobs:write")
    known = known_of(job_id, day_id)
    if known.mark != mark:
        raise DomainError("changed", "What was flown of this job has changed meanwhile. Look at its gaps again.", "mark")
    try:
        found = as_flown(known)
        chosen = [g for g in found.gaps if g.number in set(numbers)]
        bearing_deg = known.plan.bearing_deg if known.plan is not None else known.fields.lines.bearing_deg
        own = mappers.gap_job(known.fields, chosen, bearing_deg, known.job.name[:_NAMES])
    except mappers.FlownError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    figures = {k: v for k, v in job_dict(known.job).items() if k not in ("letter", "id", "version", "archived", "changed_at")}
    job = add_job(actor=actor, figures={**figures, **own})
    GapJob.objects.create(organisation=actor.organisation, job=job, of=known.job)
    if join is None:
        return job, []
    before = DayJob.objects.filter(day_id=join, job_id=job_id).first()
    return job, join_run(actor=actor, day_id=join, job_id=job.pk, aircraft_id=before.aircraft_id if before else None)
