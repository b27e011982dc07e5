"""Reading what strangers made in a process of its own, with a bound in time and memory.

What a file does to its reader stays there: a reader that does not end, takes too much memory or dies is
stopped, and the caller learns which of these it was. Answers and refusals come back as they were raised.
"""

from __future__ import annotations

import importlib
import os
import resource
import subprocess
import sys
from contextlib import suppress
from multiprocessing.connection import Connection
from multiprocessing.connection import Pipe as pipe
from types import TracebackType
from typing import Any

MEMORY_MB = 1500
SECONDS = 20.0
_STARTS_S = 30.0
_THREADS_OF = ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "POLARS_MAX_THREADS")


class ReadingStopped(ValueError):
    """A reader was stopped. ``message`` says why and what to do."""

    code = "too_much"
    field = "file"

    def __init__(self, message: str) -> None:
        super().__init__(message)
        self.message = message


class BoundedReader:
    """A process that calls functions, named as ``package.module:function``; started when first needed, ended on leaving.

    The functions stand in modules that open no model: nothing is set up there for the database.

    After a stop the next call starts a fresh process.
    """

    def __init__(self, *, memory_mb: int = MEMORY_MB, threads: int = 1) -> None:
        self._memory_mb, self._threads = memory_mb, threads
        self._process: subprocess.Popen[bytes] | None = None
        self._ours: Connection | None = None

    def __enter__(self) -> BoundedReader:
        return self

    def __exit__(self, _kind: type[BaseException] | None, _bad: BaseException | None, _trace: TracebackType | None) -> None:
        self._end()

    def call(self, function: str, *args: Any, seconds: float = SECONDS) -> Any:
        """Return what the function returns, or raise what it raises.

        Raises
        ------
        ReadingStopped
            It took longer than ``seconds``, more memory than allowed, or its process died.
        """
        ours = self._ours or self._start()
        try:
            ours.send((function, args))
            if not ours.poll(seconds):
                self._end()
                raise ReadingStopped(
                    f"Reading this file was stopped after {seconds:.0f} s: it is far more tangled than a file of this kind. "
                    "Simplify it, or split it, and try again."
                )
            kind, answer = ours.recv()
        except (EOFError, OSError) as gone:
            self._end()
            raise ReadingStopped(_DIED) from gone
        if kind == "memory":
            self._end()
            raise ReadingStopped(f"Reading this file needs more than {self._memory_mb} MB of memory. Split it, and try again.")
        if kind == "raised":
            raise answer
        return answer

    def _start(self) -> Connection:
        ours, theirs = pipe()
        env = os.environ | dict.fromkeys(_THREADS_OF, "1") | {"POLARS_MAX_THREADS": str(self._threads)}
        command = [sys.executable, "-m", "quarry.apps.bounded", str(theirs.fileno()), str(self._memory_mb)]
        self._process = subprocess.Popen(  # noqa: S603 - our own module under our own interpreter
            command, pass_fds=[theirs.fileno()], env=env, stdin=subprocess.DEVNULL
        )
        theirs.close()
        self._ours = ours
        if not ours.poll(_STARTS_S) or not ours.recv():
            self._end()
            raise ReadingStopped("The reader of files did not start. Try again in a minute.")
        return ours

    def _end(self) -> None:
        if self._ours is not None:
            self._ours.close()
        if self._process is not None:
            self._process.kill()
            self._process.wait()
        self._process = self._ours = None


_DIED = "Reading this file broke its reader off: it is damaged or made to do harm. Export it again."


def read_bounded(function: str, *args: Any, seconds: float = SECONDS, memory_mb: int = MEMORY_MB) -> Any:
    """Call one function in a process of its own; see `BoundedReader.call`."""
    with BoundedReader(memory_mb=memory_mb) as reader:
        return reader.call(function, *args, seconds=seconds)


def _serve(theirs: Connection, memory_mb: int) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (memory_mb * 1_000_000, memory_mb * 1_000_000))
    theirs.send(True)
    while True:
        try:
            function, args = theirs.recv()
        except EOFError:
            return
        try:
            module, name = function.split(":")
            answer: tuple[str, Any] = ("done", getattr(importlib.import_module(module), name)(*args))
        except MemoryError:
            answer = ("memory", None)
        except Exception as bad:
            answer = ("raised", bad)
        theirs.send(answer)


if __name__ == "__main__":
    with suppress(KeyboardInterrupt, BrokenPipeError):
        _serve(Connection(int(sys.argv[1])), int(sys.argv[2]))
