"""Reading: people and history."""

from __future__ import annotations

from django.db.models import QuerySet

from quarry.apps.accounts.models import HistoryEntry, User


def people_for(actor: User) -> QuerySet[User]:
    """Return all people of the actor's organisation."""
    return User.objects.filter(organisation=actor.organisation).order_by("-is_active", "username")


def history_for(actor: User, *, thing: str = "", thing_id: str = "", limit: int = 100) -> list[HistoryEntry]:
    """Return the newest lines of history, of one thing or of all."""
    lines = HistoryEntry.objects.filter(organisation=actor.organisation).select_related("actor")
    if thing:
        lines = lines.filter(thing=thing)
    if thing_id:
        lines = lines.filter(thing_id=thing_id)
    return list(lines[:limit])
