"""How long a company keeps what: kinds of data that go after a time of its choice, with what would go counted beforehand.

Each app registers its kinds. Nothing goes unless the company has chosen a time for it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import connection, transaction
from django.db.models import QuerySet
from django.utils import timezone
from django_scopes import scope

from quarry.apps.accounts.models import HistoryEntry, Organisation
from quarry.apps.accounts.views import KeptKind
from quarry.apps.background import Tidying, register_tidying

LEAST_DAYS = 30


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of data: its name, what it is in words, what stays when it goes, and which rows are older than a moment.

    ``rows``: the rows that count, and by which field they age; ``clear`` deletes what is older and returns how many rows that were.
    """

    name: str
    words: str
    stays: str
    rows: Callable[[datetime], QuerySet]  # type: ignore[type-arg]
    age: str
    clear: Callable[[datetime], int]


_KINDS: dict[str, Kind] = {}


def register_kind(kind: Kind) -> None:
    """Add a kind of data."""
    _KINDS[kind.name] = kind


def kinds() -> Sequence[Kind]:
    """Return all kinds of data that can go."""
    return [_KINDS[name] for name in sorted(_KINDS)]


def kept_by(company: Organisation, days: dict[str, int] | None = None) -> list[KeptKind]:
    """Return how long a company keeps what and what would go now; with ``days`` as if it had chosen those."""
    chosen = company.retention if days is None else days
    found = []
    with scope(organisation=company):
        for kind in kinds():
            after = chosen.get(kind.name)
            rows = kind.rows(timezone.now() - timedelta(days=after)) if after else None
            oldest = kind.rows(timezone.now()).order_by(kind.age).values_list(kind.age, flat=True).first()
            found.append(KeptKind(kind.name, kind.words, kind.stays, after, rows.count() if rows is not None else 0, oldest))
    return found


def let_go() -> int:
    """Delete what companies have chosen to keep no longer; returns how many rows went."""
    gone = 0
    for company in Organisation.objects.exclude(retention={}):
        for name, days in company.retention.items():
            kind = _KINDS.get(name)
            if kind is not None and days:
                with scope(organisation=company), erasing(company):
                    gone += kind.clear(timezone.now() - timedelta(days=days))
    return gone


class erasing:
    """Within it, and until it ends, lines of history of one company may go or be changed; a transaction of its own."""

    def __init__(self, company: Organisation) -> None:
        self._company, self._whole = company, transaction.atomic()

    def __enter__(self) -> None:
        self._whole.__enter__()
        _name(str(self._company.pk))

    def __exit__(self, *failed: object) -> None:
        if failed[0] is None:
            _name("")
        self._whole.__exit__(*failed)  # type: ignore[arg-type]


def _name(company: str) -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT set_config('quarry.erase', %s, true)", [company])


register_tidying(Tidying("what companies keep no longer", let_go))
_SIGN_INS = ("session", "right")


def _sign_ins(before: datetime) -> QuerySet[HistoryEntry]:
    return HistoryEntry.objects.filter(thing__in=_SIGN_INS, at__lt=before)


def _changes(before: datetime) -> QuerySet[HistoryEntry]:
    return HistoryEntry.objects.exclude(thing__in=_SIGN_INS).filter(at__lt=before)


register_kind(
    Kind("sign_ins", "Sign-ins and refusals", "", _sign_ins, "at", lambda before: _sign_ins(before).order_by().delete()[0])
)
register_kind(
    Kind(
        "changes",
        "History: who changed what",
        "What was changed stays as it is.",
        _changes,
        "at",
        lambda before: _changes(before).order_by().delete()[0],
    )
)
