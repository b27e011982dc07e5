from __future__ import annotations

from dataclasses import asdict, replace
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError, Stale
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.limits import mappers
from quarry.apps.limits.models import LimitSheet
from quarry.apps.limits.queries import page
from quarry.apps.limits.services._preflights import name_of
from quarry.apps.limits.services._sheets import sheet_for_writing
from quarry.apps.limits.views import LimitRule


@transaction.atomic
def save_sheet(
    *,
    actor: User,
    level: str,
    rules: list[LimitRule],
    version: int,
    aircraft_model_id: UUID | None = None,
    work: str = "",
    job_id: UUID | None = None,
) -> LimitSheet:
    """Set the limits of a level; a changed limit needs a reason.

    ``version`` is 0 for a sheet that is not there yet. Raises `Stale` if somebody saved in between.
    """
    require(actor, "limits:write")
    row = sheet_for_writing(actor, level, aircraft_model_id, work, job_id)
    if row.version != version:
        raise Stale(asdict(page()))
    try:
        mappers.check_rules(rules)
    except mappers.LimitError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    before = {r.key: r for r in mappers.rules_of(row)}
    kept: list[LimitRule] = []
    for r in rules:
        old, why = before.get(r.key), r.why.strip()
        if old is not None and (old.least, old.most, old.why) == (r.least, r.most, why):
            kept.append(old)
            continue
        if not why:
            raise DomainError("missing", "Say why: where the limit comes from, or what taught you.", r.key)
        kept.append(replace(r, why=why, by=name_of(actor), at=timezone.now().isoformat()))
    if len({r.key for r in kept}) < len(kept):
        raise DomainError("invalid", "A quantity stands twice on this sheet. Take one out.", kept[-1].key)
    was = list(row.rules)
    row.rules = mappers.rules_json(kept)
    row.version += 1
    row.save()
    record(
        actor=actor,
        action="limits.changed",
        row=row,
        label=mappers.sheet_name(row),
        before={"rules": was},
        after={"rules": row.rules},
    )
    return row
