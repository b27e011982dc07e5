from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.history import check_version, locked, record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import job_dict, job_of
from quarry.apps.jobs.services._entering import fill, history_of


@transaction.atomic
def save_job(*, actor: User, job_id: UUID, version: int, figures: Entered) -> Job:
    """Save a job as it stands on the screen; raises `Stale` if somebody saved in between."""
    require(actor, "jobs:write")
    row = locked(Job, job_id, "job")
    check_version(row, version, job_dict(row))
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
