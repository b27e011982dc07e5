"""How often a secret may be tried: wrong answers are counted in the database, for all web processes together."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError, TooManyTries
from quarry.apps.accounts.models import SignInFailure, User


def check_tries(what: str, address: str, most: int) -> None:
    """Raise `TooManyTries` after so many wrong answers for this from this address, or too many from the address at all."""
    wrong = SignInFailure.objects.filter(at__gt=timezone.now() - timedelta(seconds=settings.SIGN_IN_WAIT_S))
    here = wrong.filter(address=address)
    if here.filter(username__iexact=what).count() >= most or (address and here.count() >= settings.ADDRESS_TRIES):
        raise TooManyTries(settings.SIGN_IN_WAIT_S)


def count_wrong(what: str, address: str) -> None:
    """Count a wrong answer, and forget those of the day before yesterday."""
    SignInFailure.objects.create(username=what[:150], address=address)
    SignInFailure.objects.filter(at__lt=timezone.now() - timedelta(days=1)).delete()


def check_password_of(actor: User, password: str, field: str) -> None:
    """Raise `DomainError` unless it is the person's password; wrong ones are counted, wherever they are tried from."""
    what = f"password of {actor.pk}"
    check_tries(what, "", settings.SECRET_TRIES)
    if not actor.check_password(password):
        count_wrong(what, "")
        raise DomainError("wrong_password", "The present password is wrong.", field)
