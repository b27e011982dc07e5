from __future__ import annotations

from allauth.account.forms import UserTokenForm
from django.conf import settings
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django_scopes import scope

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.services._sessions import end_all
from quarry.apps.accounts.services._tries import check_tries, count_wrong

_WHAT = "key of a letter"


def set_forgotten_password(*, key: str, password: str, address: str) -> User:
    """Set the password of whom a letter was sent, by its key, which is good once; all sessions of the person end."""
    check_tries(_WHAT, address, settings.SECRET_TRIES)
    number, _, word = key.partition("-")
    form = UserTokenForm(data={"uidb36": number, "key": word})
    person = form.reset_user if form.is_valid() else None
    if not isinstance(person, User) or not person.is_active:
        count_wrong(_WHAT, address)
        raise DomainError("old_letter", "This link was used already, or is too old. Ask for another e-mail.", "key")
    try:
        validate_password(password, person)
    except ValidationError as bad:
        raise DomainError("weak_password", " ".join(bad.messages), "password") from bad
    with transaction.atomic(), scope(organisation=person.organisation):
        person.set_password(password)
        person.first_password = False
        person.save()
        end_all(person)
        record(actor=person, action="person.password_set_by_letter", row=person, label=person.username)
    return person
