"""A bound on what is sent to the server, kept while it streams: no request fills the disk or the memory."""

from __future__ import annotations

import json
import re
from typing import TYPE_CHECKING

from django.conf import settings

if TYPE_CHECKING:
    from asgiref.typing import ASGI3Application, ASGIReceiveCallable, ASGIReceiveEvent, ASGISendCallable, ASGISendEvent, Scope

_SMALL = 64_000  # who is nobody yet sends a name and a password
_SLACK = 200_000  # what a form adds around a file


class _TooLarge(Exception):
    """More came than the address takes."""


class BoundedBodies:
    """Answers 413 as soon as a request says or sends more than its address takes; nothing is read on."""

    def __init__(self, app: ASGI3Application) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: ASGIReceiveCallable, send: ASGISendCallable) -> None:
        """Pass a request on, counting what it sends."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = dict(scope["headers"])
        most = most_bytes(scope["path"], known=b"cookie" in headers or b"authorization" in headers)
        length = headers.get(b"content-length", b"0")
        if not length.isdigit() or int(length) > most:
            await _refuse(send, most)
            return
        seen, answered = 0, False

        async def counted() -> ASGIReceiveEvent:
            nonlocal seen
            message = await receive()
            if message["type"] == "http.request":
                seen += len(message.get("body", b""))
                if seen > most:
                    raise _TooLarge
            return message

        async def noted(message: ASGISendEvent) -> None:
            nonlocal answered
            answered = True
            await send(message)

        try:
            await self.app(scope, counted, noted)
        except _TooLarge:
            if not answered:
                await _refuse(send, most)


def most_bytes(path: str, *, known: bool) -> int:
    """Return how much an address takes; ``known``: whether the sender shows a session or a token at all."""
    if not known or path == "/api/session":
        return _SMALL
    for where, most in (
        (r"/api/jobs/boundary", settings.UPLOAD_MOST_BYTES),
        (r"/api/searches/handover", settings.HANDOVER_MOST_BYTES),
        (r"/api/terrains|/api/packs/tables(/.*)?", settings.TABLE_MOST_BYTES),
        (r"/api/logbook/imports", settings.LOG_MOST_BYTES),
        (r"/api/imagery", settings.IMAGERY_MOST_BYTES),
        (r"/api/(packs|searches)/[^/]+/photos", settings.PHOTO_MOST_BYTES),
    ):
        if re.fullmatch(where, path):
            return most + _SLACK
    return settings.BODY_MOST_BYTES


async def _refuse(send: ASGISendCallable, most: int) -> None:
    said = f"{most / 1e6:.0f} MB" if most >= 1e6 else f"{most // 1000} kB"
    body = {
        "type": "about:blank#too_large",
        "title": "too large",
        "status": 413,
        "code": "too_large",
        "detail": f"This is more than {said}, which is the most that can be sent here at once. Send less, or split it.",
        "field": "file",
    }
    headers = [(b"content-type", b"application/problem+json")]
    await send({"type": "http.response.start", "status": 413, "headers": headers, "trailers": False})
    await send({"type": "http.response.body", "body": json.dumps(body).encode(), "more_body": False})
