from __future__ import annotations

from dataclasses import asdict, dataclass

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError, Stale
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.policy import mappers
from quarry.apps.policy.models import Policy
from quarry.apps.policy.queries import page
from quarry.apps.policy.views import OwnOut, Value


@dataclass(frozen=True, slots=True)
class Change:
    """A setting to change, with the reason; a value of None sets it back to the default."""

    key: str
    value: Value | None
    why: str = ""


@transaction.atomic
def set_policy(*, actor: User, version: int, changes: list[Change]) -> Policy:
    """Set or reset settings."""
    require(actor, "policy:write")
    row, _made = Policy.objects.select_for_update().get_or_create(organisation=actor.organisation, defaults={"version": 0})
    if row.version != version:
        raise Stale(asdict(page()))
    before, own = row.own, mappers.own_from(row.own)
    known = {s.key for s in mappers.SETTINGS}
    for change in changes:
        if change.key not in known:
            raise DomainError("not_found", "There is no such setting.", change.key)
        if change.value is None:
            own.pop(change.key, None)
            continue
        if not change.why.strip():
            raise DomainError("missing", "Say why: the next lead needs the reason.", change.key)
        who = actor.full_name or actor.username
        own[change.key] = OwnOut(value=change.value, why=change.why.strip(), by=who, at=timezone.now())
    try:
        mappers.check(mappers.values(own))
    except mappers.PolicyError as bad:
        raise DomainError(bad.code, bad.message, _key_of(bad.field)) from bad
    row.own = mappers.own_json(own)
    row.version += 1
    row.save()
    record(actor=actor, action="policy.changed", row=row, label="Policy", before=before, after=row.own)
    return row


def _key_of(field: str) -> str:
    """Return the key of the setting that a refusal is about."""
    keys = [s.key for s in mappers.SETTINGS]
    bare = field.removeprefix("policy.")
    return next((k for k in keys if k in (field, bare) or k.endswith(f".{bare}")), field)
