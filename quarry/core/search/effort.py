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
    log_gain = float(_even_gain(p[None], rate, np.array([total_s]))[0])
    if not math.isfinite(log_gain):
        return DividedEffort((0.0,) * len(p), 0.0, 0.0)
    gains = p * rate > 0
    logs = np.log(p * rate, out=np.full_like(p, -np.inf), where=gains)
    seconds = np.maximum(np.divide(logs - log_gain, rate, out=np.zeros_like(p), where=gains), 0.0)
    success = float((p * -np.expm1(-rate * seconds)).sum())
    return DividedEffort(tuple(seconds.tolist()), success, math.exp(log_gain))


def most_found_frac(shares: Floats, rates_per_s: Floats, totals_s: Floats) -> Floats:
    """Return the chance of success of `divided_effort` alone, for many searches of the same segments at once.

    Parameters
    ----------
    shares : array (searches, segments)
        The chance that each segment holds; figures are known to be good.
    rates_per_s : array (segments,)
        Coverage that a second adds to each.
    totals_s : array (searches,)
        The time of each search to be divided.
    """
    log_gain = _even_gain(shares, rates_per_s, totals_s)
    # Where gains are even p e^(−rate × t) = gain ÷ rate is left, and all of p where that is less.
    even = np.full_like(shares, np.inf)
    np.divide(np.exp(log_gain)[:, None], rates_per_s, out=even, where=rates_per_s > 0)
    return np.asarray((shares - np.minimum(shares, even)).sum(axis=1))


def _even_gain(p: Floats, rate: Floats, total_s: Floats) -> Floats:
    """Return for each row the log of what a further second gains wherever one is spent; inf where nothing can be gained."""
    first = p * rate
    order = np.argsort(-first, axis=1, kind="stable")
    first = np.take_along_axis(first, order, axis=1)
    gains = first > 0
    # With the best k segments in use, log of the gain where all of them gain alike.
    logs = np.log(first, out=np.full_like(first, -np.inf), where=gains)
    inverse = np.divide(1.0, rate[order], out=np.zeros_like(first), where=gains)
    spent = np.cumsum(np.where(gains, logs, 0.0) * inverse, axis=1) - total_s[:, None]
    level = np.divide(spent, np.cumsum(inverse, axis=1), out=np.full_like(first, np.inf), where=gains)
    used = level <= logs + 1e-12
    last = used.shape[1] - 1 - np.argmax(used[:, ::-1], axis=1)
    return np.where(used.any(axis=1), level[np.arange(len(level)), last], np.inf)
