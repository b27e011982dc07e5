"""The safety headers of every answer, of files as of the API."""

from __future__ import annotations

import base64
import functools
import hashlib
import re

from django.conf import settings


@functools.lru_cache(maxsize=1)
def _inline_hashes() -> str:
    try:
        text = (settings.BUILD / "index.html").read_text(encoding="utf-8")
    except OSError:
        return ""
    found = re.findall(r"<script>(.*?)</script>", text, re.DOTALL)
    hashes = [base64.b64encode(hashlib.sha256(s.encode()).digest()).decode() for s in found]
    return " ".join(f"'sha256-{h}'" for h in hashes)


def safety_headers(pictures_from: str = "") -> dict[str, str]:
    """Return the headers of every answer; ``pictures_from`` is one more address that pictures may come from."""
    always = {
        "Content-Security-Policy": (
            f"default-src 'none'; script-src 'self' {_inline_hashes()}; style-src 'self' 'unsafe-inline'; "
            f"img-src 'self' data: blob:{pictures_from}; font-src 'self'; connect-src 'self'; manifest-src 'self'; "
            "worker-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
        ),
        "X-Content-Type-Options": "nosniff",
        "X-Frame-Options": "DENY",
        "Referrer-Policy": "same-origin",
        "Cross-Origin-Opener-Policy": "same-origin",
    }
    return always | ({"Strict-Transport-Security": "max-age=31536000"} if settings.SECURE else {})
