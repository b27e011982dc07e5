"""Two roles of the database: one owns the tables, the other is the program's. The program cannot take the guard off its history."""

from __future__ import annotations

from urllib.parse import unquote, urlsplit

import psycopg
from psycopg import sql

HISTORY = ("accounts_historyentry", "care_packrecord", "day_dayevent")


def role_of(url: str) -> str:
    """Return the role that an address signs in as."""
    return unquote(urlsplit(url).username or "")


def let_use(owner: str, role: str) -> None:
    """Let a role use all that the owner has made: read and write rows, but own no table, empty none and change none."""
    name = sql.Identifier(role)
    with psycopg.connect(owner) as link:
        for words in (
            "GRANT USAGE ON SCHEMA public TO {}",
            "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO {}",
            "GRANT USAGE, SELECT ON ALL SEQUENCES IN SCHEMA public TO {}",
            "GRANT EXECUTE ON ALL FUNCTIONS IN SCHEMA public TO {}",
        ):
            link.execute(sql.SQL(words).format(name))


def owns_history(url: str) -> bool:
    """Tell whether the role of an address owns a table that history rests on."""
    with psycopg.connect(url) as link:
        row = link.execute(
            "SELECT count(*) FROM pg_class c WHERE relname = ANY(%s) AND pg_has_role(current_user, c.relowner, 'USAGE')",
            [list(HISTORY)],
        ).fetchone()
    return bool(row and row[0])
