"""More of anything never plans a later day: random days of six kinds, with the plan in force at hand and planned afresh."""

from __future__ import annotations

import os
from concurrent.futures import ProcessPoolExecutor

import numpy as np

from bench.clock import show
from bench.promise import KINDS
from quarry.core.base.errors import CoreError
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.planning import plan_day
from tests.core.test_more_never_later import MORE

CASES = 30
_SEARCH_S = 1.0
_LATER_S = 1e-6


def tried(more: str, n: int) -> tuple[bool, bool, bool] | None:
    """Return whether a day ends later with more: (by the dispatcher with the plan in force, planned afresh, searched)."""
    kind = list(KINDS)[n % len(KINDS)]
    task = KINDS[kind](np.random.default_rng([n, *more.encode()]))
    easier = MORE[more](task)
    try:
        plan = dispatch(task)
        known, afresh = plan_day(easier, [plan]), dispatch(easier)
        found = improve(task, plan, _SEARCH_S, workers=1).rotation
        better = improve(easier, plan_day(easier, [found]), _SEARCH_S, workers=1).rotation
    except CoreError:
        return None
    later = [known.makespan_s - plan.makespan_s, afresh.makespan_s - plan.makespan_s, better.makespan_s - found.makespan_s]
    in_force, without, searched = (x > _LATER_S for x in later)
    return in_force, without, searched


def table(cases: int = CASES) -> None:
    """Print for each law how many cases were tried and how many broke it."""
    with ProcessPoolExecutor(max(1, os.cpu_count() or 1)) as pool:
        jobs = {more: [pool.submit(tried, more, n) for n in range(cases)] for more in sorted(MORE)}
        rows = []
        for more, mine in jobs.items():
            there = [r for j in mine if (r := j.result()) is not None]
            broken = [str(sum(r[k] for r in there)) for k in range(3)]
            rows.append([more, str(len(there)), broken[0], broken[2], broken[1]])
    show("more never plans a later day", ["more", "days", "dispatcher", "search", "without the plan in force"], rows)


if __name__ == "__main__":
    table()
