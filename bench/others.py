"""Days that no instance is made from: what ten seconds find against the best of longer searches, two of each kind."""

from __future__ import annotations

import numpy as np

from bench.clock import show
from bench.promise import KINDS
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.validity import holds

SEARCH_S = 10.0
LONG_S = 40.0
EACH = 2


def table(each: int = EACH) -> None:
    """Print how far ten seconds stay above the best that longer searches from there find."""
    rows = []
    for kind, made in KINDS.items():
        for n in range(each):
            task = made(np.random.default_rng([100 + n, *kind.encode()]))
            first = dispatch(task)
            quick = improve(task, first, SEARCH_S)
            best, bound = quick.rotation, quick.bound_s
            if not quick.proven:
                # From its own answer and from the same beginning: the one could be stuck where the other is not.
                longer = [improve(task, start, LONG_S) for start in (best, first)]
                bound = max(bound, *(x.bound_s for x in longer))
                best = min((best, *(x.rotation for x in longer)), key=lambda p: p.makespan_s)
            rows.append(
                [
                    kind,
                    f"{first.makespan_s:,.0f}",
                    f"{quick.rotation.makespan_s:,.0f}",
                    f"{best.makespan_s:,.0f}{' =' if best.makespan_s <= bound + 1.0 else ''}",
                    f"{quick.rotation.makespan_s / best.makespan_s - 1:+.2%}",
                    "holds" if holds(task, quick.rotation) and holds(task, best) else "DOES NOT HOLD",
                ]
            )
    show(
        "Rotation on days that no instance is made from, last landing in s (= proven)",
        ["kind of day", "dispatcher", "in 10 s", "in 40 s twice", "above", ""],
        rows,
    )


if __name__ == "__main__":
    table()
