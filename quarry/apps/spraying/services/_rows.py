"""The row of a record, made when something of it is first kept."""

from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.models import Organisation, User
from quarry.apps.spraying.models import SprayRecord


def record_row(actor: User, day_id: UUID, job_id: UUID) -> SprayRecord:
    """Return the record of a job of a day, locked; made with the next number where there is none."""
    # One after the other: a number is given once.
    Organisation.objects.select_for_update().get(pk=actor.organisation_id)
    row = SprayRecord.objects.select_for_update().filter(day_id=day_id, job_id=job_id).first()
    if row is not None:
        return row
    number = (SprayRecord.objects.order_by("-number").values_list("number", flat=True).first() or 0) + 1
    return SprayRecord.objects.create(organisation=actor.organisation, day_id=day_id, job_id=job_id, number=number)
