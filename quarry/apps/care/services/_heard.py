"""Who is told of a record that changes whether a pack flies: other apps register themselves, this one knows none of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from quarry.apps.accounts.models import User


@dataclass(frozen=True, slots=True)
class HeardOfPack:
    """What a record changed: ``verdict`` of its load test, if it is one; whether the pack was and is grounded, and why.

    ``instead_of``: the record in whose place it stands, or that it takes back.
    """

    pack_id: UUID
    key: UUID
    at: datetime
    verdict: str
    instead_of: UUID | None
    was_grounded: bool
    grounded: bool
    why: str


Listener = Callable[[User, HeardOfPack], None]
_LISTENERS: list[Listener] = []


def listen(listener: Listener) -> None:
    """Have a listener told of every record that a person adds."""
    _LISTENERS.append(listener)


def tell(actor: User, heard: HeardOfPack) -> None:
    """Tell all listeners."""
    for listener in _LISTENERS:
        listener(actor, heard)
