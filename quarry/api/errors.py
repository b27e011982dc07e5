"""Every refusal as problem+json: status, code, one sentence, the field it belongs to."""

from __future__ import annotations

import json
import logging
import sys
from collections.abc import Callable
from typing import Any, TypeVar, cast

from django.core.exceptions import BadRequest, RequestDataTooBig, SuspiciousOperation
from django.db import DatabaseError, DataError, InterfaceError, OperationalError
from django.http import Http404, HttpRequest, HttpResponse, UnreadablePostError
from django.http.multipartparser import InputStreamExhausted, MultiPartParserError
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from psycopg.errors import QueryCanceled

from quarry.apps.accounts.errors import DomainError, TooManyTries
from quarry.apps.accounts.history import note_refusal
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.paging import BadCursor
from quarry.core.base.errors import CoreError

_STATUS = {
    "not_found": 404,
    "stale": 409,
    "throttled": 429,
    "wrong_password": 400,
    "too_large": 413,
    "first_password": 403,
    "wrong_code": 400,
    "no_mail": 409,
    "let_go": 410,
}
RETRY_S = 5
log = logging.getLogger(__name__)
Bad = TypeVar("Bad", bound=Exception)


def problem(status: int, code: str, detail: str, field: str = "", **more: Any) -> HttpResponse:
    """Return a problem+json response."""
    body = {
        "type": f"about:blank#{code}",
        "title": code.replace("_", " "),
        "status": status,
        "code": code,
        "detail": detail,
        "field": field,
        **more,
    }
    return HttpResponse(json.dumps(body, default=str), status=status, content_type="application/problem+json")


def _http(request: HttpRequest, bad: HttpError) -> HttpResponse:
    # The framework refuses a missing token before it looks who asks: without a session, signing in is what helps.
    if bad.status_code == 403:
        return csrf_failure(request) if request.user.is_authenticated else problem(401, "signed_out", "Sign in first.")
    return problem(bad.status_code, "invalid", str(bad))


def csrf_failure(_request: HttpRequest, reason: str = "") -> HttpResponse:
    """Answer a request whose CSRF token is missing or wrong."""
    return problem(403, "csrf", "The page is out of date. Load it again and repeat." + (f" ({reason})" if reason else ""))


def nothing_here(_request: HttpRequest) -> HttpResponse:
    """Answer an address of the API that does not exist."""
    return problem(404, "not_found", "There is nothing here.")


def _validation(_request: HttpRequest, bad: ValidationError) -> HttpResponse:
    errors = [
        {"field": ".".join(str(p) for p in e["loc"] if p not in ("body", "data", "payload")), "detail": e["msg"]}
        for e in bad.errors
    ]
    first = errors[0] if errors else {"field": "", "detail": "The request is not understood."}
    return problem(422, "invalid", f"{first['detail']}.", str(first["field"]), errors=errors)


def install(api: NinjaAPI) -> None:
    """Register the handlers of all errors."""

    def on(kind: type[Bad], answer: Callable[[HttpRequest, Bad], HttpResponse]) -> None:
        # The framework types its handlers as taking the class of an error too; it only ever passes errors.
        api.add_exception_handler(kind, cast(Callable[[HttpRequest, Bad | type[Bad]], HttpResponse], answer))

    on(ValidationError, _validation)
    on(AuthenticationError, lambda _r, _e: problem(401, "signed_out", "Sign in first."))
    on(Http404, lambda _r, _e: problem(404, "not_found", "There is nothing here."))
    on(HttpError, _http)
    on(NotAllowed, _not_allowed)
    on(CoreError, lambda _r, e: problem(422, e.code, e.message, e.field))
    on(DomainError, _domain)
    on(BadCursor, lambda _r, _e: problem(422, "invalid", "The list has changed meanwhile. Load it again.", "cursor"))
    on(RequestDataTooBig, lambda _r, _e: problem(413, "too_large", "More was sent than this address takes. Send less at once."))
    for broken in (MultiPartParserError, BadRequest, SuspiciousOperation, UnreadablePostError, InputStreamExhausted):
        on(broken, lambda _r, _e: problem(400, "unreadable", "The request is damaged and cannot be read. Send it again."))
    for beyond in (OverflowError, DataError):
        on(beyond, _beyond)
    for away in (OperationalError, InterfaceError):
        on(away, _away)
    on(Exception, _unexpected)


def _beyond(request: HttpRequest, bad: Exception) -> HttpResponse:
    log.warning("a value out of range at %s", request.path, exc_info=bad)
    return problem(422, "out_of_range", "A value is far beyond what it can be, or holds what cannot be kept. Correct it.")


def _away(request: HttpRequest, bad: Exception) -> HttpResponse:
    """Answer while the database is away, or a question to it took too long: it is worth asking again."""
    log.error("the database does not answer at %s", request.path, exc_info=bad)
    if isinstance(bad.__cause__, QueryCanceled):
        response = problem(503, "too_slow", "This takes too long at the moment. Ask for less at once, or try again in a minute.")
    else:
        response = problem(
            503, "away", "The database does not answer at the moment. What you entered is kept; it is tried again."
        )
    response["Retry-After"] = str(RETRY_S)
    return response


def _not_allowed(request: HttpRequest, bad: NotAllowed) -> HttpResponse:
    """Refuse, and write it down for the lead; what was begun is rolled back by now."""
    user = request.user
    if isinstance(user, User):
        try:
            note_refusal(actor=user, right=bad.right.name, reason=bad.reason)
        except DatabaseError:
            log.exception("a refusal could not be written down")
    return problem(403, "not_allowed", bad.reason)


def server_error(request: HttpRequest) -> HttpResponse:
    """Answer what failed before a route was reached: who asks could not be looked up, most likely."""
    bad = sys.exc_info()[1]
    if isinstance(bad, (OperationalError, InterfaceError)):
        return _away(request, bad)
    return _unexpected(request, bad if isinstance(bad, Exception) else RuntimeError("an error without a name"))


def _domain(_request: HttpRequest, bad: DomainError) -> HttpResponse:
    response = problem(_STATUS.get(bad.code, 422), bad.code, bad.message, bad.field, **bad.extra)
    if isinstance(bad, TooManyTries):
        response["Retry-After"] = str(bad.wait_s)
    return response


def _unexpected(request: HttpRequest, bad: Exception) -> HttpResponse:
    log.error("unexpected error at %s", request.path, exc_info=bad)
    return problem(
        500,
        "unexpected",
        "Something went wrong here. What you entered is kept; try again, and tell the person who runs the server.",
    )
