from __future__ import annotations

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.services._tries import check_password_of


def change_own_password(*, actor: User, old: str, new: str) -> None:
    """Change one's own password; all other sessions of the person end."""
    check_password_of(actor, old, "old")
    try:
        validate_password(new, actor)
    except ValidationError as bad:
        raise DomainError("weak_password", " ".join(bad.messages), "new") from bad
    if new == old:
        raise DomainError("weak_password", "This is the password that you have. Choose another.", "new")
    with transaction.atomic():
        actor.set_password(new)
        actor.first_password = False
        actor.save()
        record(actor=actor, action="person.password_changed", row=actor, label=actor.username)
