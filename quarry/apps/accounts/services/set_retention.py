from __future__ import annotations

from collections.abc import Mapping

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import Organisation, User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.retention import LEAST_DAYS, kinds


@transaction.atomic
def set_retention(*, actor: User, days: Mapping[str, int | None]) -> Organisation:
    """Choose how long the company keeps what; None keeps a kind for ever."""
    require(actor, "company:write")
    company = Organisation.objects.select_for_update().get(pk=actor.organisation_id)
    before = dict(company.retention)
    known = {kind.name for kind in kinds()}
    for name, after in days.items():
        if name not in known:
            raise DomainError("invalid", "This kind of data is not known. Load the page again.", "days")
        if after is not None and after < LEAST_DAYS:
            raise DomainError("invalid", f"Choose {LEAST_DAYS} days or more, or for ever.", name)
    company.retention = {name: n for name, n in {**before, **days}.items() if n}
    company.save(update_fields=["retention"])
    names = sorted(days)
    record(
        actor=actor,
        action="company.retention_set",
        row=company,
        label=company.name,
        before={name: before.get(name) for name in names},
        after={name: company.retention.get(name) for name in names},
    )
    return company
