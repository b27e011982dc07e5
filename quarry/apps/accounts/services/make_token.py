from __future__ import annotations

from datetime import timedelta
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import ApiToken, Scope, User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.tokens import PREFIX, digest_of, new_secret

_HINT = len(PREFIX) + 4


@transaction.atomic
def make_token(*, actor: User, name: str, scope: str, days: int, day_id: UUID | None = None) -> tuple[ApiToken, str]:
    """Make a token that is good for so many days; returns it with its secret, which is shown once and not kept."""
    require(actor, "tokens:write")
    secret = new_secret()
    token = ApiToken.objects.create(
        organisation=actor.organisation,
        name=name.strip(),
        scope=Scope(scope),
        day_id=day_id,
        digest=digest_of(secret),
        hint=secret[:_HINT],
        made_by=actor,
        expires_at=timezone.now() + timedelta(days=days),
    )
    record(
        actor=actor,
        action="token.made",
        row=token,
        label=f"{token.name} ({token.hint} …)",
        after={"scope": token.scope, "expires": token.expires_at.isoformat(), "day": str(day_id) if day_id else ""},
    )
    return token, secret
