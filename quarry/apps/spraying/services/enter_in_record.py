from __future__ import annotations

from typing import Any
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.jobs.queries import job_of
from quarry.apps.spraying import mappers
from quarry.apps.spraying.fields import facts_of_row
from quarry.apps.spraying.models import RecordEntry
from quarry.apps.spraying.queries import facts_now, record_of, sprayed_on
from quarry.apps.spraying.services._rows import record_row
from quarry.apps.spraying.views import SprayRecordOut


@transaction.atomic
def enter_in_record(*, actor: User, day_id: UUID, job_id: UUID, key: str, value: Any, why: str = "") -> SprayRecordOut:
    """Enter something in a spray record; what stood there before stays to be read. After the day has closed a reason is asked for.

    Raises
    ------
    DomainError
        The day sprayed nothing of the job, the entry cannot be, or no reason is given.
    """
    require(actor, "records:write")
    job = job_of(job_id)
    if job.pk not in {j.pk for j in sprayed_on(day_id)}:
        raise DomainError(
            "missing", "Nothing of this job was sprayed that day: its record begins with the first landing.", "job_id"
        )
    row = record_row(actor, day_id, job_id)
    facts = facts_of_row(row) or facts_now(day_id, job)
    if row.closed_at is not None:
        require(actor, "records:correct")
        if not why.strip():
            raise DomainError("missing", "The record is closed. Say why it is corrected.", "why")
    try:
        kept = mappers.check_entry(key, value, facts)
    except mappers.SprayError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    RecordEntry.objects.create(organisation=actor.organisation, record=row, key=key, value=kept, why=why.strip()[:200], by=actor)
    label = mappers.FIELD_WORDS.get(key, key.partition(":")[0])
    action = "spray_record.corrected" if row.closed_at is not None else "spray_record.entered"
    record(actor=actor, action=action, row=row, label=f"{row.number:04d} {job.name}: {label}")
    return record_of(day_id, job_id)
