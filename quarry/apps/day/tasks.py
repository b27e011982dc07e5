"""Background work of days: a better plan while people already read the first, and what the plan tells about its day."""

from __future__ import annotations

import contextlib
import logging
import threading
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

from django.db import connection, transaction
from django.db.models import Exists, OuterRef, QuerySet, Window
from django.db.models.functions import RowNumber
from django.utils import timezone
from django_scopes import scope, scopes_disabled
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from quarry.apps.accounts import retention
from quarry.apps.background import Kind, Tidying, register, register_tidying
from quarry.apps.day import mappers
from quarry.apps.day.models import Day, DayEvent, DayPlan, DayRun, TrackPoint
from quarry.apps.day.queries import roster_of
from quarry.apps.day.repository import plan_from, plan_json
from quarry.apps.day.services import take_better

log = logging.getLogger(__name__)
KEPT_PLANS, KEPT_PLAN = 10, timedelta(days=30)  # of each day its newest plans stay, and those made of late
SEARCH_S = 20.0
_LOOK_S = 0.5
_SEARCH_SHARE = 0.8  # of the bar; the rest is what one more of each thing would do


def begin_search(plan: DayPlan) -> None:
    """Queue the search for a plan that has just been made."""
    if plan.state == "first":
        _queue(plan)


def search_again(plan: DayPlan) -> None:
    """Queue a search that was stopped or given up once more."""
    if plan.state == "stopped":
        plan.tries = 0
        _queue(plan)


def _queue(plan: DayPlan) -> None:
    # Both or neither: a plan that says it is queued has a job.
    with transaction.atomic():
        plan.state = "queued"
        plan.save(update_fields=["state", "tries"])
        better_day_plan.defer(plan_id=plan.pk)


def _give_up(plan: DayPlan) -> None:
    DayPlan.objects.filter(pk=plan.pk).update(state="stopped")


register(
    Kind(
        "better_day_plan",
        "plan_id",
        lambda: DayPlan.objects.filter(state__in=("queued", "searching")),
        _queue,
        _give_up,
    )
)


def _clear_plans() -> int:
    """Take plans of a day away that are old, are none of its newest, and were never flown or rehearsed."""
    ranked = DayPlan.objects.annotate(rank=Window(RowNumber(), partition_by="day_id", order_by="-number"))
    flown = DayRun.objects.filter(day=OuterRef("day"), plan_number=OuterRef("number"))
    old = DayPlan.objects.filter(made_at__lt=timezone.now() - KEPT_PLAN).exclude(state__in=("queued", "searching"))
    gone = old.exclude(Exists(flown)).exclude(pk__in=ranked.filter(rank__lte=KEPT_PLANS).values("pk"))
    return gone.delete()[0]


register_tidying(Tidying("plans that newer ones replaced", _clear_plans))


def _rehearsals(before: datetime) -> QuerySet[Day]:
    return Day.objects.filter(rehearsal_of__isnull=False, run__started_at__lt=before).exclude(run__closed_at=None)


def _clear_rehearsals(before: datetime) -> int:
    """Delete rehearsals that were ended; returns how many."""
    keys = list(_rehearsals(before).values_list("pk", flat=True))
    DayRun.objects.filter(day_id__in=keys).delete()
    DayEvent.objects.filter(day_id__in=keys).delete()
    Day.objects.filter(pk__in=keys).delete()
    return len(keys)


retention.register_kind(
    retention.Kind(
        "rehearsals",
        "Rehearsals that were ended",
        "The days they rehearsed stay.",
        _rehearsals,
        "run__started_at",
        _clear_rehearsals,
    )
)


def _places_told(before: datetime) -> QuerySet[TrackPoint]:
    return TrackPoint.objects.filter(at__lt=before)


retention.register_kind(
    retention.Kind(
        "places_told",
        "Positions of aircraft from telemetry",
        "What was covered by them is seen from logs and landings alone from then on; proofs stay as they were made.",
        _places_told,
        "at",
        lambda before: _places_told(before).delete()[0],
    )
)


@app.task(name="better_day_plan", queue="plans")
def better_day_plan(plan_id: int, limit_s: float = SEARCH_S) -> None:
    """Search for a better plan until the time is up, none can end earlier, or somebody stops it."""
    with scopes_disabled():
        row = DayPlan.objects.select_related("organisation", "day__supply__model").filter(pk=plan_id).first()
    if row is None or row.state == "stopped":
        return
    with scope(organisation=row.organisation):
        own_row = DayPlan.objects.filter(pk=plan_id)
        own_row.update(state="searching", progress=0)
        try:
            r = roster_of(row.day)
            if mappers.fingerprint(r) != row.fingerprint:
                own_row.update(state="old")
                return
            plan = mappers.with_insight(r, plan_from(row.plan), grid=False)
            own_row.update(plan=plan_json(plan))
            with _Watch(plan_id, limit_s) as watch:
                plan, proven = mappers.better_plan(r, plan, limit_s, watch.on_stop, watch.on_better)
            stopped = watch.stopped

            def report(share: float) -> bool:
                own_row.update(progress=_SEARCH_SHARE + (1 - _SEARCH_SHARE) * share)
                return not own_row.filter(state="stopped").exists()

            plan = mappers.with_insight(r, plan, report, grid=not stopped)
        except mappers.PlanError:
            log.exception("the search for a better plan of day %s ended early", row.day_id)
            own_row.update(state="stopped")
            return
        except Exception:
            own_row.update(state="stopped")  # whatever went wrong, no screen waits for it for ever
            raise
        own_row.update(plan=plan_json(plan))
        own_row.filter(state="searching").update(state="proven" if proven else "best", progress=1)


def begin_run_search(run: DayRun) -> None:
    """Queue the search for a better plan for the rest of a running day, once this is written; one waits at the most."""
    run_id = str(run.pk)

    def later() -> None:
        with contextlib.suppress(AlreadyEnqueued):
            better_run_plan.configure(queueing_lock=f"run-{run_id}").defer(run_id=run_id)

    transaction.on_commit(later)


@app.task(name="better_run_plan", queue="plans")
def better_run_plan(run_id: str) -> None:
    """Play the rest of a running day many times over; a plan that is worth it is taken unless more has happened since."""
    with scopes_disabled():
        run = DayRun.objects.select_related("organisation").filter(pk=run_id, closed_at=None).first()
    if run is not None:
        with scope(organisation=run.organisation):
            take_better(run=run)


class _Watch:
    """Looks twice a second whether somebody stopped the search, and says how far it is; in a thread of its own."""

    def __init__(self, plan_id: int, limit_s: float) -> None:
        self.plan_id, self.limit_s = plan_id, limit_s
        self.stopped = False
        self._stop: list[Callable[[], None]] = []
        self._done = threading.Event()
        self._thread = threading.Thread(target=self._look, daemon=True)

    def on_stop(self, stop: Callable[[], None]) -> None:
        """Take the function that ends the search."""
        self._stop.append(stop)
        if self.stopped:
            stop()

    def on_better(self, finish_s: float, bound_s: float) -> None:
        """Take note of a better plan."""
        log.debug("plan %s ends at %.0f s, none before %.0f s", self.plan_id, finish_s, bound_s)

    def _look(self) -> None:
        waited = 0.0
        try:
            while not self._done.wait(_LOOK_S):
                waited += _LOOK_S
                with scopes_disabled():
                    mine = DayPlan.objects.filter(pk=self.plan_id)
                    state = mine.values_list("state", flat=True).first()
                    if state == "searching":
                        mine.filter(state="searching").update(progress=_SEARCH_SHARE * min(1.0, waited / self.limit_s))
                    elif state is not None:
                        self.stopped = True
                        for stop in self._stop:
                            stop()
        finally:
            connection.close()

    def __enter__(self) -> _Watch:
        self._thread.start()
        return self

    def __exit__(self, *_: Any) -> None:
        self._done.set()
        self._thread.join(timeout=5)
