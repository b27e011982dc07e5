from __future__ import annotations

from django.db import transaction

from quarry.apps.accounts.models import User
from quarry.apps.care.services.refresh_pack import refresh_pack
from quarry.apps.fleet.models import Pack


def refresh_all(*, actor: User | None) -> int:
    """Fold every pack with records anew, as after a change of the policy; returns how many."""
    packs = list(Pack.objects.filter(snapshot__isnull=False).select_related("model"))
    with transaction.atomic():
        for pack in packs:
            refresh_pack(actor=actor, pack=pack)
    return len(packs)
