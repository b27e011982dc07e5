from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day import mappers
from quarry.apps.day.models import Day, DayRun
from quarry.apps.day.queries import day_of, frozen_of
from quarry.apps.day.repository import RehearsalSettings, frame_json, rehearsal_json
from quarry.apps.day.services._rehearsals import MOST_FAULTS, checked_speed


@dataclass(frozen=True, slots=True)
class FaultGiven:
    """Something that is to go wrong; ``about`` names a sortie, pack or port, where it is empty the next one."""

    kind: str
    at_s: float
    about: str = ""
    length_s: float = 1200.0


@transaction.atomic
def begin_rehearsal(*, actor: User, day_id: UUID, speed: float, by_hand: bool, seed: int, faults: Sequence[FaultGiven]) -> UUID:
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
            for k, f in enumerate(faults[:MOST_FAULTS])
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
        frame=frame_json(frame),
        current=frame_json(frame.plan),
        plan_number=kept.number,
        started_by=actor,
        clock_at=timezone.now(),
        speed=checked_speed(speed),
        rehearsal=rehearsal_json(RehearsalSettings(seed, by_hand, given)),
    )
    record(actor=actor, action="day.rehearsed", row=day, label=day.name)
    return copy.pk
