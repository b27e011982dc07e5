"""Save a job as it stands on the screen; raises `Stale` if somebody saved in between."""

from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError, Stale
from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import job_dict, job_of
from quarry.apps.jobs.services._entering import fill, history_of


@transaction.atomic
def save_job(*, actor: User, job_id: UUID, version: int, figures: Entered) -> Job:
    """Save a job as it stands on the screen; raises `Stale` if somebody saved in between."""
    require(actor, "jobs:write")
    row = Job.objects.select_for_update().filter(pk=job_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such job.")
    if row.version != version:
        raise Stale(job_dict(row))
    before = history_of(row)
    fill(row, figures)
    after = history_of(row)
    if after == before:
        return job_of(row.pk)
    row.version += 1
    row.save()
    record(
        actor=actor,
        action="job.changed",
        row=row,
        label=row.name,
        before=before,
        after=after,
    )
    return job_of(row.pk)
