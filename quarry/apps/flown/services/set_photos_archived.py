from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.flown.models import PhotoSet


@transaction.atomic
def set_photos_archived(*, actor: User, photo_set_id: UUID, archived: bool) -> None:
    """Archive the photos of a job, or take them back: what was covered is seen without them."""
    require(actor, "logs:read")
    changed = PhotoSet.objects.filter(pk=photo_set_id).update(archived_at=timezone.now() if archived else None)
    if not changed:
        raise DomainError("not_found", "There are no such photos.")
