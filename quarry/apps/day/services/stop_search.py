from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import DayPlan
from quarry.apps.day.queries import day_of


def stop_search(*, actor: User, day_id: UUID) -> None:
    """Ask the running search for a better plan to stop; what it has found stays."""
    require(actor, "day:write")
    DayPlan.objects.filter(day=day_of(day_id), state__in=["queued", "searching"]).update(state="stopped")
