"""Background work of days: searching on for a better plan while people already read the first."""

from __future__ import annotations

import logging

from django_scopes import scope, scopes_disabled
from procrastinate.contrib.django import app

from quarry.apps.day import bridge
from quarry.apps.day.models import DayPlan
from quarry.apps.day.selectors import roster_of

log = logging.getLogger(__name__)


def begin_search(plan: DayPlan) -> None:
    """Queue the search for a plan that has just been made."""
    if plan.state == "first":
        plan.state = "queued"
        plan.save(update_fields=["state"])
        better_day_plan.defer(plan_id=plan.pk)


@app.task(name="better_day_plan", queue="plans")
def better_day_plan(plan_id: int) -> None:
    """Search for a better plan until the rounds are over, the bound is met, or somebody stops it."""
    with scopes_disabled():
        row = DayPlan.objects.select_related("organisation", "day__supply__model").filter(pk=plan_id).first()
    if row is None or row.state == "stopped":
        return
    with scope(organisation=row.organisation):
        mine = DayPlan.objects.filter(pk=plan_id)
        mine.update(state="searching", progress=0)

        def report(share: float) -> bool:
            return bool(mine.filter(state="searching").update(progress=share))

        try:
            r = roster_of(row.day)
            if bridge.fingerprint(r) != row.fingerprint:
                mine.update(state="old")
                return
            better, proven = bridge.better_plan(r, row.plan["finish_s"], report)
        except bridge.PlanError:
            log.exception("the search for a better plan of day %s ended early", row.day_id)
            mine.update(state="stopped")
            return
        if better is not None:
            mine.update(plan=better)
        mine.filter(state="searching").update(state="proven" if proven else "best", progress=1)
