"""Who may ask: a person who is signed in or, where a route says so, a bridge that tells of one day."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja.security import HttpBearer, django_auth

from quarry.apps.accounts.models import User


class SignedIn(HttpRequest):
    """A request whose asker is known: every route refuses others before its function is called, unless it says ``auth=None``."""

    user: User


class BridgeAuth(HttpBearer):
    """Lets a bridge in that the middleware has found good for the day of this path."""

    def authenticate(self, request: HttpRequest, _token: str) -> Any:
        """Return the person in whose name the bridge tells, or None."""
        return getattr(request, "bridge", None)


BRIDGE_OR_PERSON = [BridgeAuth(), django_auth]
