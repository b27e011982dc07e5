"""How the sign-in library asks about people here: nobody signs up, secrets of second steps are kept encrypted."""

from __future__ import annotations

import base64
import secrets
from typing import Any

from allauth.account.adapter import DefaultAccountAdapter
from allauth.mfa.adapter import DefaultMFAAdapter
from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings
from django.http import HttpRequest

from quarry.apps.accounts.models import User


class People(DefaultAccountAdapter):  # type: ignore[misc]
    """Accounts are made by a lead alone."""

    def is_open_for_signup(self, request: HttpRequest) -> bool:  # noqa: ARG002 - the library asks so
        """Say no."""
        return False

    def get_client_ip(self, request: HttpRequest) -> str:
        """Return the address of who asks; a trusted proxy has been seen through by the server already."""
        return address_of(request)


class SecondSteps(DefaultMFAAdapter):  # type: ignore[misc]
    """Keeps secrets encrypted, so that a copy of the database alone signs nobody in."""

    def encrypt(self, text: str) -> str:
        """Return a secret as it is kept."""
        return _cipher().encrypt(text.encode()).decode()

    def decrypt(self, encrypted_text: str) -> str:
        """Return a secret; kept under another secret key of the server it becomes one that nobody knows, so no code fits."""
        try:
            return _cipher().decrypt(encrypted_text.encode()).decode()
        except InvalidToken:
            return base64.b32encode(secrets.token_bytes(20)).decode()

    def get_totp_label(self, user: Any) -> str:
        """Return what an app of codes lists the person under."""
        return f"{user.username}, {user.organisation.name}" if isinstance(user, User) else str(user)

    def get_public_key_credential_rp_entity(self) -> dict[str, str]:
        """Return whom a passkey is for: this server under the name it is asked by."""
        return {**super().get_public_key_credential_rp_entity(), "name": settings.MFA_TOTP_ISSUER}


def address_of(request: HttpRequest) -> str:
    """Return the network address of who asks."""
    return str(request.META.get("REMOTE_ADDR") or "0.0.0.0")  # noqa: S104 - a listener without addresses, as in tests


def _cipher() -> Fernet:
    key = HKDF(algorithm=SHA256(), length=32, salt=None, info=b"quarry second steps").derive(settings.SECRET_KEY.encode())
    return Fernet(base64.urlsafe_b64encode(key))
