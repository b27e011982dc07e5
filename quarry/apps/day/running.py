"""A day being flown: begin it, write down what happens, plan anew, tell every screen, close it into the records."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from django.db import connection, transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, Entered, record
from quarry.apps.care.services import add_record
from quarry.apps.day import mappers
from quarry.apps.day.fields import Pause, PinFields, clock_of_day, entered_kept, pauses_of, pin_fields_of, seconds_of_day
from quarry.apps.day.models import Day, DayEvent, DayRun, DayTelemetry
from quarry.apps.day.queries import clock_of, day_of, frozen_of, hours_of, live_of, moment_of, read_run, record_keys, run_of
from quarry.apps.day.repository import changes_kept, changes_of, flown_kept, frame_kept
from quarry.apps.day.views.live import Change, EndingOut, EventsOut, LiveOut, RefusedEvent, SummaryOut

logger = logging.getLogger(__name__)
CHANNEL = "quarry_day"
_NOTICE_S = 60.0
_OFF = timedelta(seconds=2)
_FUTURE = timedelta(minutes=2)
_BEFORE = timedelta(hours=36)
_EARLY = timedelta(seconds=mappers.BEGINS_EARLY_S)
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
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    run = DayRun.objects.create(
        organisation=day.organisation,
        day=day,
        frame=frame_kept(frame),
        current=frame_kept(frame.plan),
        plan_number=kept.number,
        started_by=actor,
    )
    record(actor=actor, action="day.started", row=day, label=day.name)
    tell_screens(run)
    return run


def _ask_when(at: datetime, opens: datetime) -> None:
    here = at.astimezone(opens.tzinfo)
    opening = f"{opens:%A} {opens.day} {opens:%B} at {opens:%H:%M}"
    late = "That is over" if at >= opens else "It is not that time yet"
    raise DomainError(
        "ask",
        f"This day opens {opening}, and it is {here:%A} {here.day} {here:%B}, {here:%H:%M} there. {late}: "
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
    day.pauses = [kept for p in pauses_of(day.pauses) if (kept := _moved(p, by))]
    day.pins = [kept for p in pin_fields_of(day.pins) if (kept := _moved(p, by))]
    day.version += 1
    day.save(update_fields=["date", "opens", "closes", "pauses", "pins", "version"])
    after = {k: str(getattr(day, k)) for k in before}
    record(actor=actor, action="day.moved", row=day, label=day.name, before=before, after=after)


def _moved(thing: Pause | PinFields, by: timedelta) -> Any:
    """Return a break or a pin as it is kept, its clock times moved; None where it no longer lies in the day."""
    moved = []
    for clock in (thing.from_, thing.to):
        at = timedelta(seconds=seconds_of_day(clock, "how")) + by if clock else timedelta(0)
        if not timedelta(0) <= at < timedelta(days=1):
            return None
        moved.append(clock_of_day(at.total_seconds()) if clock else "")
    begins, ends = moved
    return entered_kept(replace(thing, from_=begins, to=ends))


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


def ending_of(day: Day) -> EndingOut:
    """Return what ending a day now would write into records, what stays undone, and what stands in the way."""
    run = run_of(day.pk)
    reading = read_run(run)
    events, state = reading.events, reading.state
    words = {f.id: f.word for f in state.flights.values()}
    return EndingOut(
        flights=len({r.key for r in reading.records if isinstance(r, mappers.DayFlight)}),
        charges=sum(isinstance(r, mappers.DayCharge) for r in reading.records),
        undone=sorted(name for name, word in words.items() if word == "planned"),
        in_the_air=sorted(name for name, word in words.items() if word == "airborne"),
        questions=len(state.questions),
        can_undo=not events and run.closed_at is None,
    )


@dataclass(frozen=True, slots=True)
class PostedEvent:
    """An event as a device tells it: ``at`` on the clock of the device, ``under`` the revision it was made under."""

    key: str
    kind: str
    at: datetime
    figures: Entered
    under: int = 0


def post_events(
    *,
    actor: User,
    day_id: UUID,
    device: str,
    device_now: datetime,
    events: Sequence[PostedEvent],
    unreadable: Sequence[RefusedEvent] = (),
) -> EventsOut:
    """Write down what a device tells; what was told before is told once.

    One that cannot be is refused by itself, with the reason; all others are taken. ``unreadable``: refused before they came here.
    """
    require(actor, "day:run")
    if len(events) > _MOST:
        raise DomainError("too_large", f"Send {_MOST} events at most at once.", "events")
    now = timezone.now()
    offset = (now - device_now).total_seconds()
    off_s = offset if abs(offset) > _OFF.total_seconds() else 0.0
    with transaction.atomic():
        run = run_of(day_id, lock=True)
        keys = [e.key for e in events if e.key.isprintable()]
        there = set(DayEvent.objects.filter(day=run.day, key__in=keys).values_list("key", flat=True))
        batch = _Batch(actor, run, "".join(c for c in device if c.isprintable())[:60], now, off_s, there)
        for k, e in enumerate(events):
            batch.take(e, f"events.{k}.at")
    # What was written stays written, whether or not an answer can be worked out from it.
    now_there = _follow(run, turning=batch.turning) if batch.fresh else None
    live: LiveOut | None = None
    try:
        live = live_of(run.day, now_there)
    except Exception:
        logger.exception("Day %s was written to and cannot be read", run.day_id)
    return EventsOut(
        batch.taken,
        [*batch.refused, *unreadable],
        batch.fresh and batch.turning,
        off_s if abs(off_s) > _NOTICE_S else 0.0,
        live,
    )


class _Batch:
    """The events of one sending, each checked by itself and written once; ``there``: keys that were told before."""

    def __init__(self, actor: User, run: DayRun, device: str, now: datetime, off_s: float, there: set[str]) -> None:
        self.actor, self.run, self.device, self.now, self.off_s, self.there = actor, run, device, now, off_s, there
        self.earliest = min(hours_of(run.day)[0], run.started_at) - _BEFORE
        self.taken: list[str] = []
        self.refused: list[RefusedEvent] = []
        self.fresh = self.turning = False

    def take(self, e: PostedEvent, field: str) -> None:
        """Write an event down, or refuse it."""
        if e.key in self.there:
            self.taken.append(e.key)
            return
        try:
            mappers.check(e.key, e.kind, e.figures)
            at = self._moment(e.at, field)
        except (mappers.EventRefused, DomainError) as bad:
            self.refused.append(RefusedEvent(e.key, bad.message, bad.field))
            return
        DayEvent.objects.create(
            organisation=self.run.organisation,
            day=self.run.day,
            key=e.key,
            kind=e.kind,
            at=at,
            offset_s=self.off_s,
            by=self.actor,
            device=self.device,
            under=e.under,
            figures=dict(e.figures),
        )
        self.there.add(e.key)
        self.taken.append(e.key)
        self.fresh = True
        self.turning = self.turning or mappers.turns_over(e.kind)

    def _moment(self, said: datetime, field: str) -> datetime:
        at = _shifted(said, self.off_s, field)
        if at > self.now + _FUTURE:
            raise DomainError("out_of_range", "This lies ahead: write down what has happened.", field)
        if at < self.earliest:
            raise DomainError("out_of_range", "This lies long before the day. Look at the clock of the device.", field)
        return moment_of(self.run, min(at, self.now) if self.run.clock_at else at)


def _shifted(at: datetime, by_s: float, field: str) -> datetime:
    try:
        return at + timedelta(seconds=by_s)
    except OverflowError as bad:
        raise DomainError("out_of_range", "This time cannot be. Give the time at which it happened.", field) from bad


def _follow(run: DayRun, *, turning: bool) -> tuple[mappers.Reading, mappers.Replanned] | None:
    """Plan anew after something has happened; a plan that cannot be made is logged and takes nothing back."""
    try:
        with transaction.atomic():
            return plan_anew(run_of(run.day_id, lock=True), turning=turning)
    except Exception:
        logger.exception("Day %s cannot be planned anew", run.day_id)
        tell_screens(run, look=True)
        return None


def plan_anew(run: DayRun, *, turning: bool) -> tuple[mappers.Reading, mappers.Replanned]:
    """Plan from now on, keep it with what was flown so far, and tell every screen; returns the day as it was read for it."""
    reading = read_run(run)
    now_s = reading.now_s
    replanned = mappers.planned(reading, anew=turning)
    run.flown = flown_kept(mappers.flown_day(reading))
    run.current = mappers.current_kept(replanned, run.current)
    changes = changes_of(run)
    was = changes[-1].problem if changes else ""
    news = replanned.problem if replanned.problem != was else ""
    news = news or ("all that is left fits again" if was and not replanned.problem else "")
    words = "; ".join(w for w in (news, replanned.words) if w)
    if words:
        run.changes = changes_kept([*changes, Change(now_s, words, replanned.kept, replanned.problem)])
    run.planned_at_s = now_s
    run.revision += 1
    run.save(update_fields=["current", "changes", "planned_at_s", "revision", "flown"])
    tell_screens(run)
    return reading, replanned


def take_better(run: DayRun) -> bool:
    """Look longer for a better plan for the rest of a day; returns whether one was taken.

    What happens meanwhile comes first: a plan for a moment that has passed is thrown away.
    """
    reading = read_run(run)
    now_s = reading.now_s
    replanned = mappers.planned(reading, anew=True, plays=mappers.LONG_PLAYS)
    if replanned.kept or replanned.plan is None:
        return False
    with transaction.atomic():
        own_run = run_of(run.day_id, lock=True)
        if own_run.revision != run.revision:
            return False
        words = f"looked longer: {replanned.words}" if replanned.words else "looked longer"
        own_run.current = mappers.current_kept(replanned, own_run.current)
        own_run.changes = changes_kept([*changes_of(own_run), Change(now_s, words, kept=False, problem=replanned.problem)])
        own_run.planned_at_s = now_s
        own_run.revision += 1
        own_run.save(update_fields=["current", "changes", "planned_at_s", "revision"])
        tell_screens(own_run)
    return True


def tell_screens(run: DayRun, *, look: bool = False) -> None:
    """Tell every process, once this is written, that the day has changed; with ``look`` though its plan has not."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, f"{run.organisation_id}:{run.day_id}:{0 if look else run.revision}"])


@dataclass(frozen=True, slots=True)
class Reported:
    """What an aircraft or a charger tells: of a sortie or, as ``port 3``, of a port; figures that were not read are left out."""

    about: str
    at: datetime
    figures: Entered


def post_telemetry(*, actor: User, day_id: UUID, readings: Sequence[Reported], device_now: datetime | None = None) -> None:
    """Keep the newest that aircraft and chargers tell; screens are told when an alert comes of it or goes.

    Times are set right by the clock of the sender, where it is told; what still lies ahead counts as read now.
    """
    require(actor, "day:run")
    run = run_of(day_id)
    now = timezone.now()
    off = (now - device_now) if device_now is not None and abs(now - device_now) > _OFF else timedelta(0)
    latest = moment_of(run, now)
    for r in readings:
        at = moment_of(run, min(_shifted(r.at, off.total_seconds(), "at"), now))
        there = DayTelemetry.objects.filter(day=run.day, flight=r.about).first()
        # A reading that an older version kept from ahead of its time must not silence the true ones.
        if there is not None and at <= there.at <= latest:
            continue
        news = {"organisation": run.organisation, "at": at, "figures": dict(r.figures)}
        DayTelemetry.objects.update_or_create(day=run.day, flight=r.about, defaults=news)
    alerts = [[a.key, a.grade] for a in live_of(run.day).alerts]
    if alerts != run.alerts:
        DayRun.objects.filter(pk=run.pk).update(alerts=alerts)
        tell_screens(run, look=True)


@transaction.atomic
def close_run(*, actor: User, day_id: UUID) -> SummaryOut:
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
            _to_records(actor, reading)
        else:
            run.clock_s, run.clock_at, run.speed = clock_of(run), timezone.now(), 0.0
        run.closed_at = timezone.now()
        run.save(update_fields=["clock_s", "clock_at", "speed", "closed_at"])
        record(actor=actor, action="day.closed", row=run.day, label=run.day.name)
        plan_anew(run, turning=False)
    return mappers.to_summary(reading)


def _to_records(actor: User, reading: mappers.Reading) -> None:
    run, kept = reading.run, reading.kept
    opens = hours_of(run.day)[0]
    for r in reading.records:
        add_record(
            actor=actor,
            pack_id=UUID(kept.pack_ids[r.pack]),
            kind=r.kind,
            figures=mappers.record_figures(kept, r),
            at=opens + timedelta(seconds=r.at_s),
            note=run.day.name,
            key=record_keys(run.pk, r.key, [r.pack], r.kind)[0],
        )


def summary_of(day: Day) -> SummaryOut:
    """Return how a day went so far."""
    return mappers.to_summary(read_run(run_of(day.pk)))
