"""Writing the policy: each setting with the reason for it, in the history."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, Stale, record
from quarry.apps.policy import bridge
from quarry.apps.policy.models import Policy
from quarry.apps.policy.queries import page

Plain = dict[str, Any]


@transaction.atomic
def set_policy(*, actor: User, version: int, changes: list[Plain], currency: str | None = None) -> Policy:
    """Set or reset settings: each change has ``key``, ``value`` (None: back to the default) and ``why``."""
    require(actor, "policy:write")
    row, _made = Policy.objects.select_for_update().get_or_create(organisation=actor.organisation, defaults={"version": 0})
    if row.version != version:
        raise Stale(page())
    before = dict(row.own)
    own = dict(row.own)
    for change in changes:
        key = change["key"]
        if key not in {s.key for s in bridge.SETTINGS}:
            raise DomainError("not_found", "There is no such setting.", key)
        if change["value"] is None:
            own.pop(key, None)
            continue
        if not change["why"].strip():
            raise DomainError("missing", "Say why: the next lead needs the reason.", key)
        own[key] = {
            "value": change["value"],
            "why": change["why"].strip(),
            "by": actor.full_name or actor.username,
            "at": timezone.now().isoformat(),
        }
    try:
        bridge.check(own)
    except bridge.PolicyError as bad:
        raise DomainError(bad.code, bad.message, _key_of(bad.field)) from bad
    row.own = own
    if currency is not None:
        row.currency = currency.strip()[:3] or row.currency
    row.version += 1
    row.save()
    record(actor=actor, action="policy.changed", row=row, label="Policy", before=before, after=own)
    return row


def _key_of(field: str) -> str:
    """Return the key of the setting that a refusal is about."""
    keys = [s.key for s in bridge.SETTINGS]
    bare = field.removeprefix("policy.")
    return next((k for k in keys if k in (field, bare) or k.endswith(f".{bare}")), field)
