from __future__ import annotations

from uuid import UUID

from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.day.models import DayRun
from quarry.apps.day.services.post_events import PostedEvent, post_events

_DEVICE = "search"


def call_home(
    *, actor: User, day_id: UUID, key: str, words: str = "", place: tuple[float, float] | None = None, undo: bool = False
) -> bool:
    """Call all aircraft of a running day home because whoever was looked for is found; ``undo``: it was not so.

    The same key calls once. Returns whether the day is running.

    Raises
    ------
    DomainError
        The day refuses it, with the reason.
    """
    if not DayRun.objects.filter(day_id=day_id, closed_at=None).exists():
        return False
    now = timezone.now()
    figures: dict[str, object] = {"words": words} if words else {}
    if place is not None:
        figures |= {"lon_deg": place[0], "lat_deg": place[1]}
    event = PostedEvent(f"found-{key}"[:64], "found", now, figures)
    if undo:
        event = PostedEvent(f"unfound-{key}"[:64], "undo", now, {"of": event.key})
    done = post_events(actor=actor, day_id=day_id, device=_DEVICE, device_now=now, events=[event])
    if done.refused:
        raise DomainError("invalid", f"The day does not take it: {done.refused[0].detail}", "place")
    return True
