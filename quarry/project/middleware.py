"""Safety headers, and the scope of one organisation around each request."""

from __future__ import annotations

import re
from collections.abc import Callable
from contextlib import nullcontext
from urllib.parse import urlsplit

from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware
from django.middleware.http import ConditionalGetMiddleware
from django_scopes import scope

from quarry.apps.accounts.tokens import bridge_user
from quarry.project.headers import safety_headers
from quarry.project.logs import of_company

Handler = Callable[[HttpRequest], HttpResponse]


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
        for name, value in safety_headers(_map_service(request, response)).items():
            response[name] = value
        return response


class PackedAnswers(GZipMiddleware):
    """Packs what the API answers as text; a stream and pictures go as they are."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        """Pack an answer where that makes it smaller."""
        kind = response.headers.get("Content-Type", "")
        if response.streaming or not kind.startswith(("application/json", "application/problem+json", "text/")):
            return response
        return super().process_response(request, response)


class MarkedAnswers(ConditionalGetMiddleware):
    """Marks each answer of the API by its content: who has it already is told so in a few bytes. It is always asked for anew."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        """Mark an answer, or say that it has not changed."""
        if not request.path.startswith("/api/") or response.streaming:
            return response
        if request.method in ("GET", "HEAD") and not response.has_header("Cache-Control"):
            response["Cache-Control"] = "private, no-cache"
        return super().process_response(request, response)


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
        if user.is_authenticated:
            of_company(str(user.organisation_id))
        within = scope(organisation=user.organisation) if user.is_authenticated else nullcontext()
        with within:
            return self.get_response(request)
