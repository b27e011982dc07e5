from __future__ import annotations

from allauth.usersessions.models import UserSession
from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services._people import person_of
from quarry.apps.accounts.services._sessions import end_all, tell_streams


@transaction.atomic
def end_sessions(*, actor: User, person_id: int | None = None, session_id: int | None = None) -> None:
    """End one session of one's own, or all sessions of a person: of anybody's if the actor leads."""
    if session_id is not None:
        session = UserSession.objects.filter(pk=session_id, user=actor).first()
        if session is None:
            raise DomainError("not_found", "There is no such session.")
        session.end()
        record(actor=actor, action="session.ended", row=actor, label=actor.username, after={"address": session.ip})
        tell_streams(actor)
        return
    if person_id is None or person_id == actor.pk:
        person = actor
    else:
        require(actor, "people:write")
        person = person_of(actor, person_id)
    end_all(person)
    record(actor=actor, action="session.all_ended", row=person, label=person.username)
