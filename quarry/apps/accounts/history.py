"""What every service does with a row: look it up locked, save only over the version that was seen, archive, add to the history."""

from __future__ import annotations

from typing import TypeVar, cast
from uuid import UUID

from django.core.cache import cache
from django.db.models import Model
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError, Stale
from quarry.apps.accounts.fields import Plain
from quarry.apps.accounts.models import HistoryEntry, Owned, User

Own = TypeVar("Own", bound=Owned)
_QUIET_S = 600


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


def note_sign_in_refused(*, person: User, address: str) -> None:
    """Write down that a wrong password was tried for somebody; once in ten minutes for a person and an address."""
    if cache.add(f"refused:{person.pk}:{address}", 1, _QUIET_S):
        HistoryEntry.objects.create(
            organisation=person.organisation,
            actor=None,
            action="session.refused",
            thing="session",
            thing_id=str(person.pk),
            label=person.username[:160],
            after={"address": address},
        )


def note_sign_in(*, person: User, address: str) -> None:
    """Write down that somebody has signed in."""
    record(actor=person, action="session.opened", row=person, label=person.username, after={"address": address})


def note_refusal(*, actor: User, right: str, reason: str) -> None:
    """Write down that somebody asked for what the role does not carry; once in ten minutes for a person and a right."""
    if cache.add(f"right:{actor.pk}:{right}", 1, _QUIET_S):
        record(actor=actor, action="right.refused", row=actor, label=reason)


def check_version(row: Owned, version: int, current: Plain) -> None:
    """Raise `Stale` unless the caller has seen the version that stands."""
    if row.version != version:
        raise Stale(current)


def locked(model: type[Own], key: UUID, noun: str) -> Own:
    """Return a row of the scope, locked for writing; raises `DomainError` where there is none."""
    row = cast("Own | None", model._default_manager.select_for_update().filter(pk=key).first())
    if row is None:
        raise DomainError("not_found", f"There is no such {noun}.")
    return row


def archive(*, actor: User, row: Owned, archived: bool, kind: str, label: str) -> None:
    """Archive a row or bring it back, and say so in the history; nothing is ever deleted."""
    row.archived_at = timezone.now() if archived else None
    row.version += 1
    stamped = [f.name for f in row._meta.fields if getattr(f, "auto_now", False)]
    row.save(update_fields=["archived_at", "version", *stamped])
    record(actor=actor, action=f"{kind}.archived" if archived else f"{kind}.restored", row=row, label=label)
