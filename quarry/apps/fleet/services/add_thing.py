from __future__ import annotations

from django.db import transaction

from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Thing
from quarry.apps.fleet.queries import thing_dict
from quarry.apps.fleet.services._things import check_thing, fill, right_to_write


@transaction.atomic
def add_thing(*, actor: User, model: type[Thing], figures: Entered) -> Thing:
    """Add a thing to the fleet."""
    require(actor, right_to_write(model))
    row = model(organisation=actor.organisation)
    fill(row, figures)
    check_thing(row)
    row.save()
    kind = model._meta.model_name or ""
    record(
        actor=actor,
        action=f"{kind}.added",
        row=row,
        label=row.name,
        after=thing_dict(row),
    )
    return row
