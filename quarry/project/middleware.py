"""Safety headers, and the scope of one organisation around each request."""

from __future__ import annotations

import re
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, nullcontext
from urllib.parse import urlsplit

from allauth.usersessions.models import UserSession
from django.conf import settings
from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware
from django.middleware.http import ConditionalGetMiddleware
from django.utils import timezone
from django_scopes import scope

from quarry.api.errors import RETRY_S, csrf_failure, problem
from quarry.apps.accounts.adapters import address_of
from quarry.apps.accounts.tokens import BadToken, OutsideScope, asker
from quarry.project.headers import safety_headers
from quarry.project.logs import of_company

Handler = Callable[[HttpRequest], HttpResponse]
_SHORT = re.compile(r"/api/(?:me$|session|stream|token$|days/[^/]+/(?:events|telemetry|live)$)")
_PERSONAL = re.compile(r"/api/(?:me|session|people|tokens?|history|password|company)(?:[/.]|$)")
_READS = ("GET", "HEAD", "OPTIONS")
_NOTED_EVERY_S = 120.0


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
            # Signing in, people, tokens and history leave no copy in the browser at all.
            response["Cache-Control"] = "no-store" if _PERSONAL.match(request.path) else "private, no-cache"
        return super().process_response(request, response)


class SeenSessions:
    """Keeps when and where each session was last used, to the nearest minutes, for the list of sessions."""

    def __init__(self, get_response: Handler) -> None:
        self.get_response = get_response
        self._seen: dict[str, float] = {}

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Note the session where it has not been noted for a while, and answer."""
        key, now = request.session.session_key, time.monotonic()
        if key and request.user.is_authenticated and now - self._seen.get(key, -_NOTED_EVERY_S) >= _NOTED_EVERY_S:
            self._seen = {k: at for k, at in self._seen.items() if now - at < _NOTED_EVERY_S} | {key: now}
            if not UserSession.objects.filter(session_key=key).update(last_seen_at=timezone.now(), ip=address_of(request)):
                UserSession.objects.create_from_request(request)
        return self.get_response(request)


class OrganisationScope:
    """Opens the scope of the signed-in person's organisation, or of a program's; without one, queries raise."""

    def __init__(self, get_response: Handler) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer inside the scope; a token that is not good is refused, whoever is signed in beside it."""
        if request.method not in _READS and request.headers.get("Sec-Fetch-Site") == "cross-site":
            # Doors that are open to all know no token against forgery: no other site's page signs anybody in or out.
            return csrf_failure(request)
        request.token = None  # type: ignore[attr-defined]
        credentials = request.headers.get("Authorization", "")
        if credentials.startswith("Bearer ") and request.path.startswith("/api/"):
            try:
                program, token = asker(credentials[len("Bearer ") :], request.method or "", request.path)
            except BadToken:
                return problem(
                    401, "bad_token", "This token is unknown, expired or revoked. Ask your operations lead for another."
                )
            except OutsideScope:
                return problem(403, "outside_scope", "This token is not for this. GET /api/token says what it is for.")
            request.program, request.token = program, token  # type: ignore[attr-defined]
            request.user = program
        user = request.user
        if user.is_authenticated:
            of_company(str(user.organisation_id))
        within = scope(organisation=user.organisation) if user.is_authenticated else nullcontext()
        with within:
            return self.get_response(request)


class _Own:
    """The turns of one person."""

    def __init__(self, at_once: int) -> None:
        self.door = threading.Semaphore(at_once)
        self.here = 0


class BoundedReads:
    """Lets only so many requests be worked on at once, and fewer of one person: what takes long cannot keep the rest waiting.

    What is short and what a running day rests on (who am I, events, readings) is never kept waiting. Who waits holds no link
    to the database; who waits too long is asked to come back.
    """

    def __init__(self, get_response: Handler) -> None:
        self.get_response = get_response
        self._all = threading.Semaphore(settings.WORK_AT_ONCE)
        self._people: dict[int, _Own] = {}
        self._lock = threading.Lock()

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer when it is this request's turn."""
        user = request.user
        if not user.is_authenticated or not request.path.startswith("/api/") or _SHORT.match(request.path):
            return self.get_response(request)
        try:
            with self._turn(user.pk):
                return self.get_response(request)
        except _NoTurn:
            response = problem(503, "too_slow", "Much is being worked out at the moment. It is tried again.")
            response["Retry-After"] = str(RETRY_S)
            return response

    @contextmanager
    def _turn(self, person: int) -> Iterator[None]:
        with self._lock:
            own = self._people.setdefault(person, _Own(settings.WORK_AT_ONCE_OF_ONE))
            own.here += 1
        try:
            with _entered(own.door), _entered(self._all):
                yield
        finally:
            with self._lock:
                own.here -= 1
                if not own.here:
                    self._people.pop(person, None)


class _NoTurn(Exception):
    """It took too long until it was a request's turn."""


@contextmanager
def _entered(door: threading.Semaphore) -> Iterator[None]:
    if not door.acquire(blocking=False):
        if not connection.in_atomic_block:
            connection.close()
        if not door.acquire(timeout=settings.WORK_WAIT_S):
            raise _NoTurn
    try:
        yield
    finally:
        door.release()
