"""How long a search may go on: until its time is over or somebody stops it."""

from __future__ import annotations

import threading
from types import TracebackType
from typing import Self


class Patience:
    """Runs out by itself after some seconds, at once when stopped, and when it is left; callable whether it has."""

    def __init__(self, limit_s: float, stop: threading.Event | None = None) -> None:
        self._over, self._stop = threading.Event(), stop or threading.Event()
        self._clock = threading.Timer(max(0.0, limit_s), self._over.set)
        self._clock.daemon = True

    def __enter__(self) -> Self:
        self._clock.start()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, where: TracebackType | None) -> None:
        self._clock.cancel()
        self._over.set()

    def __call__(self) -> bool:
        """Return whether it has run out."""
        return self._over.is_set() or self._stop.is_set()
