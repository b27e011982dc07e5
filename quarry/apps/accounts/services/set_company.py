from __future__ import annotations

from zoneinfo import available_timezones

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import Organisation, User
from quarry.apps.accounts.permissions import require

_SHOWN = ("name", "time_zone", "currency", "dates")


@transaction.atomic
def set_company(*, actor: User, name: str | None, time_zone: str | None, currency: str | None, dates: str | None) -> Organisation:
    """Set what the screens of a company go by; what is None stays."""
    require(actor, "company:write")
    row = Organisation.objects.select_for_update().get(pk=actor.organisation_id)
    before = {key: getattr(row, key) for key in _SHOWN}
    if name is not None:
        if not name.strip():
            raise DomainError("missing", "Write the name of the company.", "name")
        row.name = name.strip()
    if time_zone is not None:
        if time_zone not in available_timezones():
            raise DomainError("invalid", "Choose a time zone from the list, such as Europe/Lisbon.", "time_zone")
        row.time_zone = time_zone
    if currency is not None:
        row.currency = currency.strip()
    if dates is not None:
        row.dates = dates
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
