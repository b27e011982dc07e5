from __future__ import annotations

from allauth.mfa.models import Authenticator
from django.db import transaction

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services._people import person_of
from quarry.apps.accounts.services._sessions import end_all


@transaction.atomic
def remove_second_steps(*, actor: User, person_id: int) -> User:
    """Remove the second steps of somebody who lost the device; the person signs in by the password alone, anew everywhere."""
    require(actor, "people:write")
    person = person_of(actor, person_id)
    Authenticator.objects.filter(user=person).delete()
    end_all(person)
    record(actor=actor, action="person.second_steps_removed", row=person, label=person.username)
    return person
