from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.care.formats.small_photo import small_photo
from quarry.apps.care.models import PackPhoto
from quarry.apps.care.queries import pack_of


def add_photo(*, actor: User, pack_id: UUID, data: bytes) -> PackPhoto:
    """Keep a photo of a pack, small; a record names it by its key."""
    require(actor, "packs:record")
    pack = pack_of(pack_id)
    return PackPhoto.objects.create(organisation=actor.organisation, pack=pack, jpeg=small_photo(data), by=actor)
