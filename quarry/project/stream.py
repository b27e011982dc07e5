"""Server-sent events: every open screen of a day hears that it has changed, through one listener for each process.

The notice carries a revision alone; the screen then asks for the day. So nothing is sent that the asker might not see.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator
from uuid import UUID

import psycopg
from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import connection
from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django_scopes import scope

from quarry.api.errors import nothing_here
from quarry.apps.day.models import Day
from quarry.apps.day.running import CHANNEL

_PING_S = 15.0
_AGAIN_S = 1.0


class Listener:
    """Listens for changed days once for this process, and wakes the screens that are open on them."""

    def __init__(self) -> None:
        self._waiting: dict[str, set[asyncio.Event]] = {}
        self._newest: dict[str, int] = {}
        self._task: asyncio.Task[None] | None = None

    async def _listen(self) -> None:
        while self._waiting:
            try:
                async with await psycopg.AsyncConnection.connect(_address(), autocommit=True) as link:
                    await link.execute(f"LISTEN {CHANNEL}")
                    # What was missed while nobody listened: every screen asks anew.
                    self._wake_all()
                    while self._waiting:
                        async for notice in link.notifies(timeout=_PING_S):
                            day, _, revision = notice.payload.partition(":")
                            self._newest[day] = int(revision or 0)
                            for event in self._waiting.get(day, ()):
                                event.set()
            except (psycopg.Error, OSError):
                await asyncio.sleep(_AGAIN_S)

    def _wake_all(self) -> None:
        for events in self._waiting.values():
            for event in events:
                event.set()

    @contextlib.asynccontextmanager
    async def waiting(self, day: str) -> AsyncIterator[asyncio.Event]:
        """Give an event that is set whenever the day has changed."""
        event = asyncio.Event()
        self._waiting.setdefault(day, set()).add(event)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._listen())
        try:
            yield event
        finally:
            self._waiting[day].discard(event)
            if not self._waiting[day]:
                del self._waiting[day]

    def revision(self, day: str) -> int:
        """Return the newest revision heard of."""
        return self._newest.get(day, 0)


def _address() -> str:
    d = settings.DATABASES["default"]
    return psycopg.conninfo.make_conninfo(
        host=d["HOST"], port=str(d["PORT"] or ""), user=d["USER"], password=d["PASSWORD"] or None, dbname=d["NAME"]
    )


LISTENER = Listener()


def _may_see(request: HttpRequest, day_id: UUID) -> bool:
    """Return whether the day is the asker's; the link to the database goes back to the pool, however long the stream lasts."""
    try:
        user = request.user
        if not user.is_authenticated:
            return False
        with scope(organisation=user.organisation):
            return Day.objects.filter(pk=day_id).exists()
    finally:
        connection.close()


async def day_stream(request: HttpRequest, day_id: UUID) -> HttpResponseBase:
    """Stream a notice whenever a day changes, and a sign of life in between."""
    if request.method != "GET":
        return HttpResponse(status=405)
    if not await sync_to_async(_may_see)(request, day_id):
        return nothing_here(request)
    return StreamingHttpResponse(
        _notices(str(day_id)), content_type="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    )


async def _notices(day: str) -> AsyncIterator[str]:
    async with LISTENER.waiting(day) as event:
        yield "retry: 1500\n\n"
        while True:
            try:
                await asyncio.wait_for(event.wait(), timeout=_PING_S)
                event.clear()
                yield f"event: day\ndata: {LISTENER.revision(day)}\n\n"
            except TimeoutError:
                yield ": here\n\n"
