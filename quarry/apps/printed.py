"""What goes to paper: names among other words, and pages of HTML as PDF."""

from __future__ import annotations

import unicodedata
from html import escape
from typing import Any, NoReturn

_FIRST_STRONG, _POP = "\u2068", "\u2069"  # isolates of the bidirectional algorithm (Unicode Standard Annex 9)


def isolated(name: str) -> str:
    """Return a name that turns nothing beside it around, when it is written from right to left; others as they are."""
    turns = any(unicodedata.bidirectional(c) in {"R", "AL", "AN"} for c in name)
    return f"{_FIRST_STRONG}{name}{_POP}" if turns else name


def named(name: str) -> str:
    """Return a name for a page of HTML among other words."""
    return escape(isolated(name))


def printed(html: str) -> bytes:
    """Return a page of HTML as PDF; whatever it might ask for from elsewhere is refused."""
    from weasyprint import HTML  # slow to load, and needed here alone

    return bytes(HTML(string=html, url_fetcher=_nothing).write_pdf())


def _nothing(url: str, *_: Any, **__: Any) -> NoReturn:
    raise ValueError(f"A printed page fetches nothing, least of all {url}.")
