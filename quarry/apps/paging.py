"""Long lists come in pages: a cursor says after which row the next one begins, whatever was added meanwhile."""

from __future__ import annotations

import base64
import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from django.db.models import Model, Q, QuerySet

PAGE = 100
MOST = 500
M = TypeVar("M", bound=Model)
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Page(Generic[T]):
    """Some rows of a list in its order, the cursor of the next page (None at the end), and how many there are in all."""

    items: list[T]
    next: str | None
    total: int


class BadCursor(ValueError):
    """A cursor that this list did not give out."""


def encode(values: Sequence[object]) -> str:
    """Return a cursor that stands behind a row with these values."""
    return base64.urlsafe_b64encode(json.dumps([str(v) for v in values]).encode()).decode().rstrip("=")


def decode(cursor: str, count: int) -> list[str]:
    """Return the values of a cursor; raises `BadCursor`."""
    try:
        values = json.loads(base64.urlsafe_b64decode(cursor + "=" * (-len(cursor) % 4)))
    except ValueError as bad:
        raise BadCursor from bad
    if not isinstance(values, list) or len(values) != count or not all(isinstance(v, str) for v in values):
        raise BadCursor
    return values


def size_of(wanted: int) -> int:
    """Return how many rows a page has, within bounds."""
    return max(1, min(MOST, wanted))


def page_of(rows: QuerySet[M], order: Sequence[str], cursor: str, size: int, total: int | None = None) -> Page[M]:
    """Return a page of a query, ordered by fields that are never null (``-`` before one turns it round), then by key.

    ``total``: how many rows there are, where the caller knows it.

    Raises
    ------
    BadCursor
        ``cursor`` is not one of this list in this order.
    """
    fields = [*order, "pk"]
    total = rows.count() if total is None else total
    if cursor:
        rows = rows.filter(_after(rows.model, fields, decode(cursor, len(fields))))
    size = size_of(size)
    found = list(rows.order_by(*fields)[: size + 1])
    more = len(found) > size
    last = found[size - 1] if more else None
    return Page(found[:size], encode([getattr(last, f.lstrip("-")) for f in fields]) if last is not None else None, total)


def _after(model: type[Model], fields: Sequence[str], values: Sequence[str]) -> Q:
    """Return the condition of every row behind one in an order of several fields."""
    found, same = Q(), Q()
    for field, text in zip(fields, values, strict=True):
        name = field.lstrip("-")
        column = model._meta.pk if name == "pk" else model._meta.get_field(name)
        try:
            value: Any = column.to_python(text)  # type: ignore[union-attr]
        except Exception as bad:
            raise BadCursor from bad
        found |= same & Q(**{f"{name}__{'lt' if field.startswith('-') else 'gt'}": value})
        same &= Q(**{name: value})
    return found
