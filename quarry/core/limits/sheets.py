"""Sheets of limits at four levels, and the strictest of them with the sheet that it comes from."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import MissingInput, OutOfRange, require_range
from quarry.core.limits.quantities import QUANTITIES, Quantity, quantity_of

Level = Literal["organisation", "aircraft", "work", "job"]
LEVELS: tuple[Level, ...] = ("organisation", "aircraft", "work", "job")


@dataclass(frozen=True, slots=True)
class Rule:
    """One limit of a sheet: least, most or both, in SI; ``why`` is the reason or the place in the manual."""

    key: str
    least: float | None = None
    most: float | None = None
    why: str = ""


@dataclass(frozen=True, slots=True)
class Sheet:
    """The limits that one level sets, with the name people know it by."""

    id: str
    level: Level
    name: str
    rules: tuple[Rule, ...]


@dataclass(frozen=True, slots=True)
class Bound:
    """One side of the strictest limit and the sheet it comes from."""

    value: float
    sheet: str
    level: Level
    why: str


@dataclass(frozen=True, slots=True)
class Limit:
    """The strictest limit of a quantity; either side may be open."""

    quantity: Quantity
    least: Bound | None
    most: Bound | None


def check_rule(rule: Rule) -> None:
    """Raise an error at the rule's key unless the rule makes sense for its quantity."""
    q = quantity_of(rule.key)
    if rule.least is None and rule.most is None:
        raise MissingInput(f"{q.words}: give a limit, or take the line out.", rule.key)
    for value, side in ((rule.least, "least"), (rule.most, "most")):
        if value is None:
            continue
        if q.sides not in (side, "both"):
            raise OutOfRange(f"{q.words} has no {side} value. Leave that side open.", rule.key)
        require_range(value * q.scale, q.low * q.scale, q.high * q.scale, rule.key, q.words, q.unit)
    if rule.least is not None and rule.most is not None and rule.least > rule.most:
        raise OutOfRange(f"{q.words}: the least lies above the most, nothing could ever be a go. Swap them.", rule.key)


def strictest(sheets: Iterable[Sheet]) -> dict[str, Limit]:
    """Return by key the strictest limit of all sheets, in the order of the quantities.

    Of equal values the level nearest to the organisation is named: that is who decides.

    Examples
    --------
    >>> a = Sheet("a", "organisation", "Company", (Rule("gust_m_s", most=12.0),))
    >>> b = Sheet("b", "aircraft", "Heron", (Rule("gust_m_s", most=10.0),))
    >>> strictest([a, b])["gust_m_s"].most.sheet
    'Heron'
    """
    ordered = sorted(sheets, key=lambda s: LEVELS.index(s.level))
    found: dict[str, Limit] = {}
    for key, q in QUANTITIES.items():
        rules = [(s, r) for s in ordered for r in s.rules if r.key == key]
        least = _side([(s, r.why, r.least) for s, r in rules if r.least is not None], highest=True)
        most = _side([(s, r.why, r.most) for s, r in rules if r.most is not None], highest=False)
        if least or most:
            found[key] = Limit(q, least, most)
    return found


def _side(rows: Sequence[tuple[Sheet, str, float]], *, highest: bool) -> Bound | None:
    best: Bound | None = None
    for sheet, why, value in rows:
        if best is None or (value > best.value if highest else value < best.value):
            best = Bound(value, sheet.name, sheet.level, why)
    return best
