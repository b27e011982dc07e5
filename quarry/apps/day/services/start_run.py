from __future__ import annotations

from dataclasses import replace
from datetime import datetime, time, timedelta
from typing import Any
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day import mappers
from quarry.apps.day.fields import (
    Pause,
    PinFields,
    clock_of_day,
    entered_json,
    moments_of,
    pauses_of,
    pin_fields_of,
    seconds_of_day,
)
from quarry.apps.day.models import Day, DayRun
from quarry.apps.day.queries import day_of, frozen_of
from quarry.apps.day.repository import frame_json
from quarry.apps.day.services.tell_screens import tell_screens

_WHOLE_DAY = timedelta(days=1)
_EARLY = timedelta(seconds=mappers.BEGINS_EARLY_S)


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
    opens, closes = moments_of(day)
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
        frame=frame_json(frame),
        current=frame_json(frame.plan),
        plan_number=kept.number,
        started_by=actor,
    )
    record(actor=actor, action="day.started", row=day, label=day.name)
    tell_screens(run=run)
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
    opens, closes = moments_of(day)
    here = at.astimezone(opens.tzinfo).replace(second=0, microsecond=0)
    length = closes - opens
    before = {k: str(getattr(day, k)) for k in ("date", "opens", "closes")}
    by = timedelta(hours=here.hour, minutes=here.minute) - timedelta(hours=opens.hour, minutes=opens.minute)
    day.date, day.opens, day.closes = here.date(), here.time(), (here + length).time()
    day.pauses = [kept for p in pauses_of(day.pauses) if (kept := _moved(p, by, here.time(), length))]
    day.pins = [kept for p in pin_fields_of(day.pins) if (kept := _moved(p, by, here.time(), length))]
    day.version += 1
    day.save(update_fields=["date", "opens", "closes", "pauses", "pins", "version"])
    after = {k: str(getattr(day, k)) for k in before}
    record(actor=actor, action="day.moved", row=day, label=day.name, before=before, after=after)


def _moved(thing: Pause | PinFields, by: timedelta, opens: time, length: timedelta) -> Any:
    """Return a break or a pin as it is kept, its clock times moved; None where it does not lie in the day."""
    moved = []
    opening = timedelta(hours=opens.hour, minutes=opens.minute)
    for clock in (thing.from_, thing.to):
        at = (timedelta(seconds=seconds_of_day(clock, "how")) + by) % _WHOLE_DAY if clock else opening
        if (at - opening) % _WHOLE_DAY > length:
            return None
        moved.append(clock_of_day(at.total_seconds()) if clock else "")
    begins, ends = moved
    return entered_json(replace(thing, from_=begins, to=ends))
