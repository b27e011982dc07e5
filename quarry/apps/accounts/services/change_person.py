from __future__ import annotations

from dataclasses import dataclass

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import Role, User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services._people import check_free, person_dict, person_of
from quarry.apps.accounts.services._sessions import end_all, tell_streams


@dataclass(frozen=True, slots=True)
class PersonChange:
    """What is to change of a person; what is None stays."""

    role: str | None = None
    active: bool | None = None
    full_name: str | None = None
    email: str | None = None


@transaction.atomic
def change_person(*, actor: User, person_id: int, change: PersonChange) -> User:
    """Set the role, name, address or access of a person; the last active lead cannot be removed.

    Taking access ends all sessions at once, and giving it back revives none.
    """
    require(actor, "people:write")
    person = person_of(actor, person_id)
    before = person_dict(person)
    if change.role is not None:
        person.role = Role(change.role)
    if change.active is not None:
        person.is_active = change.active
    if change.full_name is not None:
        person.full_name = change.full_name
    if change.email is not None:
        person.email = _checked(change.email.strip().lower())
        check_free(person)
    leads = User.objects.filter(organisation=actor.organisation, role=Role.LEAD, is_active=True).exclude(pk=person.pk)
    if not leads.exists() and not (person.role == Role.LEAD and person.is_active):
        raise DomainError("last_lead", "This is the last lead. Make another person lead first.", "role")
    person.save()
    if change.active is False:
        end_all(person)
    elif change.role is not None:
        tell_streams(person)
    record(
        actor=actor,
        action="person.changed",
        row=person,
        label=person.username,
        before=before,
        after=person_dict(person),
    )
    return person


def _checked(email: str) -> str:
    try:
        if email:
            validate_email(email)
    except ValidationError as bad:
        raise DomainError("invalid", "Enter a full e-mail address, such as lena@crew.example.", "email") from bad
    return email
