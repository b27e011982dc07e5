from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.care.formats.small_photo import small_photo
from quarry.apps.search.models import SearchPhoto
from quarry.apps.search.queries import search_row

_MOST = 200  # of one search


def add_search_photo(*, actor: User, search_id: UUID, data: bytes) -> SearchPhoto:
    """Keep a photo of a clue or a find, small; the report that comes of it names it by its key."""
    require(actor, "day:run")
    row = search_row(search_id)
    if row.ended_at is not None:
        raise DomainError("closed", "This search has ended. Resume it first.", "search")
    if SearchPhoto.objects.filter(search=row).count() >= _MOST:
        raise DomainError("too_many", f"A search keeps {_MOST} photos. Report this one in words.", "file")
    return SearchPhoto.objects.create(organisation=row.organisation, search=row, jpeg=small_photo(data), by=actor)
