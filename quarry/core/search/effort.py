"""Effort that can be divided at will: how long to look over each segment so that the chance of success is highest.

Detection by the random law. Effort flows first to where it gains most by the minute, and to more and more segments as the
gains even out (Koopman; Charnes and Cooper). Whole sorties never do better: this is their bound.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import OutOfRange
from quarry.core.base.sources import KOOPMAN
from quarry.core.base.working import formula

Floats = NDArray[np.float64]


@formula("rate = sweep width × speed ÷ area", source=KOOPMAN, result="rate_per_s")
def search_rate_per_s(sweep_width_m: float, speed_m_s: float, area_m2: float) -> float:
    """Return the coverage that one second on the lines adds to a segment."""
    return sweep_width_m * speed_m_s / max(area_m2, 1e-9)


@dataclass(frozen=True, slots=True)
class DividedEffort:
    """Seconds for each segment, the chance of success that they give, and what a further second gains wherever one is spent."""

    seconds: tuple[float, ...]
    success_frac: float
    gain_per_s: float


def divided_effort(shares: Sequence[float], rates_per_s: Sequence[float], total_s: float) -> DividedEffort:
    """Return how a time is divided best between segments.

    Parameters
    ----------
    shares : sequence of float
        The chance that each segment holds; what is missing to one lies elsewhere.
    rates_per_s : sequence of float
        Coverage that a second adds to each; see `search_rate_per_s`.
    total_s : float
        The time to be divided.

    Raises
    ------
    OutOfRange
        A figure is negative.
    """
    p, rate = np.array(shares, dtype=np.float64), np.array(rates_per_s, dtype=np.float64)
    if not (np.isfinite(p).all() and np.isfinite(rate).all() and (p >= 0).all() and (rate >= 0).all() and total_s >= 0):
        raise OutOfRange("Shares, rates and time are numbers from 0 up.", "effort")
    first = p * rate
    order = np.argsort(-first, kind="stable")
    order = order[first[order] > 0]
    seconds = np.zeros(len(p))
    if not order.size:
        return DividedEffort(tuple(seconds.tolist()), 0.0, 0.0)
    # With the best k segments in use, log of the gain where all of them gain alike.
    inverse = np.cumsum(1 / rate[order])
    logs = np.cumsum(np.log(first[order]) / rate[order])
    level = (logs - total_s) / inverse
    used = int(np.flatnonzero(level <= np.log(first[order]) + 1e-12).max()) + 1
    gain = float(level[used - 1])
    taken = order[:used]
    seconds[taken] = np.maximum((np.log(first[taken]) - gain) / rate[taken], 0.0)
    success = float((p * -np.expm1(-rate * seconds)).sum())
    return DividedEffort(tuple(seconds.tolist()), success, math.exp(gain))
