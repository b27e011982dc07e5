from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.contrib.auth import authenticate
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError, TooManyTries
from quarry.apps.accounts.models import SignInFailure, User


def sign_in(*, username: str, password: str, address: str) -> User:
    """Return the person if the password is right.

    Wrong tries count per name *and* address, so nobody can lock a crew out from elsewhere and one
    crew member's slip does not lock out the others behind the same address.
    """
    since = timezone.now() - timedelta(seconds=settings.SIGN_IN_WAIT_S)
    wrong = SignInFailure.objects.filter(address=address, at__gt=since)
    if wrong.filter(username__iexact=username).count() >= settings.SIGN_IN_TRIES or wrong.count() >= settings.ADDRESS_TRIES:
        raise TooManyTries(settings.SIGN_IN_WAIT_S)
    user = authenticate(username=username, password=password)
    if not isinstance(user, User):
        SignInFailure.objects.create(username=username[:150], address=address)
        SignInFailure.objects.filter(at__lt=since - timedelta(days=1)).delete()
        raise DomainError("wrong_password", "Name or password is wrong. Check both and try again.", "password")
    return user
