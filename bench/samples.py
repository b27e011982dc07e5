"""Keeping the samples of one log of a million rows: compressed columns in one field against rows of a partitioned table."""

from __future__ import annotations

import io
import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import polars as pl
import psycopg

from bench.clock import ms, show
from bench.logs import made_log
from quarry.apps.logbook.formats.samples import packed, series_from
from quarry.core.logs.reading import Log, read_log
from quarry.project.cluster import Cluster, new_password

ROWS = 1_000_000


def _timed(what: Callable[[], object]) -> tuple[float, object]:
    began = time.perf_counter()
    found = what()
    return time.perf_counter() - began, found


def table(rows: int = ROWS) -> None:
    """Keep the same samples in both ways on a throwaway server, look at two minutes and at all of them, and print."""
    log = read_log(made_log(rows, 0.1)).log
    folder = Path(tempfile.mkdtemp(prefix="gq-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "pg", new_password(), throwaway=True)
    try:
        cluster.start(55_720)
        password = new_password()
        cluster.ensure_database("samples", password, "samples")
        with psycopg.connect(cluster.url("samples", password, "samples"), autocommit=True) as link:
            columns, lines = _columns(link, log), _rows(link, log)
    finally:
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)
    head = (f"{rows:,} samples of 15 quantities", "columns in a field", "rows, partitioned")
    body = [
        (name, show_one(columns[name]), f"{show_one(lines[name])}  {lines[name][0] / columns[name][0]:.1f} ×") for name in columns
    ]
    show("Where samples are kept", head, body)


def show_one(value: tuple[float, str]) -> str:
    """Return a size or a time as text."""
    return f"{value[0]:,.1f} MB" if value[1] == "MB" else ms(value[0])


def _columns(link: psycopg.Connection, log: Log) -> dict[str, tuple[float, str]]:
    link.execute("CREATE TABLE kept (id int PRIMARY KEY, data bytea, overview bytea)")
    link.execute("ALTER TABLE kept ALTER data SET STORAGE EXTERNAL, ALTER overview SET STORAGE EXTERNAL")

    def keep() -> None:
        data, overview = packed(log)
        link.execute("INSERT INTO kept VALUES (1, %s, %s)", (data, overview))

    def look(column: str, begins: float, ends: float) -> object:
        data = link.execute(f"SELECT {column} FROM kept WHERE id = 1").fetchone()[0]  # type: ignore[index]
        return series_from(bytes(data), begins, ends, 3000)

    write = _timed(keep)[0]
    size = link.execute("SELECT pg_total_relation_size('kept')").fetchone()[0] / 1e6  # type: ignore[index]
    middle = float(log.time_s[-1]) / 2
    near = min(_timed(lambda: look("data", middle, middle + 120.0))[0] for _ in range(3))
    whole = min(_timed(lambda: look("overview", 0.0, float(log.time_s[-1])))[0] for _ in range(3))
    return {
        "on disk": (size, "MB"),
        "to keep": (write, "s"),
        "two minutes of it": (near, "s"),
        "all of it, thinned": (whole, "s"),
    }


def _rows(link: psycopg.Connection, log: Log) -> dict[str, tuple[float, str]]:
    names = [*log.numbers, *(f"cell_{k + 1}_v" for k in range(log.cells_v.shape[1]))]  # type: ignore[union-attr]
    fields = ", ".join(f"{n} {'double precision' if n.endswith('_deg') else 'real'}" for n in names)
    link.execute(f"CREATE TABLE sample (flight int, time_s double precision, {fields}) PARTITION BY RANGE (flight)")
    link.execute("CREATE TABLE sample_1 PARTITION OF sample FOR VALUES FROM (1) TO (100)")
    link.execute("CREATE INDEX ON sample_1 USING brin (flight, time_s)")
    columns = [log.time_s, *log.numbers.values(), *log.cells_v.T]  # type: ignore[union-attr]

    def keep() -> None:
        buffer = io.BytesIO()
        pl.DataFrame(
            {"flight": np.ones(log.rows, dtype=np.int32)} | dict(zip(["time_s", *names], columns, strict=True))
        ).write_csv(buffer, include_header=False)
        with link.cursor().copy("COPY sample FROM STDIN (FORMAT csv)") as copy:
            copy.write(buffer.getvalue())

    def look(begins: float, ends: float, buckets: int) -> object:
        each = ", ".join(f"min({n}), max({n})" for n in names)
        return link.execute(
            f"SELECT width_bucket(time_s, %s, %s, %s) b, {each} FROM sample WHERE flight = 1 AND time_s BETWEEN %s AND %s "
            "GROUP BY b ORDER BY b",
            (begins, ends + 1e-6, buckets, begins, ends),
        ).fetchall()

    write = _timed(keep)[0]
    link.execute("ANALYZE sample_1")
    size = link.execute("SELECT pg_total_relation_size('sample_1')").fetchone()[0] / 1e6  # type: ignore[index]
    middle = float(log.time_s[-1]) / 2
    near = min(_timed(lambda: look(middle, middle + 120.0, 1500))[0] for _ in range(3))
    whole = min(_timed(lambda: look(0.0, float(log.time_s[-1]), 1500))[0] for _ in range(3))
    return {
        "on disk": (size, "MB"),
        "to keep": (write, "s"),
        "two minutes of it": (near, "s"),
        "all of it, thinned": (whole, "s"),
    }


if __name__ == "__main__":
    table()
