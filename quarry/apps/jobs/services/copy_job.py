from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import job_dict, job_of
from quarry.apps.jobs.services._entering import free_letter
from quarry.apps.jobs.services.add_job import add_job


@transaction.atomic
def copy_job(*, actor: User, job_id: UUID) -> Job:
    """Make a copy of a job under a new name and letter."""
    require(actor, "jobs:write")
    source = job_of(job_id)
    named = {"name": f"{source.name[:70]} (copy)", "letter": free_letter()}
    return add_job(actor=actor, figures=job_dict(source) | named)
