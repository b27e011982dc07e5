"""Which set flies what, and which port charges what, once the times are known: wear spread as evenly as may be."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass


class NoPort(ValueError):
    """Charges that fit all ports together could not be given one each."""


@dataclass(frozen=True, slots=True)
class Occupied:
    """A set is away from ``from_s`` until it is ready again at ``until_s``; inf if it does not come back."""

    flight: str
    from_s: float
    until_s: float


def assign_resources(jobs: Sequence[Occupied], ready_s: dict[str, float]) -> dict[str, str]:
    """Return for each flight one of several interchangeable sets, the least used first.

    Parameters
    ----------
    jobs : sequence of Occupied
        When sets are away; never more at once than there are.
    ready_s : dict
        For each set when it is first ready; inf if never.
    """
    free = dict(ready_s)
    uses = dict.fromkeys(ready_s, 0)
    taken: dict[str, str] = {}
    for job in sorted(jobs, key=lambda j: j.from_s):
        able = [s for s, at in free.items() if at <= job.from_s + 1e-6]
        chosen = min(able, key=lambda s: (uses[s], free[s], s))
        taken[job.flight] = chosen
        uses[chosen] += 1
        free[chosen] = job.until_s
    return taken


def ports_of(spans: Sequence[tuple[float, float]], ports: int, closed: Sequence[tuple[int, float, float]] = ()) -> list[int]:
    """Return a port for each span, none used twice at once and none while it is closed.

    Closed ports are given as (port, from, to). Spans are looked at in order of their start; of the ports that stay open
    for all of a span, the one that closes soonest after it takes it.

    Raises
    ------
    NoPort
        A span finds no port: there are more at once than ports, or, around closings, no way was found.
    """
    free = [0.0] * ports
    found = [-1] * len(spans)
    for i in sorted(range(len(spans)), key=lambda i: spans[i]):
        start, end = spans[i]
        able = [
            k
            for k in range(ports)
            if free[k] <= start + 1e-6 and not any(p == k and a < end - 1e-6 and start < b - 1e-6 for p, a, b in closed)
        ]
        if not able:
            raise NoPort("more at once than ports")
        found[i] = min(able, key=lambda k: (min((a for p, a, _ in closed if p == k and a >= end - 1e-6), default=math.inf), k))
        free[found[i]] = end
    return found
