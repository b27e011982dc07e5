"""What the processes write about themselves: plain lines, or one JSON object a line, each with its request and company.

No line holds a name of a person, an address or what somebody entered: a company stands there by its key, a query without its values.
"""

from __future__ import annotations

import json
import logging
import re
import secrets
import time
from collections.abc import Callable
from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Any

from django.db import connection
from django.http import HttpRequest, HttpResponse

SLOW_S = 1.0
_SANE = re.compile(r"[A-Za-z0-9._-]{6,64}")
_request: ContextVar[str] = ContextVar("request", default="")
_company: ContextVar[str] = ContextVar("company", default="")
log = logging.getLogger("quarry.slow")


class JsonLine(logging.Formatter):
    """One JSON object a line."""

    def format(self, record: logging.LogRecord) -> str:
        """Return a record as a line."""
        line: dict[str, Any] = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "where": record.name,
            "message": record.getMessage(),
        }
        line |= {name: value for name, value in (("request", _request.get()), ("company", _company.get())) if value}
        if record.exc_info:
            line["trace"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False, default=str)


def of_company(key: str) -> None:
    """Say of which company the request is that runs."""
    _company.set(key)


class TracedRequests:
    """Gives each request a name, which its answer and its lines in the log bear, and tells of slow queries."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer under a name: the one that a proxy gave where it is sane, else a new one."""
        given = request.headers.get("X-Request-ID", "")
        name = given if _SANE.fullmatch(given) else secrets.token_hex(8)
        _request.set(name)
        _company.set("")
        with connection.execute_wrapper(_timed):
            response = self.get_response(request)
        response["X-Request-ID"] = name
        return response


def _timed(execute: Callable[..., Any], query: str, params: Any, many: bool, context: Any) -> Any:
    began = time.perf_counter()
    try:
        return execute(query, params, many, context)
    finally:
        took_s = time.perf_counter() - began
        if took_s > SLOW_S:
            log.warning("a query took %.1f s: %s", took_s, query[:400])
