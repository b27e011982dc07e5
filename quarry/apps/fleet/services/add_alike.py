from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.models import User
from quarry.apps.fleet import mappers
from quarry.apps.fleet.models import Thing
from quarry.apps.fleet.services.add_thing import add_thing


@transaction.atomic
def add_alike(*, actor: User, model: type[Thing], figures: Entered, count: int, serials: Sequence[str] = ()) -> list[Thing]:
    """Add several things that differ in name and serial alone: all of them, or none."""
    if len(serials) > count:
        raise DomainError("invalid", f"There are {len(serials)} serial numbers for {count}. Remove some, or add more.", "serials")
    made = []
    for k, name in enumerate(mappers.names_alike(str(figures.get("name", "")), count)):
        own = {"name": name, "serial": serials[k]} if k < len(serials) else {"name": name}
        try:
            made.append(add_thing(actor=actor, model=model, figures={**figures, **own}))
        except DomainError as bad:
            raise DomainError(bad.code, f"{name}: {bad.message}", bad.field) from bad
    return made
