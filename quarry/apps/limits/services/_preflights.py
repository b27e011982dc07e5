"""What all services of a preflight share."""

from __future__ import annotations

from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.limits import mappers
from quarry.apps.limits.models import Preflight


def name_of(actor: User) -> str:
    """Return the name that stands under a decision."""
    return actor.full_name or actor.username


def refuse_closed(row: Preflight) -> None:
    """Refuse what comes after a list was closed."""
    if row.state != "open":
        raise DomainError("closed", "This list is closed. Begin a new one for the next take-off.", "")


def may_enter(row: Preflight, part: str, key: str) -> None:
    """Refuse a check at the wrong time: before launch what only flight can show, after it what was to be done before."""
    if part == "climb":
        if row.state == "open":
            raise DomainError("not_ready", "This is checked in the first climb: clear the list and launch first.", key)
        if row.state not in ("cleared", "overridden"):
            raise DomainError("closed", "This list is closed. Begin a new one for the next take-off.", key)
    else:
        refuse_closed(row)


def close_preflight(row: Preflight, actor: User, state: str, result: mappers.JudgedList) -> None:
    """Close a list with what was judged, and say so in the history."""
    row.state, row.word, row.reasons, row.closed_at = state, result.word, list(result.reasons), timezone.now()
    row.version += 1
    row.save()
    label = f"{row.job.letter}{row.sortie}, {row.aircraft.name}"
    record(actor=actor, action=f"preflight.{state}", row=row, label=label, after={"word": row.word, "override": row.override})
