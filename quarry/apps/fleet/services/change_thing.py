from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.history import check_version, record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Thing
from quarry.apps.fleet.queries import thing_dict
from quarry.apps.fleet.services._things import check_thing, fill, locked_thing, right_to_write


@transaction.atomic
def change_thing(*, actor: User, model: type[Thing], thing_id: UUID, version: int, figures: Entered) -> Thing:
    """Change the figures of a thing."""
    require(actor, right_to_write(model))
    row = locked_thing(model, thing_id)
    before = thing_dict(row)
    check_version(row, version, before)
    fill(row, figures)
    check_thing(row)
    row.version += 1
    row.save()
    kind = model._meta.model_name or ""
    record(
        actor=actor,
        action=f"{kind}.changed",
        row=row,
        label=row.name,
        before=before,
        after=thing_dict(row),
    )
    return row
