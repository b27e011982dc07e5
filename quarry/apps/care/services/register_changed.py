from __future__ import annotations

from django.db import transaction

from quarry.apps.accounts.models import User
from quarry.apps.care.services.refresh_pack import refresh_pack
from quarry.apps.fleet.models import Pack, PackModel, Thing


@transaction.atomic
def register_changed(*, actor: User, row: Thing) -> None:
    """Fold anew what a change of the register touches: the pack, or all packs of a model. What records tell takes precedence."""
    if not isinstance(row, Pack | PackModel):
        return
    found = Pack.objects.filter(snapshot__isnull=False).select_related("model")
    for pack in found.filter(model=row) if isinstance(row, PackModel) else found.filter(pk=row.pk):
        refresh_pack(actor=actor, pack=pack)
