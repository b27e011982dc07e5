from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.flown import mappers
from quarry.apps.flown.formats.photo_table import read_photo_table
from quarry.apps.flown.models import PhotoSet
from quarry.apps.flown.services.keep_photos import keep_photos


def keep_photo_table(*, actor: User, job_id: UUID, name: str, data: bytes) -> PhotoSet:
    """Keep the positions of photos that a table holds; raises `DomainError` where it holds none."""
    require(actor, "logs:read")
    try:
        columns = read_photo_table(data)
    except mappers.FlownError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    return keep_photos(actor=actor, job_id=job_id, name=name, columns=columns)
