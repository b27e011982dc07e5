"""Who may ask: a person who is signed in or, where a route says so, a bridge that tells of one day."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja.security import HttpBearer, SessionAuth

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User

_WITH_A_FIRST_PASSWORD = ("/api/me/password", "/api/session")


class SignedIn(HttpRequest):
    """A request whose asker is known: every route refuses others before its function is called, unless it says ``auth=None``."""

    user: User


class BridgeAuth(HttpBearer):
    """Lets a bridge in that the middleware has found good for the day of this path."""

    def authenticate(self, request: HttpRequest, _token: str) -> Any:
        """Return the person in whose name the bridge tells, or None."""
        return getattr(request, "bridge", None)


class PersonAuth(SessionAuth):
    """Lets in who is signed in; with a password that somebody else made, to choosing another and signing out alone."""

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:
        """Return the person, or None."""
        user = super().authenticate(request, key)
        if isinstance(user, User) and user.first_password and request.path not in _WITH_A_FIRST_PASSWORD:
            raise DomainError("first_password", "Choose a password of your own first.")
        return user


PERSON = PersonAuth()
BRIDGE_OR_PERSON = [BridgeAuth(), PERSON]
