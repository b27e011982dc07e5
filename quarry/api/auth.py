"""Who may ask: a person who is signed in, or a program that shows a token good for what it asks."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja.security import HttpBearer, SessionAuth

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import ApiToken, User

_WITH_A_FIRST_PASSWORD = ("/api/me/password", "/api/session")


class SignedIn(HttpRequest):
    """A request whose asker is known: every route refuses others before its function is called, unless it says ``auth=None``."""

    user: User
    token: ApiToken | None


class TokenAuth(HttpBearer):
    """Lets a program in whose token the middleware has found good for this address."""

    def authenticate(self, request: HttpRequest, _token: str) -> Any:
        """Return the person in whose name the program asks, or None."""
        return getattr(request, "program", None)


class PersonAuth(SessionAuth):
    """Lets in who is signed in; with a password that somebody else made, to choosing another and signing out alone."""

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:
        """Return the person, or None."""
        user = super().authenticate(request, key)
        if isinstance(user, User) and user.first_password and request.path not in _WITH_A_FIRST_PASSWORD:
            raise DomainError("first_password", "Choose a password of your own first.")
        return user


TOKEN_OR_PERSON = [TokenAuth(), PersonAuth()]
