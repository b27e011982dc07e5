"""Rehearsals of a day: begin one under the plan of the day, set its clock, let something go wrong, put it away.

A rehearsal is run like a day: the same events, the same screens. Its clock is its own, and nothing of it goes to the
records of packs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, record
from quarry.apps.day import mappers
from quarry.apps.day.models import Day, DayRun
from quarry.apps.day.queries import clock_of, day_of, frozen_of, run_of
from quarry.apps.day.repository import KeptRehearsal, WorldMemory, frame_kept, frame_of, rehearsal_from, rehearsal_kept
from quarry.apps.day.running import tell_screens

MOST_SPEED = 120.0
_MOST_FAULTS = 20


@dataclass(frozen=True, slots=True)
class FaultGiven:
    """Something that is to go wrong; ``about`` names a sortie, pack or port, where it is empty the next one."""

    kind: str
    at_s: float
    about: str = ""
    length_s: float = 1200.0


def _speed(speed: float) -> float:
    if not (speed == 0 or 1 <= speed <= MOST_SPEED):
        raise DomainError("out_of_range", f"A rehearsal runs 1 to {MOST_SPEED:.0f} times as fast as time, or stands.", "speed")
    return float(speed)


@transaction.atomic
def begin(*, actor: User, day_id: UUID, speed: float, by_hand: bool, seed: int, faults: Sequence[FaultGiven]) -> UUID:
    """Begin a rehearsal of a day under its newest plan; returns the id under which it is run as a day is.

    With ``by_hand`` a person answers the calls.
    """
    require(actor, "day:run")
    day = day_of(day_id)
    if day.rehearsal_of_id:
        raise DomainError("invalid", "This is a rehearsal already: rehearse the day that it belongs to.", "day")
    try:
        kept, frame = frozen_of(day, actor)
        given = [
            mappers.fault_of(f.kind, f.at_s, f.about, f.length_s, frame, f"faults.{k}")
            for k, f in enumerate(faults[:_MOST_FAULTS])
        ]
    except mappers.EventRefused as bad:
        raise DomainError("invalid", bad.message, bad.field) from bad
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    plain = {k: getattr(day, k) for k in ("organisation", "name", "date", "time_zone", "opens", "closes")}
    copy = Day.objects.create(**plain, rehearsal_of=day)
    DayRun.objects.create(
        organisation=day.organisation,
        day=copy,
        frame=frame_kept(frame),
        current=frame_kept(frame.plan),
        plan_number=kept.number,
        started_by=actor,
        clock_at=timezone.now(),
        speed=_speed(speed),
        rehearsal=rehearsal_kept(KeptRehearsal(seed, by_hand, given)),
    )
    record(actor=actor, action="day.rehearsed", row=day, label=day.name)
    return copy.pk


def _mine(day_id: UUID) -> DayRun:
    run = run_of(day_id, lock=True)
    if run.clock_at is None:
        raise DomainError("not_found", "This day is flown, not rehearsed.")
    return run


@transaction.atomic
def steer(*, actor: User, day_id: UUID, speed: float | None = None, by_hand: bool | None = None) -> None:
    """Set how fast the clock of a rehearsal runs (0: it stands) and who answers its calls."""
    require(actor, "day:run")
    run = _mine(day_id)
    if speed is not None:
        if speed and run.closed_at:
            raise DomainError("closed", "This rehearsal is over: begin another.", "speed")
        run.clock_s, run.clock_at, run.speed = clock_of(run), timezone.now(), _speed(speed)
    if by_hand is not None:
        run.rehearsal = rehearsal_kept(replace(rehearsal_from(run), by_hand=by_hand))
    run.revision += 1
    run.save(update_fields=["clock_s", "clock_at", "speed", "rehearsal", "revision"])
    tell_screens(run)


@transaction.atomic
def let_go_wrong(*, actor: User, day_id: UUID, kind: str, about: str = "", length_s: float = 1200.0) -> None:
    """Let something go wrong in a rehearsal, now or as soon as there is something for it to strike."""
    require(actor, "day:run")
    run = _mine(day_id)
    kept = rehearsal_from(run)
    try:
        fault = mappers.fault_of(kind, clock_of(run), about, length_s, frame_of(run), "")
    except mappers.EventRefused as bad:
        raise DomainError("invalid", bad.message, bad.field) from bad
    if len(kept.faults) >= _MOST_FAULTS:
        raise DomainError("too_large", f"{_MOST_FAULTS} faults in one rehearsal are the most.", "kind")
    run.rehearsal = rehearsal_kept(replace(kept, faults=[*kept.faults, fault]))
    run.revision += 1
    run.save(update_fields=["rehearsal", "revision"])
    tell_screens(run)


@transaction.atomic
def put_away(*, actor: User, day_id: UUID, away: bool = True) -> None:
    """Put a rehearsal away, or bring it back; its clock stands meanwhile."""
    require(actor, "day:run")
    run = _mine(day_id)
    run.clock_s, run.clock_at, run.speed = clock_of(run), timezone.now(), 0.0
    run.save(update_fields=["clock_s", "clock_at", "speed"])
    run.day.archived_at = timezone.now() if away else None
    run.day.save(update_fields=["archived_at"])


def look_back(run: DayRun) -> None:
    """Play a rehearsal that is over again with every call answered at once, keep how that went, and tell the screens."""
    better = mappers.better_answers(rehearsal_from(run), frame_of(run))
    with transaction.atomic():
        mine = DayRun.objects.select_for_update(of=("self",)).get(pk=run.pk)
        mine.rehearsal = rehearsal_kept(replace(rehearsal_from(mine), better=better))
        mine.save(update_fields=["rehearsal"])
        tell_screens(mine, look=True)


def halt(run: DayRun) -> None:
    """Let the clock of a rehearsal stand, because its world cannot go on."""
    at, now_s = timezone.now(), clock_of(run)
    DayRun.objects.filter(pk=run.pk).update(clock_s=now_s, clock_at=at, speed=0.0)
    tell_screens(run, look=True)


def remember(run: DayRun, memory: WorldMemory) -> None:
    """Keep what the simulated world of a rehearsal remembers; what people changed meanwhile stays."""
    with transaction.atomic():
        mine = DayRun.objects.select_for_update(of=("self",)).get(pk=run.pk)
        mine.rehearsal = rehearsal_kept(replace(rehearsal_from(mine), memory=memory))
        mine.save(update_fields=["rehearsal"])
    run.rehearsal = mine.rehearsal
