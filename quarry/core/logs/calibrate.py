"""What real flights teach: a factor on what was claimed or computed, drawn towards it while flights are few.

The weight of the own flights is n / (n + k), the credibility of Bühlmann: k is how many flights the claim is worth, which is
the scatter within a group over the scatter between groups. The middle of the flights counts, so that one odd flight moves little.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from quarry.core.base.errors import MissingInput
from quarry.core.base.sources import ALGEBRA, BUHLMANN, MEASURED
from quarry.core.base.working import Step, Working

Subject = Literal["power", "capacity", "resistance", "charge", "swap"]
# How many flights (charges, swaps) the claim is worth, by what scatters in the field: common practice, with no source.
WORTH: dict[Subject, float] = {"power": 4.0, "capacity": 5.0, "resistance": 3.0, "charge": 3.0, "swap": 4.0}
_BELIEF = (0.4, 2.5)  # ratios beyond are a log that was misread, or another aircraft
USUAL_SCATTER_FRAC = 0.06  # one flight against another of the same kind, before its own scatter is known
_SURE = 1.645  # nine in ten lie within so many deviations of a normal law


@dataclass(frozen=True, slots=True)
class Calibration:
    """A factor on what is claimed or computed, with where it comes from.

    ``factor`` is what the planner uses; ``measured_ratio`` the middle of the own flights, of which ``count`` were believed and
    ``left_out`` were not; nine in ten times the truth lies between ``low`` and ``high``. ``noise``: the difference from one
    is not significant.
    """

    subject: Subject
    factor: float
    measured_ratio: float
    count: int
    left_out: int
    weight_frac: float
    low: float
    high: float
    noise: bool
    working: Working


def calibrate(subject: Subject, ratios: Sequence[float], *, worth_count: float | None = None) -> Calibration:
    """Return what measured ÷ rated of so many flights make of a factor.

    Parameters
    ----------
    ratios : sequence of float
        Measured over claimed or computed, one of each flight, charge or swap.
    worth_count : float, optional
        How many flights the claim is worth; by default what scatters of this subject in the field.

    Raises
    ------
    MissingInput
        There is no flight that can be believed.
    """
    good = np.array([r for r in ratios if math.isfinite(r) and _BELIEF[0] <= r <= _BELIEF[1]])
    if not good.size:
        raise MissingInput("No flight of this kind can be compared yet: import a log of one.", "ratios")
    worth = WORTH[subject] if worth_count is None else worth_count
    measured = float(np.median(good))
    weight = good.size / (good.size + worth)
    factor = 1.0 + weight * (measured - 1.0)
    spread = _spread(good)
    # The middle of n values of a normal law scatters by 1.2533 σ/√n (algebra of order statistics, for large n).
    off = _SURE * 1.2533 * spread / math.sqrt(good.size)
    steps = (
        Step("measured_ratio", measured, "", f"middle of {good.size} flights, measured ÷ rated", source=MEASURED, kind="input"),
        Step("weight_frac", weight, "", f"flights ÷ (flights + {worth:g} that the claim is worth)", source=BUHLMANN),
        Step("factor", factor, "", "1 + weight × (measured − 1)", source=BUHLMANN),
        Step("off", off, "", "nine in ten: 1.645 × 1.2533 × scatter ÷ √flights", source=ALGEBRA),
    )
    return Calibration(
        subject,
        factor,
        measured,
        int(good.size),
        len(ratios) - int(good.size),
        weight,
        measured - off,
        measured + off,
        measured - off <= 1.0 <= measured + off,
        Working(f"Factor on {subject}", factor, "", steps),
    )


def _spread(values: np.ndarray[tuple[int, ...], np.dtype[np.float64]]) -> float:
    """Return the scatter of flights: from their median deviation, leaning on the usual one while they are few."""
    if values.size < 2:
        return USUAL_SCATTER_FRAC
    own = 1.4826 * float(np.median(np.abs(values - np.median(values))))
    weight = (values.size - 1) / (values.size + 3)
    return math.sqrt(weight * own**2 + (1 - weight) * USUAL_SCATTER_FRAC**2)


@dataclass(frozen=True, slots=True)
class Difference:
    """How far a figure of one group of flights lies from that of another; ``noise``: the difference is not significant."""

    of: float
    against: float
    difference: float
    low: float
    high: float
    noise: bool


def difference(
    ours: Sequence[float], theirs: Sequence[float], *, scatter: float | None = None, draws: int = 4000, seed: int = 7
) -> Difference:
    """Return the difference of the middles of two groups, with the bounds within which it lies nine times in ten.

    Bounds by resampling both groups (Efron's bootstrap, percentiles), as flights are not normal. Of few flights that
    promises too much: three may lie close together by luck. So the bounds are never narrower than those of the scatter that
    flights usually have, to which the own scatter is drawn while they are few. A group of one takes the scatter of the other.
    ``scatter``: what the figure usually scatters by from flight to flight, in its own unit; by default a share of it.

    Raises
    ------
    MissingInput
        A group is empty.
    """
    a, b = (np.array([x for x in g if math.isfinite(x)], dtype=float) for g in (ours, theirs))
    if not a.size or not b.size:
        raise MissingInput("Choose at least one flight for each of the two groups.", "flights")
    rng = np.random.default_rng(seed)
    made = _resampled(rng, a, b, draws) - _resampled(rng, b, a, draws)
    low, high = (float(x) for x in np.percentile(made, (5, 95)))
    middle = float(np.median(a) - np.median(b))
    off = _usual_off(a, b, scatter)
    low, high = min(low, middle - off), max(high, middle + off)
    return Difference(float(np.median(a)), float(np.median(b)), middle, low, high, low <= 0.0 <= high)


def _usual_off(
    a: np.ndarray[tuple[int, ...], np.dtype[np.float64]],
    b: np.ndarray[tuple[int, ...], np.dtype[np.float64]],
    scatter: float | None,
) -> float:
    """Return how far two middles lie apart by chance nine times in ten, with the scatter that flights usually have."""
    parts = []
    for x in (a, b):
        unit = abs(float(np.median(x))) if scatter is None else scatter / USUAL_SCATTER_FRAC
        if unit > 0:
            parts.append((1.2533 * _spread(x / unit) * unit) ** 2 / x.size)
    return _SURE * math.sqrt(sum(parts))


def _resampled(
    rng: np.random.Generator,
    ratios: np.ndarray[tuple[int, ...], np.dtype[np.float64]],
    other: np.ndarray[tuple[int, ...], np.dtype[np.float64]],
    draws: int,
) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    if ratios.size == 1:
        return np.asarray(ratios[0] + rng.choice(other - np.median(other), size=draws), dtype=np.float64)
    found: np.ndarray[tuple[int, ...], np.dtype[np.float64]] = np.median(rng.choice(ratios, size=(draws, ratios.size)), axis=1)
    return found


def coverage(promised_s: Sequence[float], flown_s: Sequence[float]) -> tuple[int, int]:
    """Return on how many days the last landing came by the time that nine days in ten were to keep, of how many."""
    both = [(p, f) for p, f in zip(promised_s, flown_s, strict=True) if math.isfinite(p) and math.isfinite(f)]
    return sum(f <= p for p, f in both), len(both)
