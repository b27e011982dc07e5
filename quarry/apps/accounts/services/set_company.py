from __future__ import annotations

import re
from dataclasses import dataclass
from zoneinfo import available_timezones

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import Organisation, User
from quarry.apps.accounts.permissions import require

_SHOWN = ("name", "time_zone", "currency", "dates", "map_address", "map_credit")
_SERVICE = re.compile(r"https?://[A-Za-z0-9.-]+(:\d{1,5})?/[!-~]*")
# What the tile services of WMTS (OGC 07-057r7) call the three numbers.
_WMTS = {"TileMatrix": "z", "TileCol": "x", "TileRow": "y"}


@dataclass(frozen=True, slots=True, kw_only=True)
class CompanyChange:
    """What is to be set of a company; what is None stays."""

    name: str | None = None
    time_zone: str | None = None
    currency: str | None = None
    dates: str | None = None
    map_address: str | None = None
    map_credit: str | None = None


@transaction.atomic
def set_company(*, actor: User, change: CompanyChange) -> Organisation:
    """Set what the screens of a company go by."""
    require(actor, "company:write")
    row = Organisation.objects.select_for_update().get(pk=actor.organisation_id)
    before = {key: getattr(row, key) for key in _SHOWN}
    if change.name is not None:
        if not change.name.strip():
            raise DomainError("missing", "Write the name of the company.", "name")
        row.name = change.name.strip()
    if change.time_zone is not None:
        if change.time_zone not in available_timezones():
            raise DomainError("invalid", "Choose a time zone from the list, such as Europe/Lisbon.", "time_zone")
        row.time_zone = change.time_zone
    if change.currency is not None:
        row.currency = change.currency.strip()
    if change.dates is not None:
        row.dates = change.dates
    if change.map_address is not None:
        row.map_address = _map_address(change.map_address.strip())
    if change.map_credit is not None:
        row.map_credit = change.map_credit.strip()
    row.save(update_fields=list(_SHOWN))
    record(
        actor=actor,
        action="company.changed",
        row=row,
        label=row.name,
        before=before,
        after={key: getattr(row, key) for key in _SHOWN},
    )
    return row


def _map_address(words: str) -> str:
    """Return the address of a service of pictures with ``{z}``, ``{x}`` and ``{y}``; empty: none."""
    for theirs, ours in _WMTS.items():
        words = re.sub(r"\{" + theirs + r"\}", "{" + ours + "}", words, flags=re.IGNORECASE)
    if not words:
        return ""
    if not _SERVICE.fullmatch(words):
        raise DomainError(
            "invalid", "Write the whole address, such as https://maps.example/tiles/{z}/{x}/{y}.png.", "map_address"
        )
    if not all(sign in words for sign in ("{z}", "{x}")) or not ("{y}" in words or "{-y}" in words):
        raise DomainError(
            "invalid",
            "The address needs {z}, {x} and {y}, or {TileMatrix}, {TileCol} and {TileRow}, in their places.",
            "map_address",
        )
    return words
