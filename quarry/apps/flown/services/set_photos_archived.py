from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.flown.models import PhotoSet


@transaction.atomic
def set_photos_archived(*, actor: User, photo_set_id: UUID, archived: bool) -> None:
    """Archive the photos of a job, or take them back: what was covered is seen without them."""
    require(actor, "logs:read")
    row = PhotoSet.objects.filter(pk=photo_set_id).select_related("job").first()
    if row is None:
        raise DomainError("not_found", "There are no such photos.")
    row.archived_at = timezone.now() if archived else None
    row.save(update_fields=["archived_at"])
    action = "job.photos_archived" if archived else "job.photos_restored"
    record(actor=actor, action=action, row=row.job, label=f"{row.job.name}: {row.name}")
