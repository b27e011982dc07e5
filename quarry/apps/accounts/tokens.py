"""What a program shows instead of a session: a token made by a lead, or a signed word for one rehearsed day.

A telemetry bridge is a program between devices and this server: it reports of days and does nothing else.
"""

from __future__ import annotations

import hashlib
import re
import secrets
from datetime import timedelta
from uuid import UUID

from django.core import signing
from django.utils import timezone
from django_scopes import scopes_disabled

from quarry.apps.accounts.models import ApiToken, Scope, User

PREFIX = "gqt_"
_SALT = "quarry.bridge"
_HOURS = 24
_USED_EVERY = timedelta(minutes=1)
_DAY = r"/api/days/([0-9a-f-]{36})/"
_OF_A_DAY = re.compile(_DAY + r"(?:events|telemetry|close|live)$")
_ABOUT_ITSELF = ("GET", "/api/token")
# Method and address that each scope opens; where an address names a day, a token of one day opens that one alone.
_OPENS = {
    Scope.TELEMETRY: [("POST", re.compile(_DAY + r"(?:events|telemetry)$")), ("GET", re.compile(_DAY + r"live$"))],
    Scope.LOGS: [
        ("POST", re.compile(r"/api/logbook/imports$")),
        ("GET", re.compile(r"/api/logbook/(?:imports|files)/[0-9a-f-]{36}$")),
    ],
    Scope.READ: [("GET", re.compile(r"/api/(?!me$|me/|session|tokens|history|people|stream).*$"))],
}


class BadToken(Exception):
    """The token is unknown, expired or revoked."""


class OutsideScope(Exception):
    """The token is good, but not for this."""


def bridge_token(user: User, day_id: UUID) -> str:
    """Return a token with which the service of rehearsals reports of a day in the name of a person."""
    return signing.dumps({"user": user.pk, "day": str(day_id)}, salt=_SALT, compress=False)


def new_secret() -> str:
    """Return a secret for a token: 256 bits."""
    return PREFIX + secrets.token_urlsafe(32)


def digest_of(secret: str) -> str:
    """Return what is kept of a secret; it is long and made by chance, so a plain digest cannot be guessed back."""
    return hashlib.sha256(secret.encode()).hexdigest()


def asker(secret: str, method: str, path: str) -> tuple[User, ApiToken | None]:
    """Return in whose name a program asks this, with its token; raises `BadToken` or `OutsideScope`."""
    if not secret.startswith(PREFIX):
        return _of_rehearsal(secret, path), None
    now = timezone.now()
    with scopes_disabled():
        token = (
            ApiToken.objects.filter(digest=digest_of(secret), revoked_at=None, expires_at__gt=now, made_by__is_active=True)
            .select_related("made_by__organisation")
            .first()
        )
        if token is None:
            raise BadToken
        if not _opens(token, method, path):
            raise OutsideScope
        if token.used_at is None or now - token.used_at > _USED_EVERY:
            ApiToken.objects.filter(pk=token.pk).update(used_at=now)
    return token.made_by, token


def _opens(token: ApiToken, method: str, path: str) -> bool:
    if (method, path) == _ABOUT_ITSELF:
        return True
    for allowed, address in _OPENS[Scope(token.scope)]:
        found = address.match(path)
        if method == allowed and found:
            return token.day_id is None or not found.groups() or found.group(1) == str(token.day_id)
    return False


def _of_rehearsal(word: str, path: str) -> User:
    try:
        claims = signing.loads(word, salt=_SALT, max_age=_HOURS * 3600)
    except signing.BadSignature as bad:
        raise BadToken from bad
    found = _OF_A_DAY.match(path)
    if found is None or claims["day"] != found.group(1):
        raise OutsideScope
    user = User.objects.filter(pk=claims["user"], is_active=True).select_related("organisation").first()
    if user is None:
        raise BadToken
    return user
