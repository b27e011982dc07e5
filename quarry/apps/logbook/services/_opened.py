"""A log that was dropped or is kept, opened: a small one here, a large one in a process apart."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import partial
from typing import Any

from isal import igzip

from quarry.apps.bounded import BoundedReader
from quarry.apps.logbook import mappers

SMALL_BYTES = 2_000_000  # what is smaller is read in seconds whatever is in it: reading is linear
_READER = "quarry.apps.logbook.formats.logs"
_READER_MB, _READER_THREADS = 4000, 2
_READ_S = 120.0  # one log is read no longer than this


def reader_apart() -> BoundedReader:
    """Return a process for reading logs; it starts when it is first needed."""
    return BoundedReader(memory_mb=_READER_MB, threads=_READER_THREADS)


class Opened:
    """A log that is being imported: the bytes that are kept of it, its digest and size, its head, and how it is read on.

    A small one is read here; a large one, which may be tangled on purpose, in a process apart.
    """

    def __init__(self, packed: mappers.Packed, apart: BoundedReader, *, large: bool = True) -> None:
        """Open it; ``large``: one of which only the compressed size is known is taken for large."""
        self._apart: BoundedReader | None = None
        if packed.compressed is not None and large:
            self._open_apart(packed.name, packed.compressed, apart)
            return
        self._data = packed.unpack()
        kept = igzip.compress(self._data, 1)
        if len(self._data) > SMALL_BYTES:
            self._open_apart(packed.name, kept, apart)
            return
        self.kept, self.size, self.digest = kept, len(self._data), hashlib.sha256(self._data).hexdigest()
        self.looked = mappers.look_of(self._data, {})

    def _open_apart(self, name: str, kept: bytes, apart: BoundedReader) -> None:
        self._apart, self.kept = apart, kept
        opened = apart.call(f"{_READER}:open_kept", name, kept, seconds=_READ_S)
        self.digest, self.size, self.looked = opened.digest, opened.size, opened.looked

    def look(self, columns: mappers.Columns) -> mappers.Looked:
        """Return its head with what people have said of its columns."""
        if self._apart is None:
            return mappers.look_of(self._data, columns)
        found: mappers.Looked = self._apart.call(f"{_READER}:look_of_open", self.digest, columns, seconds=_READ_S)
        return found

    @property
    def read(self) -> Callable[[mappers.Columns, str, bool], mappers.Found]:
        """Return what reads its flights."""
        if self._apart is None:
            return partial(mappers.flights_of, self._data)
        call: Callable[..., Any] = partial(self._apart.call, seconds=_READ_S)
        return partial(call, f"{_READER}:flights_of_open", self.digest)
