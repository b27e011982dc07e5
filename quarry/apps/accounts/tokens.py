"""What a bridge shows instead of a session: a signed word that it may tell of one day, for a while.

A bridge is a program between devices and this server: it tells of one running day and does nothing else.
"""

from __future__ import annotations

from uuid import UUID

from django.core import signing

from quarry.apps.accounts.models import User

_SALT = "quarry.bridge"
_HOURS = 24


def bridge_token(user: User, day_id: UUID) -> str:
    """Return a token with which a bridge tells of a day in the name of a person."""
    return signing.dumps({"user": user.pk, "day": str(day_id)}, salt=_SALT, compress=False)


def bridge_user(token: str, day_id: str) -> User | None:
    """Return the person in whose name a bridge tells of this day, or None where the token is not good for it."""
    try:
        claims = signing.loads(token, salt=_SALT, max_age=_HOURS * 3600)
    except signing.BadSignature:
        return None
    if claims["day"] != day_id:
        return None
    return User.objects.filter(pk=claims["user"], is_active=True).select_related("organisation").first()
