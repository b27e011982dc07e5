"""The clock of a device against the server's."""

from __future__ import annotations

from datetime import datetime, timedelta

from quarry.apps.accounts.errors import DomainError

OFF = timedelta(seconds=2)


def on_server_clock(at: datetime, by_s: float, field: str) -> datetime:
    """Return a time of a device on the clock of the server; one that no calendar has is refused."""
    try:
        return at + timedelta(seconds=by_s)
    except OverflowError as bad:
        raise DomainError("out_of_range", "This time cannot be. Give the time at which it happened.", field) from bad
