"""Photos of strangers made small in a process of its own, one or all of a file."""

from __future__ import annotations

from collections.abc import Sequence

from django.conf import settings

from quarry.apps.accounts.errors import DomainError
from quarry.apps.bounded import BoundedReader, ReadingStopped, read_bounded
from quarry.apps.care.formats.photo import PhotoError
from quarry.apps.links import give_back_link

_READ = "quarry.apps.care.formats.photo:read_photo"
_READ_S, _MEMORY_MB = 20.0, 1200


def small_photo(data: bytes) -> bytes:
    """Return a photo as it is kept: a small JPEG, without where and by what it was taken.

    Raises
    ------
    DomainError
        It is too large, or no photo that can be read.
    """
    if len(data) > settings.PHOTO_MOST_BYTES:
        most = settings.PHOTO_MOST_BYTES // 1_000_000
        raise DomainError("too_large", f"The photo is larger than {most} MB. Take it at a lower resolution.", "file")
    try:
        give_back_link()
        return bytes(read_bounded(_READ, data, seconds=_READ_S, memory_mb=_MEMORY_MB))
    except (PhotoError, ReadingStopped) as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def small_photos(every: Sequence[bytes]) -> list[bytes | None]:
    """Return photos of a file as they are kept; None where one cannot be read."""
    found: list[bytes | None] = []
    with BoundedReader(memory_mb=_MEMORY_MB) as reader:
        for data in every:
            try:
                found.append(bytes(reader.call(_READ, data, seconds=_READ_S)))
            except (PhotoError, ReadingStopped):
                found.append(None)
    return found
