from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.flown import mappers
from quarry.apps.flown.fields import PhotoColumns, columns_json
from quarry.apps.flown.models import PhotoSet
from quarry.apps.flown.queries import read_against_job
from quarry.apps.jobs.queries import job_of

MOST_PHOTOS = 30_000


@transaction.atomic
def keep_photos(*, actor: User, job_id: UUID, name: str, columns: PhotoColumns) -> PhotoSet:
    """Keep the positions of the photos of a job; the photos stay where they are.

    Raises
    ------
    DomainError
        There are none, or too many, a column is not as long as the others, or none lies at the job.
    """
    require(actor, "logs:read")
    job = job_of(job_id)
    count = len(columns.names)
    if not count:
        raise DomainError("missing", "There is no photo among these files.", "photos")
    if count > MOST_PHOTOS:
        raise DomainError("too_large", f"{count:,} photos at once; the most is {MOST_PHOTOS:,}. Bring them in parts.", "photos")
    if bad := columns.uneven():
        raise DomainError("invalid", f"There are {count:,} names, and not as many values of {bad}.", "photos")
    try:
        read = read_against_job(job_id, columns)
    except mappers.FlownError as refused:
        raise DomainError(refused.code, refused.message, refused.field) from refused
    row = PhotoSet.objects.create(
        organisation=actor.organisation,
        job=job,
        name=name.strip()[:120] or "photos",
        photos=columns_json(columns),
        count=count,
        ahead_s=read.ahead_s,
        report=read.report,
        by=actor,
    )
    record(actor=actor, action="job.photos", row=job, label=f"{job.name}: {count:,} photos")
    return row
