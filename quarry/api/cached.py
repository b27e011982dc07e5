"""The answer that every open screen of a running day asks for at once, worked out once and kept for a moment."""

from __future__ import annotations

import time
from uuid import UUID

from django.http import HttpResponse

from quarry.api.schemas.live import LiveAnswer
from quarry.apps.day import queries

_KEEP_S = 1.0
_SLOW = 5.0  # a rehearsal that runs faster than this is never kept: its clock would stand on the screens
_kept: dict[UUID, tuple[str, float, bytes]] = {}


def cached_answer(day_id: UUID) -> HttpResponse:
    """Return a running day as it stands, at most a second old; whose day it is, is asked each time."""
    mark = queries.run_mark(day_id)
    if mark is None:
        return _answer(LiveAnswer(live=None).model_dump_json().encode())
    state, speed = mark
    now = time.monotonic()
    there = _kept.get(day_id)
    if there is not None and there[0] == state and now - there[1] < _KEEP_S and speed <= _SLOW:
        return _answer(there[2])
    view = queries.live_of(queries.day_of(day_id))
    body = LiveAnswer(live=view).model_dump_json().encode()
    _kept[day_id] = (state, now, body)
    for old in [k for k, v in _kept.items() if now - v[1] > _KEEP_S]:
        del _kept[old]
    return _answer(body)


def _answer(body: bytes) -> HttpResponse:
    return HttpResponse(body, content_type="application/json; charset=utf-8")
