"""Sweep width from trials: targets passed at known distances, each seen or not.

Two schools side by side. A lateral range curve is fitted, and the area under it is the sweep width; or the distance is
found at which as many are missed inside as are seen outside, and twice that is the width.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import MissingInput, OutOfRange
from quarry.core.base.sources import CROSSOVER, KOOPMAN
from quarry.core.base.working import formula

Floats = NDArray[np.float64]
LEAST_TRIALS = 8
_GRID = 160
_NEAR_FRAC, _FAR_FRAC = 0.02, 20.0
_INSIDE = 0.05  # of the weight of a fit at the edge of what was tried: then the trials do not bound it


@dataclass(frozen=True, slots=True)
class Pass:
    """A target that was passed at a distance, and whether it was seen. [m]"""

    distance_m: float
    seen: bool


@dataclass(frozen=True, slots=True)
class SweepWidth:
    """What trials say of the sweep width: the middle, and what lies below it and above it with 5 % each. [m]

    ``at_once_frac``: how surely a target straight below is seen; ``falls_m``: the distance at which that falls to 61 %.
    ``likeliest_m``: the width of the likeliest curve alone. ``crossover_m``: the width by counting instead, None where nothing was missed inside or nothing seen outside.
    ``bounded``: False where more or farther trials are needed before the upper end says anything.
    """

    width_m: float
    low_m: float
    high_m: float
    at_once_frac: float
    falls_m: float
    likeliest_m: float
    crossover_m: float | None
    trials: int
    bounded: bool


@formula("sweep width = at once × falls × √(2π)", source=KOOPMAN, result="width_m")
def width_of_curve_m(at_once_frac: float, falls_m: float) -> float:
    """Return the sweep width of a bell-shaped curve, both sides together: the area under it. [m]"""
    return at_once_frac * falls_m * math.sqrt(2 * math.pi)


@formula(
    "sweep width = 2 × the distance at which as many are missed inside as are seen outside", source=CROSSOVER, result="width_m"
)
def width_by_crossover_m(distance_m: float) -> float:
    """Return the sweep width by the crossover of misses and detections. [m]"""
    return 2 * distance_m


def crossover_m(trials: Sequence[Pass]) -> float | None:
    """Return the distance inside which as many are missed as are seen outside of it; None where there is no such one. [m]"""
    away = np.array([t.distance_m for t in trials])
    seen = np.array([t.seen for t in trials])
    edges = np.unique(away)
    missed_inside = np.array([(~seen & (away <= e)).sum() for e in edges])
    seen_outside = np.array([(seen & (away > e)).sum() for e in edges])
    over = np.flatnonzero(missed_inside >= seen_outside)
    if not over.size or not missed_inside[over[0]]:
        return None
    k = int(over[0])
    if missed_inside[k] == seen_outside[k] or k == 0:
        return float(edges[k])
    return float((edges[k - 1] + edges[k]) / 2)


def sweep_width(trials: Sequence[Pass]) -> SweepWidth:
    """Return the sweep width that trials show, with its interval.

    All bell-shaped curves are weighed by how well they explain what was seen and missed; nothing else is assumed of them.

    Raises
    ------
    MissingInput
        There are too few trials, or nothing was seen.
    OutOfRange
        A distance is none.
    """
    if len(trials) < LEAST_TRIALS:
        raise MissingInput(
            f"{len(trials)} passes say too little; enter at least {LEAST_TRIALS}, near ones and far ones.", "trials"
        )
    if any(not (math.isfinite(t.distance_m) and 0 <= t.distance_m <= 5000) for t in trials):
        raise OutOfRange("A distance to the side lies from 0 to 5,000 m. Check the rows.", "trials")
    away = np.array([t.distance_m for t in trials])
    seen = np.array([t.seen for t in trials])
    if not seen.any():
        raise MissingInput("Nothing was seen: pass nearer, lower or slower, and enter those trials too.", "trials")
    farthest = max(float(away.max()), 1.0)
    at_once = (np.arange(_GRID) + 0.5) / _GRID
    falls = farthest * np.geomspace(_NEAR_FRAC, _FAR_FRAC, _GRID)
    weight = _weights(at_once, falls, away, seen)
    width = at_once[:, None] * falls[None, :] * math.sqrt(2 * math.pi)
    low, middle, high = _quantiles(width.ravel(), weight.ravel(), (0.05, 0.5, 0.95))
    i, j = np.unravel_index(int(np.argmax(weight)), weight.shape)
    inside = crossover_m(trials)
    return SweepWidth(
        middle,
        low,
        high,
        float(at_once[i]),
        float(falls[j]),
        width_of_curve_m(float(at_once[i]), float(falls[j])),
        None if inside is None else width_by_crossover_m(inside),
        len(trials),
        bool(weight[:, falls > 2 * farthest].sum() < _INSIDE),
    )


def _weights(at_once: Floats, falls: Floats, away: Floats, seen: NDArray[np.bool_]) -> Floats:
    """Return how much weight each curve has, shape (at once, falls), all together one."""
    bell = np.exp(-(away[None, :] ** 2) / (2 * falls[:, None] ** 2))
    log = np.zeros((len(at_once), len(falls)))
    for k, one in enumerate(at_once.tolist()):
        p = np.clip(one * bell, 1e-12, 1 - 1e-12)
        log[k] = np.where(seen[None, :], np.log(p), np.log1p(-p)).sum(axis=1)
    weight = np.exp(log - log.max())
    return np.asarray(weight / weight.sum())


def _quantiles(values: Floats, weights: Floats, at: Sequence[float]) -> list[float]:
    order = np.argsort(values)
    rising = np.cumsum(weights[order])
    return [float(values[order[min(int(np.searchsorted(rising, q)), len(order) - 1)]]) for q in at]
