"""A day being flown: begin it, write down what happens, plan anew, tell every screen, close it into the records."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from django.db import connection, transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, record
from quarry.apps.care.services import add_record
from quarry.apps.day import bridge
from quarry.apps.day.models import Day, DayEvent, DayRun, DayTelemetry
from quarry.apps.day.selectors import clock_of, day_of, events_of, frozen_of, hours_of, live_of, moment_of, record_keys, run_of

CHANNEL = "quarry_day"
_NOTICE_S = 60.0
_FUTURE = timedelta(minutes=2)
_MOST = 400


@transaction.atomic
def start_run(*, actor: User, day_id: UUID) -> DayRun:
    """Begin to fly a day under its newest plan; a day that is running already goes on."""
    require(actor, "day:run")
    day = day_of(day_id)
    there = DayRun.objects.filter(day=day).first()
    if there is not None:
        return there
    try:
        kept, frame = frozen_of(day, actor)
    except bridge.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    run = DayRun.objects.create(
        organisation=day.organisation, day=day, frame=frame, current=frame["plan"], plan_number=kept.number, started_by=actor
    )
    record(actor=actor, action="day.started", row=day, label=day.name)
    tell_screens(run)
    return run


def post_events(*, actor: User, day_id: UUID, device: str, device_now: datetime, events: list[dict[str, Any]]) -> dict[str, Any]:
    """Write down what a device tells; what was told before is told once.

    Each event has ``key``, ``kind``, ``at`` (on the clock of the device), ``under`` (the revision it was made under) and
    ``figures``. One that cannot be is refused by itself, with the reason; all others are taken.
    """
    require(actor, "day:run")
    if len(events) > _MOST:
        raise DomainError("too_large", f"Send {_MOST} events at most at once.", "events")
    now = timezone.now()
    offset = (now - device_now).total_seconds()
    off = offset if abs(offset) > 2.0 else 0.0
    taken: list[str] = []
    refused: list[dict[str, str]] = []
    with transaction.atomic():
        run = run_of(day_id, lock=True)
        known = set(DayEvent.objects.filter(day=run.day, key__in=[e["key"] for e in events]).values_list("key", flat=True))
        fresh = turning = False
        for k, e in enumerate(events):
            if e["key"] in known:
                taken.append(e["key"])
                continue
            try:
                bridge.check(e["key"], e["kind"], e["figures"])
                at = e["at"] + timedelta(seconds=off)
                if at > now + _FUTURE:
                    raise DomainError("out_of_range", "This lies ahead: write down what has happened.", f"events.{k}.at")
                at = moment_of(run, min(at, now) if run.clock_at else at)
            except (bridge.EventRefused, DomainError) as bad:
                refused.append({"key": e["key"], "detail": bad.message, "field": bad.field})
                continue
            DayEvent.objects.create(
                organisation=run.organisation,
                day=run.day,
                key=e["key"],
                kind=e["kind"],
                at=at,
                offset_s=off,
                by=actor,
                device=device[:60],
                under=e.get("under") or 0,
                figures=e["figures"],
            )
            known.add(e["key"])
            taken.append(e["key"])
            fresh = True
            turning = turning or e["kind"] in bridge.TURNING
        if fresh:
            plan_anew(run, turning=turning)
    turned = fresh and turning
    return {
        "taken": taken,
        "refused": refused,
        "turned": turned,
        "clock_off_s": off if abs(off) > _NOTICE_S else 0.0,
        "live": live_of(run.day),
    }


def plan_anew(run: DayRun, *, turning: bool) -> None:
    """Plan from now on, keep it, and tell every screen."""
    now_s = clock_of(run)
    frame, state = bridge.frame_of(run), bridge.state_of(bridge.frame_of(run), events_of(run.day))
    had = bridge.planned(run, frame, state, now_s, anew=turning)
    run.current = bridge.kept_plan(had, run.current)
    was = run.changes[-1].get("problem", "") if run.changes else ""
    news = had.problem if had.problem != was else ""
    news = news or ("all that is left fits again" if was and not had.problem else "")
    words = "; ".join(w for w in (news, had.words) if w)
    if words:
        run.changes = [*run.changes, {"at_s": now_s, "words": words, "kept": had.kept, "problem": had.problem}][-60:]
    run.planned_at_s = now_s
    run.revision += 1
    run.save(update_fields=["current", "changes", "planned_at_s", "revision"])
    tell_screens(run)


def take_better(run: DayRun) -> bool:
    """Look longer for a better plan for the rest of a day; returns whether one was taken.

    What happens meanwhile comes first: a plan for a moment that has passed is thrown away.
    """
    frame, state = bridge.frame_of(run), bridge.state_of(bridge.frame_of(run), events_of(run.day))
    now_s = clock_of(run)
    had = bridge.planned(run, frame, state, now_s, anew=True, plays=bridge.LONG_PLAYS)
    if had.kept or had.plan is None:
        return False
    with transaction.atomic():
        mine = run_of(run.day_id, lock=True)
        if mine.revision != run.revision:
            return False
        words = f"looked longer: {had.words}" if had.words else "looked longer"
        mine.current = bridge.kept_plan(had, mine.current)
        mine.changes = [*mine.changes, {"at_s": now_s, "words": words, "kept": False, "problem": had.problem}][-60:]
        mine.planned_at_s = now_s
        mine.revision += 1
        mine.save(update_fields=["current", "changes", "planned_at_s", "revision"])
        tell_screens(mine)
    return True


def tell_screens(run: DayRun, *, look: bool = False) -> None:
    """Tell every process, once this is written, that the day has changed; with ``look`` though its plan has not."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, f"{run.day_id}:{0 if look else run.revision}"])


def post_telemetry(
    *, actor: User, day_id: UUID, readings: list[dict[str, Any]], ports: list[dict[str, Any]] | None = None
) -> None:
    """Keep the newest that aircraft and chargers tell; screens are told when an alert comes of it or goes."""
    require(actor, "day:run")
    run = run_of(day_id)
    told = [(r["flight"], r) for r in readings] + [(f"{bridge.PORT}{r['port']}", r) for r in ports or ()]
    for name, r in told:
        figures = {k: v for k, v in r.items() if k not in ("flight", "port", "at") and v is not None}
        at = moment_of(run, r["at"])
        there = DayTelemetry.objects.filter(day=run.day, flight=name).first()
        if there is not None and there.at >= at:
            continue
        DayTelemetry.objects.update_or_create(
            day=run.day, flight=name, defaults={"organisation": run.organisation, "at": at, "figures": figures}
        )
    alerts = [[a["key"], a["grade"]] for a in live_of(run.day)["alerts"]]
    if alerts != run.alerts:
        DayRun.objects.filter(pk=run.pk).update(alerts=alerts)
        tell_screens(run, look=True)


@transaction.atomic
def close_run(*, actor: User, day_id: UUID) -> dict[str, Any]:
    """Close a day: its flights and charges go to the records of their packs, once however often it is closed."""
    require(actor, "day:run")
    run = run_of(day_id, lock=True)
    events = events_of(run.day)
    frame = bridge.frame_of(run)
    state = bridge.state_of(frame, events)
    up = sorted(f.id for f in state.flights.values() if f.word == "airborne")
    if up:
        raise DomainError("still_flying", f"{', '.join(up)} is in the air: write down its landing first.", "flights")
    if state.questions:
        raise DomainError("open_question", "Two accounts of one thing are open: say which stands.", "questions")
    if state.closed_s is None:
        now = moment_of(run, timezone.now())
        DayEvent.objects.create(
            organisation=run.organisation, day=run.day, key=f"closed-{run.pk}", kind="closed", at=now, by=actor
        )
        if run.clock_at is None:
            _to_records(actor, run, bridge.records_of(run, frame, state, events))
        else:
            run.clock_s, run.clock_at, run.speed = clock_of(run), timezone.now(), 0.0
        run.closed_at = timezone.now()
        run.save(update_fields=["clock_s", "clock_at", "speed", "closed_at"])
        record(actor=actor, action="day.closed", row=run.day, label=run.day.name)
        plan_anew(run, turning=False)
    return bridge.summary(run, frame, state)


def _to_records(actor: User, run: DayRun, told: list[dict[str, Any]]) -> None:
    opens = hours_of(run.day)[0]
    for line in told:
        add_record(
            actor=actor,
            pack_id=UUID(run.frame["pack_ids"][line["pack"]]),
            kind=line["kind"],
            figures=line["figures"],
            at=opens + timedelta(seconds=line["at_s"]),
            note=run.day.name,
            key=record_keys(run, line["key"], [line["pack"]], line["kind"])[0],
        )


def summary_of(day: Day) -> dict[str, Any]:
    """Return how a day went so far."""
    run = run_of(day.pk)
    frame = bridge.frame_of(run)
    return bridge.summary(run, frame, bridge.state_of(frame, events_of(day)))
