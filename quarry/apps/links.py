"""Links to the database: how a request keeps none while it computes."""

from __future__ import annotations

from django.db import connection


def give_back_link() -> None:
    """Give the link to the database back to the pool before a long computation; the next question takes one again.

    Otherwise a few slow requests hold all links, and everybody else waits. Inside a transaction nothing happens.
    """
    if not connection.in_atomic_block:
        connection.close()
