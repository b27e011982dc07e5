"""What all services of a rehearsal share."""

from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.day.models import DayRun
from quarry.apps.day.queries import run_of

MOST_SPEED = 120.0
MOST_FAULTS = 20


def checked_speed(speed: float) -> float:
    """Return a speed that a rehearsal can run at."""
    if not (speed == 0 or 1 <= speed <= MOST_SPEED):
        raise DomainError("out_of_range", f"A rehearsal runs 1 to {MOST_SPEED:.0f} times as fast as time, or stands.", "speed")
    return float(speed)


def rehearsal_of(day_id: UUID) -> DayRun:
    """Return the run of a rehearsal, locked; a day that is flown is refused."""
    run = run_of(day_id, lock=True)
    if run.clock_at is None:
        raise DomainError("not_found", "This day is flown, not rehearsed.")
    return run
