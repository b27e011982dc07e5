"""Foreign logs: three hundred made of six with known truth, by other names, orders, units and separators; what came of them."""

from __future__ import annotations

import itertools
import time

import numpy as np

from bench.clock import ms, show
from quarry.core.logs.reading import read_log
from tests.core.test_foreign_logs import BASES, bases_of, judged, mutated

LOGS, SEEDS = 300, (18, 19, 20)


def table() -> None:
    """Print the table."""
    bases = bases_of()
    rows = []
    for seed in SEEDS:
        rng = np.random.default_rng(seed)
        counts, spent = np.zeros(4, dtype=int), 0.0
        for _, key in zip(range(LOGS), itertools.cycle(BASES), strict=False):
            data, truth = mutated(bases[key], rng)
            began = time.perf_counter()
            reading = read_log(data)
            spent += time.perf_counter() - began
            counts += [len(f) for f in judged(reading, truth, bases[key])]
        rows.append((f"seed {seed}, {LOGS} logs", *(f"{n:,}" for n in counts), f"{ms(spent / LOGS)} each"))
    show("Columns of foreign logs, renamed, reordered, rescaled", ("", "right", "asked", "not used", "wrong", "read in"), rows)
