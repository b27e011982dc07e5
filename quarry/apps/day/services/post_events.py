from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day import mappers
from quarry.apps.day.fields import moments_of
from quarry.apps.day.models import DayEvent, DayRun
from quarry.apps.day.queries import live_of, moment_of, run_of
from quarry.apps.day.services._clock import OFF, on_server_clock
from quarry.apps.day.services._following import follow
from quarry.apps.day.services._looks import keep_looks
from quarry.apps.day.views.live import EventsOut, LiveOut, RefusedEvent

logger = logging.getLogger(__name__)
_NOTICE_S = 60.0
_FUTURE = timedelta(minutes=2)
_BEFORE = timedelta(hours=36)
_MOST = 400


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
    off_s = offset if abs(offset) > OFF.total_seconds() else 0.0
    with transaction.atomic():
        run = run_of(day_id, lock=True)
        keys = [e.key for e in events if e.key.isprintable()]
        there = set(DayEvent.objects.filter(day=run.day, key__in=keys).values_list("key", flat=True))
        batch = _Batch(actor, run, "".join(c for c in device if c.isprintable())[:60], now, off_s, there)
        for k, e in enumerate(events):
            batch.take(e, f"events.{k}.at")
    # What was written stays written, whether or not an answer can be worked out from it.
    now_there = follow(run, turning=batch.turning) if batch.fresh else None
    if now_there is not None and batch.looked:
        now_there = _with_looks(actor, run, now_there)
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


def _with_looks(
    actor: User, run: DayRun, now_there: tuple[mappers.Reading, mappers.Replanned]
) -> tuple[mappers.Reading, mappers.Replanned] | None:
    """Bring what was seen at landings to the packs; a pack that this grounds has turned the day over meanwhile."""
    before = DayEvent.objects.filter(day=run.day).count()
    try:
        with transaction.atomic():
            keep_looks(actor, now_there[0])
    except Exception:
        logger.exception("What was seen at landings of day %s cannot be recorded", run.day_id)
    return now_there if DayEvent.objects.filter(day=run.day).count() == before else None


class _Batch:
    """The events of one sending, each checked by itself and written once; ``there``: keys that were told before."""

    def __init__(self, actor: User, run: DayRun, device: str, now: datetime, off_s: float, there: set[str]) -> None:
        self.actor, self.run, self.device, self.now, self.off_s, self.there = actor, run, device, now, off_s, there
        self.earliest = min(moments_of(run.day)[0], run.started_at) - _BEFORE
        self.taken: list[str] = []
        self.refused: list[RefusedEvent] = []
        self.fresh = self.turning = self.looked = False

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
        self.looked = self.looked or e.kind in ("landed", "undo", "answer")
        self.turning = self.turning or mappers.turns_over(e.kind)

    def _moment(self, said: datetime, field: str) -> datetime:
        at = on_server_clock(said, self.off_s, field)
        if at > self.now + _FUTURE:
            raise DomainError("out_of_range", "This lies ahead: write down what has happened.", field)
        if at < self.earliest:
            raise DomainError("out_of_range", "This lies long before the day. Look at the clock of the device.", field)
        return moment_of(self.run, min(at, self.now) if self.run.clock_at else at)
