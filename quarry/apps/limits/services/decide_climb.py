from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.limits.models import Preflight
from quarry.apps.limits.queries import judged, preflight_of


@transaction.atomic
def decide_climb(*, actor: User, preflight_id: UUID, go_on: bool) -> Preflight:
    """End a list after the first climb and hover: go on with the sortie, or come back."""
    require(actor, "preflight:write")
    row = preflight_of(preflight_id, lock=True)
    if row.state not in ("cleared", "overridden"):
        raise DomainError("not_ready", "Clear the list and launch first.", "")
    result = judged(row).result
    if go_on and result.climb == "no":
        first = result.climb_reasons[0] if result.climb_reasons else f"{result.climb_open_count} checks are not done."
        raise DomainError("no_go", f"Come back: {first}", "")
    row.state = "went on" if go_on else "came back"
    row.version += 1
    row.save()
    label = f"{row.job.letter}{row.sortie}, {row.aircraft.name}"
    record(actor=actor, action="preflight.climb", row=row, label=label, after={"state": row.state, "word": result.climb})
    return row
