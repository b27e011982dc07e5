"""Safety headers, and the scope of one organisation around each request."""

from __future__ import annotations

import base64
import functools
import hashlib
import re
from collections.abc import Callable
from contextlib import nullcontext
from urllib.parse import urlsplit

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django_scopes import scope

from quarry.apps.accounts.tokens import bridge_user

Handler = Callable[[HttpRequest], HttpResponse]


@functools.lru_cache(maxsize=1)
def _inline_hashes() -> str:
    try:
        text = (settings.BUILD / "index.html").read_text(encoding="utf-8")
    except OSError:
        return ""
    found = re.findall(r"<script>(.*?)</script>", text, re.DOTALL)
    hashes = [base64.b64encode(hashlib.sha256(s.encode()).digest()).decode() for s in found]
    return " ".join(f"'sha256-{h}'" for h in hashes)


def _map_service(request: HttpRequest, response: HttpResponse) -> str:
    """Return where a page may fetch pictures of the ground from, as the policy writes it."""
    user = getattr(request, "user", None)
    if not response.headers.get("Content-Type", "").startswith("text/html") or user is None or not user.is_authenticated:
        return ""
    parts = urlsplit(user.organisation.map_address)
    return f" {parts.scheme}://{parts.netloc}" if parts.netloc else ""


class SafetyHeaders:
    """A strict content security policy: nothing is fetched from elsewhere, no frames, no plug-ins.

    Only a company that has entered a service of map pictures lets its pages show pictures from that one address.
    """

    def __init__(self, get_response: Handler) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer with the headers set."""
        response = self.get_response(request)
        response["Content-Security-Policy"] = (
            f"default-src 'none'; script-src 'self' {_inline_hashes()}; style-src 'self' 'unsafe-inline'; "
            f"img-src 'self' data: blob:{_map_service(request, response)}; font-src 'self'; connect-src 'self'; manifest-src 'self'; worker-src 'self'; "
            "base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
        )
        response["X-Content-Type-Options"] = "nosniff"
        response["X-Frame-Options"] = "DENY"
        response["Referrer-Policy"] = "same-origin"
        response["Cross-Origin-Opener-Policy"] = "same-origin"
        if settings.SECURE:
            response["Strict-Transport-Security"] = "max-age=31536000"
        return response


_OF_A_DAY = re.compile(r"^/api/days/([0-9a-f-]{36})/(?:events|telemetry|close|live)$")


class OrganisationScope:
    """Opens the scope of the signed-in person's organisation, or of a bridge's; without one, queries raise."""

    def __init__(self, get_response: Handler) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer inside the scope."""
        path = _OF_A_DAY.match(request.path)
        credentials = request.headers.get("Authorization", "")
        if path and credentials.startswith("Bearer "):
            request.bridge = bridge_user(credentials[len("Bearer ") :], path.group(1))  # type: ignore[attr-defined]
            request.user = getattr(request, "bridge", None) or request.user
        user = request.user
        within = scope(organisation=user.organisation) if user.is_authenticated else nullcontext()
        with within:
            return self.get_response(request)
