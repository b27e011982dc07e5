"""Backups: a dump with its checksum, kept for so many runs, tried out in a scratch database, and put back."""

from __future__ import annotations

import hashlib
import os
import secrets
import shutil
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from urllib.parse import unquote, urlsplit, urlunsplit

import psycopg
from psycopg import sql

from quarry.apps.dumps import Backup, backups_in
from quarry.project.cluster import ClusterError, binaries

_CHUNK = 1 << 20
_STALE_S = 24 * 3600.0  # what a backup that was killed left behind is taken away after so long
_DUMP_S, _RESTORE_S = 6 * 3600, 12 * 3600


class BackupError(Exception):
    """A backup could not be made, tried out or put back; the message says what to do."""


def back_up(url: str, folder: Path, *, keep: int, mark: str = "") -> Backup:
    """Dump a database into a folder and take away all but the newest ``keep``.

    The dump gets its name once it is whole: one that is killed leaves the earlier ones as they are.
    """
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o700)
    for left in folder.glob("*.part"):
        if time.time() - left.stat().st_mtime > _STALE_S:
            left.unlink()
    name = f"quarry-{datetime.now(UTC):%Y%m%d-%H%M%S}{f'-{mark}' if mark else ''}.dump"
    part = folder / f"{name}.{secrets.token_hex(4)}.part"
    try:
        _run("pg_dump", url, "-Fc", "--no-owner", "--no-privileges", "-f", str(part), seconds=_DUMP_S)
        with part.open("rb") as whole:
            os.fsync(whole.fileno())
        digest = digest_of(part)
        path = folder / name
        path.with_suffix(".dump.sha256").write_text(f"{digest}  {name}\n", encoding="utf-8")
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)
    for old in backups_in(folder)[max(1, keep) :]:
        old.path.unlink()
        old.path.with_suffix(".dump.sha256").unlink(missing_ok=True)
    return Backup(path, datetime.now(UTC), path.stat().st_size)


def digest_of(path: Path) -> str:
    """Return the checksum of a file."""
    digest = hashlib.sha256()
    with path.open("rb") as source:
        while chunk := source.read(_CHUNK):
            digest.update(chunk)
    return digest.hexdigest()


def check(path: Path) -> None:
    """Refuse a backup whose bytes are not those that were written."""
    if not path.exists():
        raise BackupError(f"There is no backup {path}.")
    kept = path.with_suffix(".dump.sha256")
    if not kept.exists():
        raise BackupError(f"{path.name} has no checksum beside it ({kept.name}): it was not finished, or was moved without it.")
    if kept.read_text(encoding="utf-8").split()[0] != digest_of(path):
        raise BackupError(f"{path.name} is damaged: its bytes are not those that were written. Take an earlier backup.")


def try_out(url: str, path: Path) -> dict[str, int]:
    """Restore a backup into a scratch database and return how many rows each of its tables has; the scratch is dropped."""
    check(path)
    with scratch(url) as other:
        _restore_into(other, path)
        return rows_of(other)


def put_back(url: str, path: Path, *, replace: bool) -> dict[str, int]:
    """Restore a backup, whole or not at all; returns the rows of its tables.

    A database that holds something is replaced only if asked: what it held goes with it.
    """
    check(path)
    if tables_of(url) and not replace:
        raise BackupError("The database holds tables already. Restore into an empty one, or say --replace.")
    try_out(url, path)
    if replace:
        with psycopg.connect(url, autocommit=True) as link:
            link.execute("DROP SCHEMA public CASCADE")
            link.execute("CREATE SCHEMA public")
    _restore_into(url, path)
    return rows_of(url)


@contextmanager
def scratch(url: str) -> Iterator[str]:
    """Give the address of an empty database beside another, and drop it at the end."""
    name = f"quarry_scratch_{secrets.token_hex(6)}"
    try:
        with psycopg.connect(url, autocommit=True) as link:
            link.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(name)))
    except psycopg.errors.InsufficientPrivilege as bad:
        raise BackupError(
            "A backup is tried out in a database of its own before it is used, and this role may make none. "
            "As the database's administrator: ALTER ROLE … CREATEDB."
        ) from bad
    parts = urlsplit(url)
    try:
        yield urlunsplit(parts._replace(path=f"/{name}"))
    finally:
        with psycopg.connect(url, autocommit=True) as link:
            link.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name)))


def tables_of(url: str) -> list[str]:
    """Return the tables of a database."""
    with psycopg.connect(url) as link:
        rows = link.execute("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1").fetchall()
    return [str(name) for (name,) in rows]


def rows_of(url: str) -> dict[str, int]:
    """Return how many rows each table has."""
    found = {}
    with psycopg.connect(url) as link:
        for name in tables_of(url):
            row = link.execute(sql.SQL("SELECT count(*) FROM {}").format(sql.Identifier(name))).fetchone()
            found[name] = int(row[0]) if row else 0
    return found


def _restore_into(url: str, path: Path) -> None:
    args = ("--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction", "-d", _name_of(url), str(path))
    _run("pg_restore", url, *args, seconds=_RESTORE_S)


def _name_of(url: str) -> str:
    return urlsplit(url).path.lstrip("/")


def _run(program: str, url: str, *args: str, seconds: int) -> None:
    parts = urlsplit(url)
    env = {
        **os.environ,
        "PGHOST": parts.hostname or "127.0.0.1",
        "PGPORT": str(parts.port or 5432),
        "PGUSER": unquote(parts.username or ""),
        "PGPASSWORD": unquote(parts.password or ""),
        "PGDATABASE": _name_of(url),
    }
    done = subprocess.run([_program(program), *args], env=env, capture_output=True, text=True, timeout=seconds, check=False)
    if done.returncode != 0:
        raise BackupError(f"{program} failed: {done.stderr.strip()[-600:]}")


def _program(name: str) -> str:
    try:
        found = binaries() / name
    except ClusterError:
        found = None
    if found is not None and found.exists():
        return str(found)
    there = shutil.which(name)
    if there is None:
        raise BackupError(f"{name} is not installed. Run: apt-get install -y --no-install-recommends postgresql-client")
    return there
