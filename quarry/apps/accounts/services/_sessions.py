"""Ending sessions: of one person, at once, with the streams that are open under them."""

from __future__ import annotations

from allauth.usersessions.models import UserSession
from django.db import connection

from quarry.apps.accounts.models import User

RIGHTS_CHANNEL = "quarry_rights"


def end_all(person: User) -> None:
    """End every session of a person: none of those begun until now is good for anything again."""
    person.sessions_ended += 1
    person.save(update_fields=["sessions_ended"])
    for session in UserSession.objects.filter(user=person):
        session.end()
    tell_streams(person)


def tell_streams(person: User) -> None:
    """Tell every web process, once this is written, that what a person may hear has changed."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [RIGHTS_CHANNEL, str(person.pk)])
