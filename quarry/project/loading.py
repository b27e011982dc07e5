"""Loading a process: what is loaded at its start stays for good."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def load_once() -> Iterator[None]:
    """Let the collector of garbage neither walk what is loaded while it is loaded, a quarter of a start, nor ever after."""
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()
