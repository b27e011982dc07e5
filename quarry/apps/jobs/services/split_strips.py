from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.jobs import mappers
from quarry.apps.jobs.fields import fields_of
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import job_dict, job_of
from quarry.apps.jobs.services._entering import free_letter
from quarry.apps.jobs.services.add_job import add_job


@transaction.atomic
def split_strips(*, actor: User, job_id: UUID) -> Job:
    """Make a job of the strips that a spraying job leaves for the wind's sake; its own sensitive places stay with it.

    Raises
    ------
    DomainError
        Nothing is left out, or no wind would let the strips be sprayed.
    """
    require(actor, "jobs:write")
    source = job_of(job_id)
    try:
        own = mappers.strips_of(fields_of(source))
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    named = {"name": f"{source.name[:60]}, strips", "letter": free_letter()}
    return add_job(actor=actor, figures={**job_dict(source), **own, **named})
