"""Tokens for programs, and the history of the company."""

from __future__ import annotations

from uuid import UUID

from django.http import StreamingHttpResponse
from django.http.response import HttpResponseBase
from ninja import Query, Router

from quarry.api.auth import SignedIn
from quarry.api.schemas.people import HistoryPage, HistoryPageQuery, HistoryQuery, NewToken, TokenIn, TokenSelf
from quarry.apps.accounts import queries, services
from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.views import TokenView
from quarry.apps.day.queries import running_days

router = Router(tags=["tokens"])


@router.get("/tokens", response=list[TokenView], operation_id="list_tokens", summary="Tokens of the company")
def tokens(request: SignedIn) -> object:
    """Return all tokens, never their secrets."""
    return queries.tokens_for(request.user)


@router.post("/tokens", response={201: NewToken}, operation_id="make_token", summary="Make a token")
def make(request: SignedIn, data: TokenIn) -> object:
    """Make a token; its secret is shown once."""
    token, secret = services.make_token(actor=request.user, name=data.name, scope=data.scope, days=data.days, day_id=data.day_id)
    return 201, {"token": queries.token_view(token), "secret": secret}


@router.delete("/tokens/{token_id}", response=TokenView, operation_id="revoke_token", summary="Revoke a token")
def revoke(request: SignedIn, token_id: UUID) -> object:
    """From now on it opens nothing."""
    return queries.token_view(services.revoke_token(actor=request.user, token_id=token_id))


@router.get("/token", response=TokenSelf, operation_id="this_token", summary="What the token that is shown opens")
def this_token(request: SignedIn) -> object:
    """Return what a program needs to begin: what its token is for, and which days run."""
    token = request.token
    if token is None:
        raise DomainError("not_found", "No token was shown.")
    running = [d for d in running_days() if token.day_id in (None, d.pk)]
    return {
        "name": token.name,
        "scope": token.scope,
        "day_id": token.day_id,
        "expires_at": token.expires_at,
        "running": [{"id": d.pk, "name": d.name} for d in running],
    }


@router.get("/history", response=HistoryPage, operation_id="history", summary="Who changed what, page by page")
def history(request: SignedIn, query: Query[HistoryPageQuery]) -> object:
    """Return lines of the history, newest first; sign-ins, refusals and tokens for leads alone."""
    wanted = queries.HistoryWanted(**query.dict(exclude={"cursor", "size"}))
    return queries.history_page(request.user, wanted, query.cursor, query.size)


@router.get("/history.csv", operation_id="export_history", summary="The history as CSV")
def history_csv(request: SignedIn, query: Query[HistoryQuery]) -> HttpResponseBase:
    """Return all lines that are wanted."""
    made = StreamingHttpResponse(
        queries.history_csv(request.user, queries.HistoryWanted(**query.dict())), content_type="text/csv; charset=utf-8"
    )
    made["Content-Disposition"] = 'attachment; filename="history.csv"'
    return made
