from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.limits.models import Preflight
from quarry.apps.limits.queries import judged, preflight_of
from quarry.apps.limits.repository import override_json
from quarry.apps.limits.services._preflights import close_preflight, name_of, refuse_closed
from quarry.apps.limits.views import OverrideOut


@transaction.atomic
def override(*, actor: User, preflight_id: UUID, name: str, reason: str) -> Preflight:
    """Override a no go: with the right, a name and a reason; never past a grounded pack or a hard floor."""
    require(actor, "limits:override")
    row = preflight_of(preflight_id, lock=True)
    refuse_closed(row)
    result = judged(row).result
    if result.word != "no":
        raise DomainError("invalid", "It is no no go: clear the list instead.", "")
    if result.hard:
        raise DomainError("hard", f"Nobody may override this: {result.hard[0]}", "reason")
    if len(name.strip()) < 3:
        raise DomainError("missing", "Write the name of the person who decides.", "name")
    if len(reason.strip()) < 8:
        raise DomainError("missing", "Write the reason in a few words: it stays with the flight.", "reason")
    given = OverrideOut(
        name=name.strip()[:120],
        reason=reason.strip()[:500],
        by=name_of(actor),
        at=timezone.now().isoformat(),
        in_spite_of=list(result.reasons)[:12] or [f"{result.open_count} checks not done"],
    )
    row.override = override_json(given)
    close_preflight(row, actor, "overridden", result)
    return row
