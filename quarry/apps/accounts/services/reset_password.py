from __future__ import annotations

from django.db import transaction

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services._people import give_first_password, person_of
from quarry.apps.accounts.services._sessions import end_all


@transaction.atomic
def reset_password(*, actor: User, person_id: int) -> tuple[User, str]:
    """Give a person a new first password and end their sessions; returns the person and the password, once."""
    require(actor, "people:write")
    person = person_of(actor, person_id)
    password = give_first_password(person)
    person.save()
    end_all(person)
    record(
        actor=actor,
        action="person.password_reset",
        row=person,
        label=person.username,
    )
    return person, password
