"""Every service adds to the history, and saves only over the version that was seen."""

from __future__ import annotations

from django.db.models import Model

from quarry.apps.accounts.errors import Stale
from quarry.apps.accounts.fields import Plain
from quarry.apps.accounts.models import HistoryEntry, Owned, User


def record(*, actor: User, action: str, row: Model, label: str, before: Plain | None = None, after: Plain | None = None) -> None:
    """Add one line to the history: ``action`` is the kind of thing, a dot, and what was done to it.

    With both ``before`` and ``after`` only what changed is kept.
    """
    if before is not None and after is not None:
        changed = [k for k in after if after[k] != before.get(k)]
        before, after = {k: before.get(k) for k in changed}, {k: after[k] for k in changed}
    HistoryEntry.objects.create(
        organisation=actor.organisation,
        actor=actor,
        action=action,
        thing=action.partition(".")[0],
        thing_id=str(row.pk),
        label=label[:160],
        before=before,
        after=after,
    )


def check_version(row: Owned, version: int, current: Plain) -> None:
    """Raise `Stale` unless the caller has seen the version that stands."""
    if row.version != version:
        raise Stale(current)
