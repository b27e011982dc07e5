"""A person as its organisation sees it."""

from __future__ import annotations

import secrets

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.fields import Plain
from quarry.apps.accounts.models import User


def person_dict(person: User) -> Plain:
    """Return what the history keeps of a person: never the password."""
    return {
        "username": person.username,
        "full_name": person.full_name,
        "email": person.email,
        "role": person.role,
        "active": person.is_active,
    }


def check_free(person: User) -> None:
    """Raise `DomainError` where another of the company has the name, or another anywhere the address of mail."""
    others = User.objects.exclude(pk=person.pk)
    if others.filter(organisation=person.organisation, username__iexact=person.username).exists():
        raise DomainError("taken", f"The name {person.username} is taken. Choose another.", "username")
    if person.email and others.filter(email__iexact=person.email).exists():
        raise DomainError("taken", f"Somebody signs in with {person.email} already. Write another address.", "email")


def person_of(actor: User, person_id: int) -> User:
    """Return a person of the actor's organisation, locked for writing."""
    try:
        return User.objects.select_for_update().get(pk=person_id, organisation=actor.organisation)
    except User.DoesNotExist as none:
        raise DomainError("not_found", "There is no such person.") from none


def give_first_password(person: User) -> str:
    """Give a person a password that is good for choosing another, and return it, once; who gives it saves the person."""
    password = secrets.token_urlsafe(9)
    person.set_password(password)
    person.first_password = True
    return password
