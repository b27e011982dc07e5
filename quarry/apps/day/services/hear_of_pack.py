from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.care.services import HeardOfPack
from quarry.apps.day.fields import moments_of
from quarry.apps.day.models import DayEvent, DayRun
from quarry.apps.day.queries import run_of
from quarry.apps.day.repository import frame_of
from quarry.apps.day.services._following import follow

_WORDS = {"good": "good", "replace soon": "weak", "bad": "bad"}
_LONG_AGO = timedelta(hours=36)


@transaction.atomic
def hear_of_pack(*, actor: User, heard: HeardOfPack) -> None:
    """Bring a record of a pack to the days that are being flown with it: tested, taken out or back in, each once.

    A record that stands in the place of another, or takes it back, undoes what that one told the day.
    """
    for running in DayRun.objects.filter(closed_at=None, day__rehearsal_of=None, day__archived_at=None).select_related("day"):
        names = [name for name, pack_id in frame_of(running).pack_ids.items() if pack_id == str(heard.pack_id)]
        if not names or heard.at < moments_of(running.day)[0] - _LONG_AGO:
            continue
        run = run_of(running.day_id, lock=True)
        news = _undone(actor, run, heard)
        for kind, figures in _of(heard):
            news |= _written(actor, run, f"record-{heard.key}", kind, {"pack": names[0], **figures})
        if news:
            follow(run, turning=True)


def _of(heard: HeardOfPack) -> list[tuple[str, Mapping[str, str]]]:
    """Return the events that a record means for a day, each with its figures."""
    word = _WORDS.get(heard.verdict)
    if word == "bad" or (word is not None and not heard.grounded):
        return [("tested", {"word": word} | ({"why": heard.why[:160]} if heard.grounded else {}))]
    if heard.grounded and not heard.was_grounded:
        return [("pack_out", {"why": heard.why[:160]})]
    if heard.was_grounded and not heard.grounded:
        return [("pack_back", {})]
    return []


def _undone(actor: User, run: DayRun, heard: HeardOfPack) -> bool:
    before = f"record-{heard.instead_of}"
    if heard.instead_of is None or not DayEvent.objects.filter(day=run.day, key=before).exists():
        return False
    return _written(actor, run, f"undo-{heard.key}", "undo", {"of": before})


def _written(actor: User, run: DayRun, key: str, kind: str, figures: Mapping[str, str]) -> bool:
    """Write an event once; returns whether it is new."""
    _, new = DayEvent.objects.get_or_create(
        day=run.day,
        key=key,
        defaults={
            "organisation": run.organisation,
            "kind": kind,
            "at": timezone.now(),
            "by": actor,
            "device": "records of packs",
            "figures": dict(figures),
        },
    )
    return new
