"""The logs in what was dropped: one table, a gzip of one, a spreadsheet, or a zip of many; bounded, and never half read."""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import dataclass

from isal import igzip, isal_zlib

from quarry.core.base.errors import BadReading

MOST_FILES = 2000
MOST_BYTES = 400_000_000  # of one log, unpacked
_MOST_TOTAL = 2_000_000_000  # of one archive, unpacked
_MOST_SHEET = 200_000_000  # of one spreadsheet, unpacked
_LEAST_ROWS = 12  # a sheet with fewer is no log
_CHUNK = 1 << 20
_CUT_OFF: type[Exception] = isal_zlib.IsalError  # type: ignore[assignment] # its stub names an instance
_ARCHIVES = (".zip", ".7z", ".rar", ".tar", ".gz", ".tgz", ".bz2", ".xz")
_PICTURES = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".dng", ".pdf", ".mp4", ".mov", ".md", ".html", ".kml", ".gpx")


@dataclass(frozen=True, slots=True)
class Packed:
    """One log in what was dropped: its name, and its bytes once asked for."""

    name: str
    size: int
    _archive: zipfile.ZipFile | None
    _data: bytes

    @property
    def compressed(self) -> bytes | None:
        """Return it as it was dropped where that is a gzip of it alone; its bytes are then not unpacked here."""
        return self._data if self._archive is None and self._data.startswith(b"\x1f\x8b") else None

    def unpack(self) -> bytes:
        """Return its bytes.

        Raises
        ------
        BadReading
            It is cut off, damaged, protected, or larger than it says.
        """
        if self._archive is None:
            return _plain(self.name, self._data)
        try:
            with self._archive.open(self.name) as source:
                found = _bounded(source, self.name)
        except RuntimeError as bad:
            raise BadReading(f"{self.name} is protected by a password: take that off first.", "file") from bad
        except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError) as bad:
            raise BadReading(f"{self.name} is damaged in the archive: pack it again.", "file") from bad
        return _plain(self.name, found)


def logs_in(name: str, data: bytes) -> Iterator[Packed]:
    """Yield the logs in what was dropped; folders, pictures and papers are passed over, of anything else it is said what it is.

    Raises
    ------
    BadReading
        It is empty, cut off, holds archives in an archive, claims too much, or holds no table.
    """
    if not data:
        raise BadReading(f"{name} is empty: export it again.", "file")
    if not data.startswith(b"PK"):
        yield Packed(name, len(data), None, data)
        return
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except zipfile.BadZipFile as bad:
        raise BadReading(f"{name} is cut off or damaged: copy it again.", "file") from bad
    if "xl/workbook.xml" in archive.namelist():
        yield from _sheets_in(name, data, sum(i.file_size for i in archive.infolist()))
        return
    entries = [i for i in archive.infolist() if not i.is_dir() and not i.filename.rsplit("/", 1)[-1].startswith(".")]
    if any(i.filename.lower().endswith(_ARCHIVES) for i in entries):
        raise BadReading(f"{name} holds archives in an archive (nested): unpack it once first.", "file")
    tables = [i for i in entries if not i.filename.lower().endswith(_PICTURES)]
    if not tables:
        raise BadReading(f"{name} holds no table: pack the logs as CSV.", "file")
    if (
        len(tables) > MOST_FILES
        or sum(i.file_size for i in tables) > _MOST_TOTAL
        or any(i.file_size > MOST_BYTES for i in tables)
    ):
        raise BadReading(f"{name} claims more than can be: {MOST_FILES} logs of {MOST_BYTES // 10**6} MB at the most.", "file")
    for i in sorted(tables, key=lambda i: i.filename):
        yield Packed(i.filename, i.file_size, archive, b"")


def _sheets_in(name: str, data: bytes, unpacked: int) -> Iterator[Packed]:
    """Yield the sheets of a spreadsheet that may be logs, as text between tabs; each is named when there are several."""
    import fastexcel  # slow to load, and needed here alone

    if unpacked > _MOST_SHEET:
        raise BadReading(f"{name} unpacks to more than {_MOST_SHEET // 10**6} MB: too large. Export it as CSV.", "file")
    try:
        book = fastexcel.read_excel(data)
        tables = [
            (sheet, book.load_sheet(sheet, header_row=None, skip_whitespace_tail_rows=True, dtypes="string").to_polars())
            for sheet in book.sheet_names
        ]
    except fastexcel.FastExcelError as bad:
        raise BadReading(f"{name} is a damaged spreadsheet: export it again, or as CSV.", "file") from bad
    logs = [(sheet, table) for sheet, table in tables if table.height >= _LEAST_ROWS]
    if not logs:
        raise BadReading(f"{name} holds no table of samples: no data. Export the log again.", "file")
    for sheet, table in logs:
        text = table.write_csv(include_header=False, separator="\t").encode()
        yield Packed(name if len(logs) == 1 else f"{name}: {sheet}", len(text), None, text)


def _plain(name: str, data: bytes) -> bytes:
    if not data.startswith(b"\x1f\x8b"):
        return data
    try:
        with igzip.IGzipFile(fileobj=io.BytesIO(data)) as source:  # type: ignore[no-untyped-call]
            return _bounded(source, name)
    except (OSError, EOFError, _CUT_OFF) as bad:
        raise BadReading(f"{name} is cut off or damaged: copy it again.", "file") from bad


def _bounded(source: object, name: str) -> bytes:
    """Read to the end in pieces; what claims little and unpacks to more than a log can be is stopped on the way."""
    parts, total = [], 0
    while chunk := source.read(_CHUNK):  # type: ignore[attr-defined]
        total += len(chunk)
        if total > MOST_BYTES:
            raise BadReading(f"{name} unpacks to more than {MOST_BYTES // 10**6} MB: cut it into flights first.", "file")
        parts.append(chunk)
    return b"".join(parts)
