"""Server-sent events: every browser hears which days have changed, through one listener for each process.

The notice carries a revision alone; the screen then asks for the day. So nothing is sent that the asker might not see.
A stream ends when its session does: at once where rights were taken, within a minute where the session ran out.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator
from dataclasses import dataclass

import psycopg
from asgiref.sync import sync_to_async
from django.contrib.auth import HASH_SESSION_KEY, SESSION_KEY
from django.contrib.sessions.backends.db import SessionStore
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.utils.crypto import constant_time_compare

from quarry.api.errors import nothing_here
from quarry.apps import health
from quarry.apps.accounts.models import User
from quarry.apps.accounts.services import RIGHTS_CHANNEL
from quarry.apps.day.services.tell_screens import CHANNEL
from quarry.project.metrics import STREAMS

_PING_S = 15.0
_AGAIN_S = 1.0
_LOOK_S = 60.0


class Ear:
    """What one browser has yet to be told: days with their newest revision, or that everything may have changed."""

    def __init__(self, person: int) -> None:
        self.person = person
        self.event = asyncio.Event()
        self.days: dict[str, int] = {}
        self.all = False
        self.doubted = False

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
                async with await psycopg.AsyncConnection.connect(health.link_address(), autocommit=True) as link:
                    await link.execute(f"LISTEN {CHANNEL}")
                    await link.execute(f"LISTEN {RIGHTS_CHANNEL}")
                    # What was missed while nobody listened: every screen asks anew.
                    self._wake_all()
                    while self._ears:
                        async for notice in link.notifies(timeout=_PING_S):
                            if notice.channel == RIGHTS_CHANNEL:
                                self._doubt(int(notice.payload))
                                continue
                            organisation, day, revision = notice.payload.split(":")
                            for ear in self._ears.get(organisation, ()):
                                ear.days[day] = int(revision)
                                ear.event.set()
            except (psycopg.Error, OSError):
                await asyncio.sleep(_AGAIN_S)

    def _wake_all(self) -> None:
        for ear in (e for ears in self._ears.values() for e in ears):
            ear.all = ear.doubted = True
            ear.event.set()

    def _doubt(self, person: int) -> None:
        for ear in (e for ears in self._ears.values() for e in ears if e.person == person):
            ear.doubted = True
            ear.event.set()

    @contextlib.asynccontextmanager
    async def hearing(self, organisation: str, person: int) -> AsyncIterator[Ear]:
        """Give an ear that hears whenever a day of the organisation has changed, or the rights of the person."""
        ear = Ear(person)
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


LISTENER = Listener()


@dataclass(frozen=True, slots=True)
class _Asker:
    organisation: str
    person: int
    session: str


def _asker(request: HttpRequest) -> _Asker | None:
    """Return whose days the asker may hear of; the link to the database goes back to the pool, however long the stream lasts."""
    try:
        user = request.user
        if not user.is_authenticated or user.first_password:
            return None
        return _Asker(str(user.organisation_id), user.pk, request.session.session_key or "")
    finally:
        connection.close()


def _still_signed_in(asker: _Asker) -> bool:
    """Tell whether a session is good yet: neither ended nor run out, its person with access."""
    try:
        kept = SessionStore(asker.session).load()
        user = User.objects.filter(pk=asker.person, is_active=True).first()
        return (
            user is not None
            and str(kept.get(SESSION_KEY)) == str(user.pk)
            and constant_time_compare(str(kept.get(HASH_SESSION_KEY, "")), user.get_session_auth_hash())
        )
    finally:
        connection.close()


async def notice_stream(request: HttpRequest) -> HttpResponseBase:
    """Stream a notice whenever a day of the asker's organisation changes, and a sign of life in between."""
    if request.method != "GET":
        return HttpResponse(status=405)
    asker = await sync_to_async(_asker)(request)
    if asker is None:
        return nothing_here(request)
    return StreamingHttpResponse(
        _notices(asker),
        content_type="text/event-stream",
        headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
    )


async def _notices(asker: _Asker) -> AsyncIterator[str]:
    loop = asyncio.get_running_loop()
    async with LISTENER.hearing(asker.organisation, asker.person) as ear:
        yield "retry: 1500\n\n"
        looked = loop.time()
        while True:
            words = ": here\n\n"
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(ear.event.wait(), timeout=_PING_S)
                words = ""
            if ear.doubted or loop.time() - looked > _LOOK_S:
                ear.doubted, looked = False, loop.time()
                if not await _good(asker):
                    yield "event: over\ndata: 0\n\n"
                    return
            yield words or ear.take()


async def _good(asker: _Asker) -> bool:
    try:
        return await sync_to_async(_still_signed_in)(asker)
    except DatabaseError:
        return True  # away for a moment: it is asked again
