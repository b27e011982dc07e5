"""A day being flown: begin it, write down what happens, plan anew, tell every screen, close it into the records."""

from __future__ import annotations

import logging
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
from quarry.apps.day.queries import clock_of, day_of, frozen_of, hours_of, live_of, moment_of, read_run, record_keys, run_of

logger = logging.getLogger(__name__)
CHANNEL = "quarry_day"
_NOTICE_S = 60.0
_OFF = timedelta(seconds=2)
_FUTURE = timedelta(minutes=2)
_BEFORE = timedelta(hours=36)
_EARLY = timedelta(seconds=bridge.BEGINS_EARLY_S)
_MOST = 400


@transaction.atomic
def start_run(*, actor: User, day_id: UUID, how: str = "", now: datetime | None = None) -> DayRun:
    """Begin to fly a day under its newest plan; a day that is running already goes on.

    ``how``: empty begins a day within an hour before it opens and its end, and asks at any other time: its clock would be
    wrong. ``now`` lets it open at this minute, its times moved with it; ``planned`` begins it at its own times.

    Raises
    ------
    DomainError
        ``ask`` where it is another date or hours early, with what would happen in ``extra``; or it cannot be planned.
    """
    require(actor, "day:run")
    day = day_of(day_id)
    there = DayRun.objects.filter(day=day).first()
    if there is not None:
        return there
    at = now or timezone.now()
    opens, closes = hours_of(day)
    if how == "now":
        _open_now(actor, day, at)
    elif how != "planned" and not opens - _EARLY <= at < closes:
        _ask_when(at, opens)
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


def _ask_when(at: datetime, opens: datetime) -> None:
    here = at.astimezone(opens.tzinfo)
    told = f"{opens:%A} {opens.day} {opens:%B} at {opens:%H:%M}"
    late = "That is over" if at >= opens else "It is not that time yet"
    raise DomainError(
        "ask",
        f"This day opens {told}, and it is {here:%A} {here.day} {here:%B}, {here:%H:%M} there. {late}: "
        f"start now and let the day open at {here:%H:%M}, all its times moved with it, or wait.",
        "how",
        extra={"opens_at": opens.isoformat(), "would_open_at": here.replace(second=0, microsecond=0).isoformat()},
    )


def _open_now(actor: User, day: Day, at: datetime) -> None:
    """Let a day open at this minute: its length, breaks and what people fixed move with it."""
    opens, closes = hours_of(day)
    here = at.astimezone(opens.tzinfo).replace(second=0, microsecond=0)
    ends = here + (closes - opens)
    midnight = here.replace(hour=23, minute=59)
    before = {k: str(getattr(day, k)) for k in ("date", "opens", "closes")}
    by = timedelta(hours=here.hour, minutes=here.minute) - timedelta(hours=opens.hour, minutes=opens.minute)
    day.date, day.opens, day.closes = here.date(), here.time(), min(ends, midnight).time()
    day.pauses = [m for p in day.pauses if (m := _moved(p, by))]
    day.pins = [m for p in day.pins if (m := _moved(p, by))]
    day.version += 1
    day.save(update_fields=["date", "opens", "closes", "pauses", "pins", "version"])
    after = {k: str(getattr(day, k)) for k in before}
    record(actor=actor, action="day.moved", row=day, label=day.name, before=before, after=after)


def _moved(thing: dict[str, Any], by: timedelta) -> dict[str, Any] | None:
    """Return a break or a pin with its clock times moved; None where it no longer lies in the day."""
    moved = dict(thing)
    for key in ("from", "to"):
        if thing.get(key):
            hours, minutes = thing[key].split(":")[:2]
            at = timedelta(hours=int(hours), minutes=int(minutes)) + by
            if not timedelta(0) <= at < timedelta(days=1):
                return None
            moved[key] = f"{at.seconds // 3600:02d}:{at.seconds // 60 % 60:02d}"
    return moved


@transaction.atomic
def undo_start(*, actor: User, day_id: UUID) -> None:
    """Take a beginning back while nothing has happened: the day is planned again, as if it had not begun."""
    require(actor, "day:run")
    run = run_of(day_id, lock=True)
    if run.closed_at is not None or DayEvent.objects.filter(day=run.day).exists():
        raise DomainError("not_ready", "Something has happened on this day: end it instead, then its records are kept.", "day")
    DayTelemetry.objects.filter(day=run.day).delete()
    record(actor=actor, action="day.start_undone", row=run.day, label=run.day.name)
    tell_screens(run)
    run.delete()


def ending_of(day: Day) -> dict[str, Any]:
    """Return what ending a day now would write into records, what stays undone, and what stands in the way."""
    run = run_of(day.pk)
    reading = read_run(run)
    events, state = reading.events, reading.state
    words = {f.id: f.word for f in state.flights.values()}
    return {
        "flights": len({r.key for r in reading.records if isinstance(r, bridge.DayFlight)}),
        "charges": sum(isinstance(r, bridge.DayCharge) for r in reading.records),
        "undone": sorted(name for name, word in words.items() if word == "planned"),
        "in_the_air": sorted(name for name, word in words.items() if word == "airborne"),
        "questions": len(state.questions),
        "can_undo": not events and run.closed_at is None,
    }


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
        keys = [e["key"] for e in events if e["key"].isprintable()]
        known = set(DayEvent.objects.filter(day=run.day, key__in=keys).values_list("key", flat=True))
        earliest = hours_of(run.day)[0] - _BEFORE
        fresh = turning = False
        for k, e in enumerate(events):
            if e["key"] in known:
                taken.append(e["key"])
                continue
            try:
                bridge.check(e["key"], e["kind"], e["figures"])
                at = _shifted(e["at"], off, f"events.{k}.at")
                if at > now + _FUTURE:
                    raise DomainError("out_of_range", "This lies ahead: write down what has happened.", f"events.{k}.at")
                if at < min(earliest, run.started_at - _BEFORE):
                    raise DomainError(
                        "out_of_range", "This lies long before the day. Look at the clock of the device.", f"events.{k}.at"
                    )
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
                device="".join(c for c in device if c.isprintable())[:60],
                under=e.get("under") or 0,
                figures=e["figures"],
            )
            known.add(e["key"])
            taken.append(e["key"])
            fresh = True
            turning = turning or bridge.turns_over(e["kind"])
    # What was written stays written, whether or not an answer can be worked out from it.
    now_there = _follow(run, turning=turning) if fresh else None
    try:
        live: dict[str, Any] | None = live_of(run.day, now_there)
    except Exception:
        logger.exception("Day %s was written to and cannot be read", run.day_id)
        live = None
    return {
        "taken": taken,
        "refused": refused,
        "turned": fresh and turning,
        "clock_off_s": off if abs(off) > _NOTICE_S else 0.0,
        "live": live,
    }


def _shifted(at: datetime, by_s: float, field: str) -> datetime:
    try:
        return at + timedelta(seconds=by_s)
    except OverflowError as bad:
        raise DomainError("out_of_range", "This time cannot be. Give the time at which it happened.", field) from bad


def _follow(run: DayRun, *, turning: bool) -> tuple[bridge.Reading, bridge.Replanned] | None:
    """Plan anew after something has happened; a plan that cannot be made is logged and takes nothing back."""
    try:
        with transaction.atomic():
            return plan_anew(run_of(run.day_id, lock=True), turning=turning)
    except Exception:
        logger.exception("Day %s cannot be planned anew", run.day_id)
        tell_screens(run, look=True)
        return None


def plan_anew(run: DayRun, *, turning: bool) -> tuple[bridge.Reading, bridge.Replanned]:
    """Plan from now on, keep it with what was flown so far, and tell every screen; returns the day as it was read for it."""
    reading = read_run(run)
    now_s = reading.now_s
    had = bridge.planned(reading, anew=turning)
    run.flown = bridge.flown_plain(bridge.flown_day(reading))
    run.current = bridge.kept_plan(had, run.current)
    was = run.changes[-1].get("problem", "") if run.changes else ""
    news = had.problem if had.problem != was else ""
    news = news or ("all that is left fits again" if was and not had.problem else "")
    words = "; ".join(w for w in (news, had.words) if w)
    if words:
        run.changes = [*run.changes, {"at_s": now_s, "words": words, "kept": had.kept, "problem": had.problem}][-60:]
    run.planned_at_s = now_s
    run.revision += 1
    run.save(update_fields=["current", "changes", "planned_at_s", "revision", "flown"])
    tell_screens(run)
    return reading, had


def take_better(run: DayRun) -> bool:
    """Look longer for a better plan for the rest of a day; returns whether one was taken.

    What happens meanwhile comes first: a plan for a moment that has passed is thrown away.
    """
    reading = read_run(run)
    now_s = reading.now_s
    had = bridge.planned(reading, anew=True, plays=bridge.LONG_PLAYS)
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
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, f"{run.organisation_id}:{run.day_id}:{0 if look else run.revision}"])


def post_telemetry(
    *,
    actor: User,
    day_id: UUID,
    readings: list[dict[str, Any]],
    ports: list[dict[str, Any]] | None = None,
    device_now: datetime | None = None,
) -> None:
    """Keep the newest that aircraft and chargers tell; screens are told when an alert comes of it or goes.

    Times are set right by the clock of the sender, where it is told; what still lies ahead counts as read now.
    """
    require(actor, "day:run")
    run = run_of(day_id)
    now = timezone.now()
    off = (now - device_now) if device_now is not None and abs(now - device_now) > _OFF else timedelta(0)
    told = [(r["flight"], r) for r in readings] + [(f"{bridge.PORT}{r['port']}", r) for r in ports or ()]
    latest = moment_of(run, now)
    for name, r in told:
        figures = {k: v for k, v in r.items() if k not in ("flight", "port", "at") and v is not None}
        at = moment_of(run, min(_shifted(r["at"], off.total_seconds(), "at"), now))
        there = DayTelemetry.objects.filter(day=run.day, flight=name).first()
        # A reading that an older version kept from ahead of its time must not silence the true ones.
        if there is not None and at <= there.at <= latest:
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
    reading = read_run(run)
    state = reading.state
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
            _to_records(actor, run, reading.records)
        else:
            run.clock_s, run.clock_at, run.speed = clock_of(run), timezone.now(), 0.0
        run.closed_at = timezone.now()
        run.save(update_fields=["clock_s", "clock_at", "speed", "closed_at"])
        record(actor=actor, action="day.closed", row=run.day, label=run.day.name)
        plan_anew(run, turning=False)
    return bridge.summary(reading)


def _to_records(actor: User, run: DayRun, told: list[bridge.DayCharge | bridge.DayFlight]) -> None:
    opens = hours_of(run.day)[0]
    for r in told:
        add_record(
            actor=actor,
            pack_id=UUID(run.frame["pack_ids"][r.pack]),
            kind=r.kind,
            figures=bridge.record_figures(run, r),
            at=opens + timedelta(seconds=r.at_s),
            note=run.day.name,
            key=record_keys(run.pk, r.key, [r.pack], r.kind)[0],
        )


def summary_of(day: Day) -> dict[str, Any]:
    """Return how a day went so far."""
    return bridge.summary(read_run(run_of(day.pk)))
