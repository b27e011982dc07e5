from __future__ import annotations

from dataclasses import asdict
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
from quarry.apps.jobs.services.set_archived import set_archived


@transaction.atomic
def split_job(*, actor: User, job_id: UUID) -> list[Job]:
    """Make one job for each home of a job, with the areas nearest to it; the job itself is archived."""
    require(actor, "jobs:write")
    source = job_of(job_id)
    f = fields_of(source)
    try:
        parts = mappers.areas_by_home(f)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    whole = job_dict(source)
    made = []
    for part in parts:
        own = {
            "name": f"{source.name[:50]} \u00b7 {part.home.name[:24]}",
            "letter": free_letter(),
            "home": list(part.home.at),
            "areas": [asdict(a) for a in part.areas],
            "keep_outs": [asdict(k) for k in part.keep_outs],
            "site": {**asdict(f.site), "homes": []},
        }
        made.append(add_job(actor=actor, figures=whole | own))
    set_archived(actor=actor, job_id=source.pk, archived=True)
    return made
