from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import archive, locked
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import job_of


@transaction.atomic
def set_archived(*, actor: User, job_id: UUID, archived: bool) -> Job:
    """Archive a job or bring it back."""
    require(actor, "jobs:write")
    row = locked(Job, job_id, "job")
    archive(actor=actor, row=row, archived=archived, kind="job", label=row.name)
    return job_of(row.pk)
