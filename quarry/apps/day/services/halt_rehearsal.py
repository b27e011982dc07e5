from __future__ import annotations

from django.utils import timezone

from quarry.apps.day.models import DayRun
from quarry.apps.day.queries import clock_of
from quarry.apps.day.services.tell_screens import tell_screens


def halt_rehearsal(*, run: DayRun) -> None:
    """Let the clock of a rehearsal stand, because its world cannot go on."""
    at, now_s = timezone.now(), clock_of(run)
    DayRun.objects.filter(pk=run.pk).update(clock_s=now_s, clock_at=at, speed=0.0)
    tell_screens(run=run, look=True)
