"""Reading: people, their sessions, tokens, and the history."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date

from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from django.db.models import Count, Q, QuerySet
from django.utils import timezone

from quarry.apps.accounts.models import ApiToken, HistoryEntry, Scope, User
from quarry.apps.accounts.permissions import may, require
from quarry.apps.accounts.views import HistoryLine, OpenSession, TokenView
from quarry.apps.paging import Page, page_of

_LEADS_ONLY = ("session", "right", "token")
_COLUMNS = ("at", "who", "action", "thing", "label", "before", "after")


@dataclass(frozen=True, slots=True)
class HistoryWanted:
    """Which lines of the history are wanted; what is empty does not narrow."""

    thing: str = ""
    thing_id: str = ""
    who: str = ""
    words: str = ""
    begins: date | None = None
    ends: date | None = None


def people_for(actor: User) -> QuerySet[User]:
    """Return all people of the actor's organisation."""
    return User.objects.filter(organisation=actor.organisation).order_by("-is_active", "username")


def second_steps_of(people: Iterable[User]) -> dict[int, int]:
    """Return how many second steps each of these people has set up, by their keys."""
    own = Authenticator.objects.filter(user__in=people).exclude(type=Authenticator.Type.RECOVERY_CODES)
    return dict(own.values_list("user").annotate(count=Count("pk")).order_by())


def history_page(actor: User, wanted: HistoryWanted, cursor: str = "", size: int = 100) -> Page[HistoryLine]:
    """Return a page of the history, newest first; sign-ins, refusals and tokens are a lead's to read."""
    page = page_of(_lines(actor, wanted).select_related("actor"), ["-id"], cursor, size)
    return Page([_line(h) for h in page.items], page.next, page.total)


def history_csv(actor: User, wanted: HistoryWanted) -> Iterator[bytes]:
    """Return all lines that are wanted as CSV, piece by piece; figures before and after as JSON."""
    require(actor, "history:read")
    return _csv_lines(_lines(actor, wanted).select_related("actor").order_by("-id"))


def _csv_lines(lines: QuerySet[HistoryEntry]) -> Iterator[bytes]:
    yield ",".join(_COLUMNS).encode() + b"\r\n"
    for h in lines.iterator(chunk_size=500):
        line = _line(h)
        out = io.StringIO()
        csv.writer(out).writerow(
            _harmless(c)
            for c in (
                line.at.isoformat(),
                line.who,
                line.action,
                line.thing,
                line.label,
                json.dumps(line.before) if line.before else "",
                json.dumps(line.after) if line.after else "",
            )
        )
        yield out.getvalue().encode()


def _harmless(cell: str) -> str:
    # A table program takes a cell that begins like this for a formula.
    return f"'{cell}" if cell[:1] in ("=", "+", "-", "@", "\t") else cell


def _lines(actor: User, wanted: HistoryWanted) -> QuerySet[HistoryEntry]:
    lines = HistoryEntry.objects.filter(organisation=actor.organisation)
    if not may(actor, "history:read"):
        lines = lines.exclude(thing__in=_LEADS_ONLY)
    for name in ("thing", "thing_id"):
        if getattr(wanted, name):
            lines = lines.filter(**{name: getattr(wanted, name)})
    if wanted.who:
        lines = lines.filter(actor__username__iexact=wanted.who)
    for word in wanted.words.split():
        lines = lines.filter(
            Q(label__icontains=word) | Q(action__icontains=word.replace(" ", "_")) | Q(actor__username__icontains=word)
        )
    if wanted.begins:
        lines = lines.filter(at__date__gte=wanted.begins)
    if wanted.ends:
        lines = lines.filter(at__date__lte=wanted.ends)
    return lines


def _line(h: HistoryEntry) -> HistoryLine:
    return HistoryLine(
        id=h.pk,
        at=h.at,
        who=h.actor.username if h.actor else "",
        action=h.action,
        thing=h.thing,
        thing_id=h.thing_id,
        label=h.label,
        before=h.before,
        after=h.after,
    )


def sessions_of(user: User, key: str) -> list[OpenSession]:
    """Return the open sessions of a person, last used first; ``key`` is that of the session that asks."""
    rows = UserSession.objects.purge_and_list(user)
    return [
        OpenSession(
            id=row.pk,
            device=row.user_agent,
            address=str(row.ip),
            opened_at=row.created_at,
            seen_at=row.last_seen_at,
            here=row.session_key == key,
        )
        for row in sorted(rows, key=lambda r: r.last_seen_at, reverse=True)
    ]


def token_view(token: ApiToken) -> TokenView:
    """Return a token as the screens see it."""
    return TokenView(
        id=token.pk,
        name=token.name,
        scope=token.scope,
        scope_words=Scope(token.scope).label,
        day_id=token.day_id,
        hint=token.hint,
        made_by=token.made_by.username,
        made_at=token.made_at,
        expires_at=token.expires_at,
        used_at=token.used_at,
        revoked_at=token.revoked_at,
        good=token.revoked_at is None and token.expires_at > timezone.now() and token.made_by.is_active,
    )


def tokens_for(actor: User) -> list[TokenView]:
    """Return the tokens of the company, newest first."""
    require(actor, "tokens:write")
    return [token_view(t) for t in ApiToken.objects.filter(organisation=actor.organisation).select_related("made_by")]
