"""What the screens of the fleet are made from: nouns with their figures, as the API gives them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from quarry.apps.fleet.figures import ITEMS, MODELS, Figure, Kind, Noun, NounFigures, Quantity, Right


@dataclass(frozen=True, slots=True)
class OptionOut:
    """One of the values of a choice, with its words."""

    value: str
    label: str


@dataclass(frozen=True, slots=True)
class FieldOut:
    """A field of a form and a column of a table."""

    key: str
    label: str
    kind: Kind
    unit: str
    scale: float
    digits: int | None
    quantity: Quantity | None
    optional: bool
    aside: bool
    choices: list[OptionOut]
    of: Noun | None
    begins: Any


@dataclass(frozen=True, slots=True)
class NounOut:
    """A noun of the fleet; an ``item`` has a number of its own, the others are what items are made of."""

    noun: Noun
    item: bool
    title: str
    one: str
    empty: str
    right: Right
    figures: list[FieldOut]


def forms() -> list[NounOut]:
    """Return every noun of the fleet with its figures, items first."""
    return [_noun(n, item=True) for n in ITEMS] + [_noun(n, item=False) for n in MODELS]


def _noun(n: NounFigures, *, item: bool) -> NounOut:
    return NounOut(n.noun, item, n.title, n.one, n.empty, n.right, [_figure(f) for f in n.figures])


def _figure(f: Figure) -> FieldOut:
    return FieldOut(
        f.key,
        f.label,
        f.kind,
        f.unit,
        f.scale,
        f.digits,
        f.quantity,
        f.optional,
        f.aside,
        [OptionOut(value, label) for value, label in f.choices],
        f.of,
        f.first,
    )
