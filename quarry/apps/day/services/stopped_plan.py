from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import DayPlan
from quarry.apps.day.queries import day_of


def stopped_plan(*, actor: User, day_id: UUID) -> DayPlan:
    """Return the newest plan of a day whose search was stopped."""
    require(actor, "day:write")
    row = DayPlan.objects.filter(day=day_of(day_id)).order_by("-number").first()
    if row is None or row.state != "stopped":
        raise DomainError("not_ready", "There is no search that was stopped. Load the day again.", "day")
    return row
