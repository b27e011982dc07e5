from __future__ import annotations

from django.core.exceptions import ValidationError
from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import Role, User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services._people import check_free, give_first_password, person_dict


@transaction.atomic
def add_person(*, actor: User, username: str, full_name: str, role: str, email: str = "") -> tuple[User, str]:
    """Add a person to the actor's organisation; returns the person and a first password to hand over."""
    require(actor, "people:write")
    person = User(
        organisation=actor.organisation, username=username, full_name=full_name, role=Role(role), email=email.strip().lower()
    )
    check_free(person)
    try:
        person.full_clean(exclude=["password"])
    except ValidationError as bad:
        field, messages = next(iter(bad.message_dict.items()))
        raise DomainError("invalid", " ".join(messages), field) from bad
    password = give_first_password(person)
    person.save()
    record(
        actor=actor,
        action="person.added",
        row=person,
        label=person.username,
        after=person_dict(person),
    )
    return person, password
