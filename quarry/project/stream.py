"""Server-sent events: every browser hears which days have changed, through one listener for each process.

The notice carries a revision alone; the screen then asks for the day. So nothing is sent that the asker might not see.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator

import psycopg
from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import connection
from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse

from quarry.api.errors import nothing_here
from quarry.apps.day.services.tell_screens import CHANNEL
from quarry.project.metrics import STREAMS

_PING_S = 15.0
_AGAIN_S = 1.0


class Ear:
    """What one browser has yet to be told: days with their newest revision, or that everything may have changed."""

    def __init__(self) -> None:
        self.event = asyncio.Event()
        self.days: dict[str, int] = {}
        self.all = False

    def take(self) -> str:
        """Return the notices that wait, as they are sent."""
        self.event.clear()
        text = "event: all\ndata: 0\n\n" if self.all else ""
        text += "".join(f"event: day\ndata: {day}:{revision}\n\n" for day, revision in self.days.items())
        self.days, self.all = {}, False
        return text


class Listener:
    """Listens for changed days once for this process, and tells the browsers of their organisation."""

    def __init__(self) -> None:
        self._ears: dict[str, set[Ear]] = {}
        self._task: asyncio.Task[None] | None = None

    async def _listen(self) -> None:
        while self._ears:
            try:
                async with await psycopg.AsyncConnection.connect(_address(), autocommit=True) as link:
                    await link.execute(f"LISTEN {CHANNEL}")
                    # What was missed while nobody listened: every screen asks anew.
                    self._wake_all()
                    while self._ears:
                        async for notice in link.notifies(timeout=_PING_S):
                            organisation, day, revision = notice.payload.split(":")
                            for ear in self._ears.get(organisation, ()):
                                ear.days[day] = int(revision)
                                ear.event.set()
            except (psycopg.Error, OSError):
                await asyncio.sleep(_AGAIN_S)

    def _wake_all(self) -> None:
        for ear in (e for ears in self._ears.values() for e in ears):
            ear.all = True
            ear.event.set()

    @contextlib.asynccontextmanager
    async def hearing(self, organisation: str) -> AsyncIterator[Ear]:
        """Give an ear that hears whenever a day of the organisation has changed."""
        ear = Ear()
        # What was missed while this browser had no link: its screens ask anew.
        ear.all = True
        ear.event.set()
        self._ears.setdefault(organisation, set()).add(ear)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._listen())
        STREAMS.inc()
        try:
            yield ear
        finally:
            STREAMS.dec()
            self._ears[organisation].discard(ear)
            if not self._ears[organisation]:
                del self._ears[organisation]


def _address() -> str:
    d = {k: str(v) for k, v in settings.DATABASES["default"].items() if v}
    return psycopg.conninfo.make_conninfo(
        host=d.get("HOST"), port=d.get("PORT"), user=d.get("USER"), password=d.get("PASSWORD"), dbname=d.get("NAME")
    )


LISTENER = Listener()


def _organisation_of(request: HttpRequest) -> str | None:
    """Return whose days the asker may hear of; the link to the database goes back to the pool, however long the stream lasts."""
    try:
        user = request.user
        return str(user.organisation_id) if user.is_authenticated else None
    finally:
        connection.close()


async def notice_stream(request: HttpRequest) -> HttpResponseBase:
    """Stream a notice whenever a day of the asker's organisation changes, and a sign of life in between."""
    if request.method != "GET":
        return HttpResponse(status=405)
    organisation = await sync_to_async(_organisation_of)(request)
    if organisation is None:
        return nothing_here(request)
    return StreamingHttpResponse(
        _notices(organisation),
        content_type="text/event-stream",
        headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
    )


async def _notices(organisation: str) -> AsyncIterator[str]:
    async with LISTENER.hearing(organisation) as ear:
        yield "retry: 1500\n\n"
        while True:
            try:
                await asyncio.wait_for(ear.event.wait(), timeout=_PING_S)
                yield ear.take()
            except TimeoutError:
                yield ": here\n\n"
