from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.limits.models import Preflight
from quarry.apps.limits.queries import judged, preflight_of
from quarry.apps.limits.services._preflights import close_preflight, refuse_closed


@transaction.atomic
def clear(*, actor: User, preflight_id: UUID) -> Preflight:
    """Close a list that is a go or a go with care."""
    require(actor, "preflight:write")
    row = preflight_of(preflight_id, lock=True)
    refuse_closed(row)
    result = judged(row).result
    if result.word == "no":
        first = result.reasons[0] if result.reasons else f"{result.open_count} checks are not done."
        raise DomainError("no_go", f"It is no go: {first}", "")
    close_preflight(row, actor, "cleared", result)
    return row
