from __future__ import annotations

from uuid import UUID

from django.conf import settings

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.bounded import ReadingStopped, read_bounded
from quarry.apps.care.formats.photo import PhotoError
from quarry.apps.care.models import PackPhoto
from quarry.apps.care.queries import pack_of
from quarry.apps.links import give_back_link

_READ_S, _MEMORY_MB = 20.0, 1200


def add_photo(*, actor: User, pack_id: UUID, data: bytes) -> PackPhoto:
    """Keep a photo of a pack, small; a record names it by its key."""
    require(actor, "packs:record")
    pack = pack_of(pack_id)
    if len(data) > settings.PHOTO_MOST_BYTES:
        most = settings.PHOTO_MOST_BYTES // 1_000_000
        raise DomainError("too_large", f"The photo is larger than {most} MB. Take it at a lower resolution.", "file")
    try:
        give_back_link()
        jpeg = read_bounded("quarry.apps.care.formats.photo:read_photo", data, seconds=_READ_S, memory_mb=_MEMORY_MB)
    except (PhotoError, ReadingStopped) as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    return PackPhoto.objects.create(organisation=actor.organisation, pack=pack, jpeg=jpeg, by=actor)
