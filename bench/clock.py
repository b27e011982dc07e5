"""Timing by the median of several runs, and tables."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable, Sequence


def seconds(func: Callable[[], object], runs: int = 7) -> float:
    """Return the median time of a call, after one to warm up."""
    func()
    found = []
    for _ in range(runs):
        began = time.perf_counter()
        func()
        found.append(time.perf_counter() - began)
    return statistics.median(found)


def ms(value: float) -> str:
    """Return a time in milliseconds as text."""
    return f"{1000 * value:,.1f} ms"


def show(title: str, head: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
    """Print a table."""
    widths = [max(len(str(r[k])) for r in [head, *rows]) for k in range(len(head))]
    print(f"\n{title}")
    for row in [head, ["─" * w for w in widths], *rows]:
        print(
            "  "
            + "  ".join(str(c).ljust(w) if k == 0 else str(c).rjust(w) for k, (c, w) in enumerate(zip(row, widths, strict=True)))
        )
