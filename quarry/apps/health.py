"""Whether all stands as it should: the database, its tables, the queue, the disk, the backup; for balancers, leads and the command line."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from importlib import metadata
from pathlib import Path

import psycopg
from django.conf import settings
from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor

from quarry.apps.background import waiting
from quarry.apps.dumps import backups_in

_LEAST_FREE_BYTES = 1_000_000_000
_LATE_JOB_S = 900.0
_ALIVE_S = 60.0
_OLD_BACKUP_S = 26 * 3600.0
_CONNECT_S = 3
_LINK = {"host": "HOST", "port": "PORT", "user": "USER", "password": "PASSWORD", "dbname": "NAME"}
_LOOK = "Look at QUARRY_DATABASE_URL and at the database server."


@dataclass(frozen=True, slots=True)
class Check:
    """One thing that was looked at: whether it stands, what was found, and what to do where it does not."""

    name: str
    ok: bool
    found: str
    mend: str = ""


def ready_checks() -> list[Check]:
    """Return what has to stand before requests can be taken."""
    return _looked_at(READY)


def all_checks() -> list[Check]:
    """Return everything that is looked at, for the command line and the lead."""
    return _looked_at(READY | MORE)


def version() -> str:
    """Return the version of this program."""
    return metadata.version("gentle-quarry")


def _looked_at(what: dict[str, Callable[[], Check]]) -> list[Check]:
    """Return what was found; without a database nothing is asked of it."""
    first = database()
    checks = [first]
    for name, look in what.items():
        if name == "database" or (not first.ok and name in OF_DATABASE):
            continue
        try:
            checks.append(look())
        except DatabaseError as bad:
            checks.append(Check(name, ok=False, found=_line(bad), mend=_LOOK))
    return checks


def _line(bad: Exception) -> str:
    return (str(bad).strip() or type(bad).__name__).split("\n")[0][:200]


def link_address() -> str:
    """Return where the database is, past a pooler, for a link that is not Django's."""
    if settings.DIRECT_URL:
        return str(settings.DIRECT_URL)
    of = connection.settings_dict
    return psycopg.conninfo.make_conninfo(**{ours: str(of[theirs]) for ours, theirs in _LINK.items() if of[theirs]})


def database() -> Check:
    """Look whether the database answers, by a link of its own that waits for seconds only."""
    try:
        with psycopg.connect(link_address(), connect_timeout=_CONNECT_S) as link:
            row = link.execute("SHOW server_version").fetchone()
    except psycopg.Error as bad:
        return Check("database", ok=False, found=_line(bad), mend=_LOOK)
    return Check("database", ok=True, found=f"PostgreSQL {row[0] if row else ''}".strip())


def migrations() -> Check:
    """Look whether the tables are those of this program: neither older nor newer."""
    ahead, behind = unknown_migrations(), pending_migrations()
    if ahead:
        words = f"{len(ahead)} migrations are of a newer program, such as {ahead[0]}"
        return Check(
            "migrations", ok=False, found=words, mend="Install the newer program again, or restore the backup from before."
        )
    if behind:
        return Check("migrations", ok=False, found=f"{len(behind)} are missing, such as {behind[0]}", mend="Run: quarry migrate")
    return Check("migrations", ok=True, found="all applied")


def pending_migrations() -> list[str]:
    """Return the migrations that this program has and the database does not."""
    executor = MigrationExecutor(connection)
    plan = executor.migration_plan(executor.loader.graph.leaf_nodes())
    return [f"{m.app_label}.{m.name}" for m, _ in plan]


def unknown_migrations() -> list[str]:
    """Return the migrations that the database has and this program does not: it is of a newer one."""
    loader = MigrationExecutor(connection).loader
    known, apps = set(loader.disk_migrations or ()), loader.migrated_apps
    return sorted(f"{app}.{name}" for app, name in loader.applied_migrations if app in apps and (app, name) not in known)


def queue() -> Check:
    """Look whether work on the queue is taken up."""
    jobs = waiting()
    oldest_s = max((w.oldest_s for w in jobs), default=0.0)
    with connection.cursor() as cursor:
        alive = "SELECT count(*) FROM procrastinate_workers WHERE last_heartbeat > now() - make_interval(secs => %s)"
        cursor.execute(alive, [_ALIVE_S])
        (workers,) = cursor.fetchone() or (0,)
    found = f"{sum(w.count for w in jobs)} waiting, the oldest for {oldest_s:.0f} s; {workers} workers"
    return Check("queue", ok=oldest_s < _LATE_JOB_S, found=found, mend="Start a worker: quarry worker")


def disk() -> Check:
    """Look whether there is room where this process may write."""
    free = shutil.disk_usage(os.environ.get("QUARRY_STATE") or Path.cwd()).free
    return Check("disk", ok=free > _LEAST_FREE_BYTES, found=f"{free / 1e9:.1f} GB free", mend="Make room on this machine.")


def secret_key() -> Check:
    """Look whether sessions are signed with a key that lasts."""
    there = len(os.environ.get("QUARRY_SECRET_KEY", "")) >= 40
    return Check(
        "secret key", ok=there, found="is set" if there else "is not set", mend="Set QUARRY_SECRET_KEY to 40 characters or more."
    )


def front_end() -> Check:
    """Look whether the screens are built."""
    there = (settings.BUILD / "index.html").exists()
    return Check("screens", ok=there, found="built" if there else "not built", mend="Run: make setup, or install the package.")


def backup() -> Check:
    """Look whether there is a backup of the last day."""
    folder = os.environ.get("QUARRY_BACKUPS", "")
    newest = backups_in(Path(folder))[:1] if folder else []
    if not newest:
        return Check(
            "backup", ok=False, found="none found", mend="Set QUARRY_BACKUPS to a folder and run each day: quarry backup"
        )
    age_s = (datetime.now(UTC) - newest[0].made_at).total_seconds()
    words = f"{newest[0].path.name}, {newest[0].size / 1e6:.1f} MB, {age_s / 3600:.0f} h old"
    return Check("backup", ok=age_s < _OLD_BACKUP_S, found=words, mend="Run each day: quarry backup")


OF_DATABASE = ("migrations", "queue")
READY: dict[str, Callable[[], Check]] = {"database": database, "migrations": migrations, "queue": queue, "disk": disk}
MORE: dict[str, Callable[[], Check]] = {"secret key": secret_key, "screens": front_end, "backup": backup}
