from __future__ import annotations

from datetime import timedelta

from django.utils import timezone

from quarry.apps.day.models import DayRun
from quarry.apps.day.queries import STANDS_AFTER, clock_of
from quarry.apps.day.services.tell_screens import tell_screens

_NOTED_EVERY = timedelta(seconds=4)


def go_on_playing(*, run: DayRun) -> None:
    """Note that a rehearsal is being played; where nobody has for a while, its clock goes on from where it has stood."""
    now = timezone.now()
    if run.played_at is not None and now - run.played_at < _NOTED_EVERY:
        return
    fields: dict[str, object] = {"played_at": now}
    stood = run.played_at is not None and now - run.played_at > STANDS_AFTER
    if stood:
        run.clock_s, run.clock_at = clock_of(run), now
        fields |= {"clock_s": run.clock_s, "clock_at": run.clock_at}
    run.played_at = now
    DayRun.objects.filter(pk=run.pk).update(**fields)
    if stood:
        tell_screens(run=run, look=True)
