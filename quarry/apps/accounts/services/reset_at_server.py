from __future__ import annotations

from allauth.mfa.models import Authenticator
from django.db import transaction
from django_scopes import scope

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.services._people import give_first_password
from quarry.apps.accounts.services._sessions import end_all


@transaction.atomic
def reset_at_server(*, actor: User, second_steps: bool = False) -> str:
    """Give the actor a new first password and return it, once: who runs the server acts in the name of who lost theirs.

    With ``second_steps`` those are removed too.
    """
    if second_steps:
        Authenticator.objects.filter(user=actor).delete()
    password = give_first_password(actor)
    actor.save()
    end_all(actor)
    with scope(organisation=actor.organisation):
        record(actor=actor, action="person.password_reset", row=actor, label=f"{actor.username}, at the server")
    return password
