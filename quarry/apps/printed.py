"""Names as they stand among other words on paper."""

from __future__ import annotations

import unicodedata
from html import escape

_FIRST_STRONG, _POP = "\u2068", "\u2069"  # isolates of the bidirectional algorithm (Unicode Standard Annex 9)


def isolated(name: str) -> str:
    """Return a name that turns nothing beside it around, when it is written from right to left; others as they are."""
    turns = any(unicodedata.bidirectional(c) in {"R", "AL", "AN"} for c in name)
    return f"{_FIRST_STRONG}{name}{_POP}" if turns else name


def named(name: str) -> str:
    """Return a name for a page of HTML among other words."""
    return escape(isolated(name))
