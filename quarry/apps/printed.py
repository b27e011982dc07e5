"""What goes to paper: names among other words, and pages of HTML as PDF."""

from __future__ import annotations

import base64
import unicodedata
from html import escape
from typing import Any

# A sheet of A4 with its name and page numbers in the foot, tables and one figure in large print.
SHEET_STYLE = """
@page { size: A4; margin: 14mm 14mm 16mm; @bottom-left { content: string(foot); font: 7.5pt 'DejaVu Sans' }
 @bottom-right { content: counter(page) " of " counter(pages); font: 7.5pt 'DejaVu Sans' } }
body { font: 9pt/1.35 'DejaVu Sans', sans-serif; color: #000; margin: 0 } h1 { font-size: 17pt; margin: 0 }
h2 { font-size: 10.5pt; margin: 4mm 0 1mm; border-bottom: .3mm solid #000; break-after: avoid } p { margin: .8mm 0 }
table { border-collapse: collapse; width: 100% } th, td { text-align: left; vertical-align: top; padding: .6mm 1.5mm .6mm 0 }
th { font-size: 8pt; border-bottom: .2mm solid #000 } td { border-bottom: .1mm solid #888 } tr { break-inside: avoid }
.n { text-align: right } .fine { font-size: 7.5pt } .foot { string-set: foot content(); font-size: 0 } .big { font-size: 22pt; font-weight: bold }
"""
_PHOTO = "data:image/jpeg;base64,"
_FIRST_STRONG, _POP = "\u2068", "\u2069"  # isolates of the bidirectional algorithm (Unicode Standard Annex 9)


def isolated(name: str) -> str:
    """Return a name that turns nothing beside it around, when it is written from right to left; others as they are."""
    turns = any(unicodedata.bidirectional(c) in {"R", "AL", "AN"} for c in name)
    return f"{_FIRST_STRONG}{name}{_POP}" if turns else name


def named(name: str) -> str:
    """Return a name for a page of HTML among other words."""
    return escape(isolated(name))


def printed(html: str) -> bytes:
    """Return a page of HTML as PDF; whatever it might ask for from elsewhere is refused, photos stand in it as data."""
    from weasyprint import HTML  # slow to load, and needed here alone

    return bytes(HTML(string=html, url_fetcher=_held).write_pdf())


def _held(url: str, *_: Any, **__: Any) -> Any:
    from weasyprint.urls import URLFetcherResponse

    if not url.startswith(_PHOTO):
        raise ValueError(f"A printed page fetches nothing, least of all {url[:80]}.")
    return URLFetcherResponse(url, base64.b64decode(url.removeprefix(_PHOTO)), {"Content-Type": "image/jpeg"})
