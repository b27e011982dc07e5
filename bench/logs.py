"""Flight logs: a million rows read and analysed against the raw read of the same file, through the product, and 200 logs in one archive."""

from __future__ import annotations

import io
import json
import resource
import subprocess
import sys
import time
import zipfile

import numpy as np
import polars as pl

from bench.clock import ms, show
from bench.house import ROOT, House, house
from quarry.core.logs.archive import logs_in
from quarry.core.logs.discharge import discharge_of
from quarry.core.logs.flight import flights_in, part, phases_of
from quarry.core.logs.reading import read_log

ROWS, FILES, EACH = 1_000_000, 200, 3_000


def made_log(rows: int, step_s: float) -> bytes:
    """Return a made-up log of fifteen columns, with ground at both ends."""
    t = np.arange(rows) * step_s
    up = (np.arange(rows) > rows // 200) & (np.arange(rows) < rows - rows // 200)
    share = np.arange(rows) / rows
    columns = {
        "time_s": t,
        "soc %": (100 - 60 * share).round(2),
        "voltage V": (25 - 3 * share).round(3),
        "current A": np.where(up, 30 + 8 * np.sign(np.sin(t / 9)), 0.4).round(2),
        "height m": np.where(up, 50.0, 0.0),
        "speed m/s": np.where(up, 8.0, 0.0),
        "lat": 46.2 + 0.01 * np.sin(t / 200),
        "lon": 7.1 + 0.01 * np.cos(t / 200),
        "battery temp C": (15 + 20 * share).round(1),
    }
    columns |= {f"cell_{k}_V": (4.1 - 0.5 * share - 0.004 * k).round(3) for k in range(1, 7)}
    return pl.DataFrame(columns).write_csv().encode()


def _whole(data: bytes) -> int:
    log = read_log(data).log
    found = 0
    for span in flights_in(log):
        flight = part(log, span)
        found += len(phases_of(flight)) + (discharge_of(flight).length_s > 0)
    return found


def _best(what: object, runs: int = 3) -> float:
    found = []
    for _ in range(runs):
        began = time.perf_counter()
        what()  # type: ignore[operator]
        found.append(time.perf_counter() - began)
    return min(found)


def _through(data: bytes) -> float:
    """Return how long a log takes from its upload to its flight in the logbook: server, queue, worker, storage. [s]

    Its rows lie so close that it lasts no longer than a pack does.
    """
    with house() as made:
        worker = subprocess.Popen(
            [sys.executable, "manage.py", "procrastinate", "worker", "-q", "tables", "--concurrency", "1"],
            cwd=ROOT,
            env=made.env,
            stderr=subprocess.DEVNULL,
        )
        try:
            made.upload("/api/logbook/imports", "warm.csv", made_log(200_000, 0.004))
            _finished(made)
            began = time.perf_counter()
            made.upload("/api/logbook/imports", "long.csv", data)
            _finished(made)
            return time.perf_counter() - began
        finally:
            worker.terminate()
            worker.wait(20)


def _finished(made: House) -> None:
    while True:
        newest = json.loads(made.ask("GET", "/api/logbook"))["imports"][0]
        if newest["state"] in ("done", "refused", "stopped"):
            if newest["report"][0]["flights"] != 1:
                raise SystemExit(f"The log was not read: {newest}")
            return
        time.sleep(0.2)


def table() -> None:
    """Print the table."""
    data = made_log(ROWS, 0.1)
    raw = _best(lambda: pl.read_csv(io.BytesIO(data)))
    read = _best(lambda: read_log(data))
    whole = _best(lambda: _whole(data))
    through = _through(made_log(ROWS, 0.004))
    store = io.BytesIO()
    with zipfile.ZipFile(store, "w", zipfile.ZIP_DEFLATED) as z:
        for k in range(FILES):
            z.writestr(f"{k:03d}.csv", made_log(EACH, 0.4))
    began = time.perf_counter()
    count = sum(bool(_whole(p.unpack())) for p in logs_in("day.zip", store.getvalue()))
    archive = time.perf_counter() - began
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    rows = [
        (f"{ROWS:,} rows, {len(data) / 1e6:.0f} MB: the table library alone", ms(raw), "1.0 ×"),
        ("read: columns, units, order, doubts", ms(read), f"{read / raw:.1f} ×"),
        ("read and analysed: flight, phases, draw, knee, resistance", ms(whole), f"{whole / raw:.1f} ×"),
        ("through the product: upload, queue, worker, storage", ms(through), f"{through / raw:.1f} ×"),
        (f"{count} logs of {EACH:,} rows in one archive", ms(archive), f"{ms(archive / FILES)} each"),
        ("memory at the most, all of this bench", f"{peak:,.0f} MB", ""),
    ]
    show("Flight logs", ("", "time", ""), rows)
