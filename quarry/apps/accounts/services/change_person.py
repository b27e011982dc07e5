from __future__ import annotations

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import Role, User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services._people import person_dict, person_of


@transaction.atomic
def change_person(*, actor: User, person_id: int, role: str | None, active: bool | None, full_name: str | None) -> User:
    """Set the role, name or access of a person; the last active lead cannot be removed."""
    require(actor, "people:write")
    person = person_of(actor, person_id)
    before = person_dict(person)
    if role is not None:
        person.role = Role(role)
    if active is not None:
        person.is_active = active
    if full_name is not None:
        person.full_name = full_name
    leads = User.objects.filter(organisation=actor.organisation, role=Role.LEAD, is_active=True).exclude(pk=person.pk)
    if not leads.exists() and not (person.role == Role.LEAD and person.is_active):
        raise DomainError("last_lead", "This is the last lead. Make another person lead first.", "role")
    person.save()
    record(
        actor=actor,
        action="person.changed",
        row=person,
        label=person.username,
        before=before,
        after=person_dict(person),
    )
    return person
