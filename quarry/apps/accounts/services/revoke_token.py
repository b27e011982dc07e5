from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import ApiToken, User
from quarry.apps.accounts.permissions import require


@transaction.atomic
def revoke_token(*, actor: User, token_id: UUID) -> ApiToken:
    """Take a token back: from now on it opens nothing."""
    require(actor, "tokens:write")
    token = ApiToken.objects.select_for_update().filter(pk=token_id).first()
    if token is None:
        raise DomainError("not_found", "There is no such token.")
    if token.revoked_at is None:
        token.revoked_at = timezone.now()
        token.save(update_fields=["revoked_at"])
        record(actor=actor, action="token.revoked", row=token, label=f"{token.name} ({token.hint} …)")
    return token
