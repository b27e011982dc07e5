"""Backups that were finished, as they lie in a folder; opens no database."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path


@dataclass(frozen=True, slots=True)
class Backup:
    """A dump that was finished: its file, when it was made, and its size."""

    path: Path
    made_at: datetime
    size: int


def backups_in(folder: Path) -> list[Backup]:
    """Return the finished backups of a folder, newest first."""
    found = []
    for path in folder.glob("quarry-*.dump"):
        if path.with_suffix(".dump.sha256").exists():
            about = path.stat()
            found.append(Backup(path, datetime.fromtimestamp(about.st_mtime, UTC), about.st_size))
    return sorted(found, key=lambda b: b.path.name, reverse=True)
