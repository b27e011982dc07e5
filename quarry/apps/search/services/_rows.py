"""What several services of searches do with a row."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import locked
from quarry.apps.search import mappers
from quarry.apps.search.fields import SearchFields, as_kept, read_what
from quarry.apps.search.models import PersonKind, Search

_NAMED = 80


def open_search(search_id: UUID) -> Search:
    """Return a search, locked, that has not ended; raises `DomainError` where it has."""
    row = locked(Search, search_id, "search")
    if row.ended_at is not None:
        raise DomainError("closed", "This search has ended. Resume it first.", "search")
    return row


def kind_of(kind_id: UUID | None) -> PersonKind | None:
    """Return a kind of person by its id; raises `DomainError` where there is none."""
    if kind_id is None:
        return None
    kind = PersonKind.objects.filter(pk=kind_id).first()
    if kind is None:
        raise DomainError("not_found", "Choose a kind of person that exists.", "kind_id")
    return kind


def checked(what: Any) -> SearchFields:
    """Return what was entered of a search, its geometry checked; raises `DomainError` at the field that cannot be."""
    try:
        f = read_what(what)
        ids = [s.id for s in f.segments]
        if len(set(ids)) < len(ids):
            raise DomainError("invalid", "Two segments have the same id. Read the search again, then save.", "what.segments")
        if f.segments or f.point:
            mappers.ground_of(f)
        mappers.check_figures(f)
    except mappers.SearchError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    return f


def named(name: str) -> str:
    """Return the name of a search; raises `DomainError` where it is empty."""
    kept = name.strip()[:_NAMED]
    if not kept:
        raise DomainError("missing", "Give the search a name.", "name")
    return kept


def one_line(words: str) -> str:
    """Return words as one line that a day's entry takes."""
    return "".join(c if c.isprintable() else " " for c in words)[:300].strip()


def kept(f: SearchFields) -> Any:
    """Return what was entered as it is kept."""
    return as_kept(f)
