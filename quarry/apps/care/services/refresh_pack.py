from __future__ import annotations

from dataclasses import fields

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.care import mappers
from quarry.apps.care.models import PackRecord, PackSnapshot
from quarry.apps.care.queries import policy
from quarry.apps.fleet.models import Pack


def refresh_pack(*, actor: User | None, pack: Pack) -> PackSnapshot:
    """Fold the records of a pack anew and set what planning needs; a change of grounding goes into the history."""
    kept, _new = PackSnapshot.objects.get_or_create(
        pack=pack,
        defaults={
            "organisation": pack.organisation,
            "digest": {},
            "health_entered_frac": pack.health_frac,
            "charge_entered_frac": pack.charge_frac,
        },
    )
    snapshot = mappers.snapshot_of(pack, PackRecord.objects.filter(pack=pack), policy(), kept.charge_entered_frac)
    kept.digest = mappers.snapshot_json(snapshot)
    kept.save(update_fields=["digest"])
    found = mappers.flags(snapshot, kept.health_entered_frac)
    if actor is not None and found.grounded != pack.grounded:
        before = {"grounded": pack.grounded, "grounded_why": pack.grounded_why}
        after = {"grounded": found.grounded, "grounded_why": found.grounded_why}
        word = "grounded" if found.grounded else "released"
        record(actor=actor, action=f"pack.{word}", row=pack, label=pack.name, before=before, after=after)
    changed = [x.name for x in fields(found) if getattr(pack, x.name) != getattr(found, x.name)]
    if changed:
        for name in changed:
            setattr(pack, name, getattr(found, name))
        pack.version += 1
        pack.save(update_fields=[*changed, "version"])
    return kept
