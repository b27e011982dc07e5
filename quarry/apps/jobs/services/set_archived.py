"""Put a job away or bring it back."""

from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import job_of


@transaction.atomic
def set_archived(*, actor: User, job_id: UUID, archived: bool) -> Job:
    """Put a job away or bring it back."""
    require(actor, "jobs:write")
    row = Job.objects.select_for_update().filter(pk=job_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such job.")
    row.archived_at = timezone.now() if archived else None
    row.version += 1
    row.save()
    action = "job.archived" if archived else "job.restored"
    record(actor=actor, action=action, row=row, label=row.name)
    return job_of(row.pk)
