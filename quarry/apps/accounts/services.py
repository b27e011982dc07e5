"""Writing: signing in, people, and the history that every other service adds to."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.contrib.auth import authenticate
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import Model
from django.utils import timezone

from quarry.apps.accounts.models import HistoryEntry, Owned, Role, SignInFailure, User
from quarry.apps.accounts.permissions import require

Plain = dict[str, Any]  # a row as the history keeps it
Entered = Mapping[str, Any]  # figures as a form sends them, by the names of the columns


class DomainError(Exception):
    """A refusal with a code, a sentence for people, and the field it belongs to."""

    def __init__(self, code: str, message: str, field: str = "", extra: Plain | None = None) -> None:
        super().__init__(message)
        self.code, self.message, self.field, self.extra = code, message, field, extra or {}


class Stale(DomainError):
    """Somebody else saved in the meantime; ``extra`` holds the version that stands."""

    def __init__(self, current: Plain) -> None:
        super().__init__(
            "stale",
            "Somebody else has saved this in the meantime. Choose which version shall stand.",
            extra={"current": current},
        )


class TooManyTries(DomainError):
    """Too many wrong passwords; waiting helps."""

    def __init__(self, wait_s: int) -> None:
        super().__init__("throttled", f"Too many wrong passwords. Wait {wait_s} seconds and try again.", "password")
        self.wait_s = wait_s


def record(*, actor: User, action: str, row: Model, label: str, before: Plain | None = None, after: Plain | None = None) -> None:
    """Add one line to the history: ``action`` is the kind of thing, a dot, and what was done to it.

    With both ``before`` and ``after`` only what changed is kept.
    """
    if before is not None and after is not None:
        changed = [k for k in after if after[k] != before.get(k)]
        before, after = {k: before.get(k) for k in changed}, {k: after[k] for k in changed}
    HistoryEntry.objects.create(
        organisation=actor.organisation,
        actor=actor,
        action=action,
        thing=action.partition(".")[0],
        thing_id=str(row.pk),
        label=label[:160],
        before=before,
        after=after,
    )


def check_version(row: Owned, version: int, current: Plain) -> None:
    """Raise `Stale` unless the caller has seen the version that stands."""
    if row.version != version:
        raise Stale(current)


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


def person_dict(person: User) -> Plain:
    """Return what the history keeps of a person: never the password."""
    return {"username": person.username, "full_name": person.full_name, "role": person.role, "active": person.is_active}


@transaction.atomic
def add_person(*, actor: User, username: str, full_name: str, role: str) -> tuple[User, str]:
    """Add a person to the actor's organisation; returns the person and a first password to hand over."""
    require(actor, "people:write")
    if User.objects.filter(username__iexact=username).exists():
        raise DomainError("taken", f"The name {username} is taken. Choose another.", "username")
    person = User(organisation=actor.organisation, username=username, full_name=full_name, role=Role(role))
    try:
        person.full_clean(exclude=["password"])
    except ValidationError as bad:
        field, messages = next(iter(bad.message_dict.items()))
        raise DomainError("invalid", " ".join(messages), field) from bad
    password = secrets.token_urlsafe(9)
    person.set_password(password)
    person.save()
    record(
        actor=actor,
        action="person.added",
        row=person,
        label=person.username,
        after=person_dict(person),
    )
    return person, password


@transaction.atomic
def change_person(*, actor: User, person_id: int, role: str | None, active: bool | None, full_name: str | None) -> User:
    """Set the role, name or access of a person; the last active lead cannot be removed."""
    require(actor, "people:write")
    person = person_of(actor, person_id)
    before = person_dict(person)
    if role is not None:
        person.role = Role(role)
    if active is not None:
        person.is_active = active
    if full_name is not None:
        person.full_name = full_name
    leads = User.objects.filter(organisation=actor.organisation, role=Role.LEAD, is_active=True).exclude(pk=person.pk)
    if not leads.exists() and not (person.role == Role.LEAD and person.is_active):
        raise DomainError("last_lead", "This is the last lead. Make another person lead first.", "role")
    person.save()
    record(
        actor=actor,
        action="person.changed",
        row=person,
        label=person.username,
        before=before,
        after=person_dict(person),
    )
    return person


@transaction.atomic
def reset_password(*, actor: User, person_id: int) -> tuple[User, str]:
    """Give a person a new first password and end their sessions; returns the person and the password, once."""
    require(actor, "people:write")
    person = person_of(actor, person_id)
    password = secrets.token_urlsafe(9)
    person.set_password(password)
    person.save()
    record(
        actor=actor,
        action="person.password_reset",
        row=person,
        label=person.username,
    )
    return person, password


@transaction.atomic
def change_own_password(*, actor: User, old: str, new: str) -> None:
    """Change one's own password."""
    if not actor.check_password(old):
        raise DomainError("wrong_password", "The present password is wrong.", "old")
    try:
        validate_password(new, actor)
    except ValidationError as bad:
        raise DomainError("weak_password", " ".join(bad.messages), "new") from bad
    actor.set_password(new)
    actor.save()


def set_preferences(*, actor: User, units: str | None, light: str | None, gloves: bool | None) -> User:
    """Set how the person wants to see things."""
    if units is not None:
        actor.units = units
    if light is not None:
        actor.light = light
    if gloves is not None:
        actor.gloves = gloves
    actor.save(update_fields=["units", "light", "gloves"])
    return actor


def person_of(actor: User, person_id: int) -> User:
    """Return a person of the actor's organisation, locked for writing."""
    try:
        return User.objects.select_for_update().get(pk=person_id, organisation=actor.organisation)
    except User.DoesNotExist as none:
        raise DomainError("not_found", "There is no such person.") from none
