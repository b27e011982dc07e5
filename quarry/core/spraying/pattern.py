"""Swath by a pattern test: how even overlapped passes are by how far apart they lie.

Catches stand across the line that was flown. Passes are laid side by side: in one direction all (racetrack), or every other one turned
round (back and forth), as most fields are flown. Both are looked at: a pattern that leans to one side is even the one way and striped the other.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import Infeasible, MissingInput, OutOfRange, require_range
from quarry.core.base.sources import PATTERN
from quarry.core.base.working import formula

Floats = NDArray[np.float64]
Way = Literal["racetrack", "back and forth"]
WAYS: tuple[Way, ...] = ("racetrack", "back and forth")
_PLACES = 200
_STEP_M = 0.1
_LEAST_CATCHES = 5


@formula("coefficient of variation = standard deviation ÷ mean", source=PATTERN, result="variation_frac")
def variation_frac(deviation_frac: float, mean_frac: float) -> float:
    """Return the coefficient of variation of deposits."""
    return deviation_frac / mean_frac


@dataclass(frozen=True, slots=True)
class Pattern:
    """Catches of one pass: distance from the line flown, right is positive [m], and what was caught there, in any unit."""

    at_m: tuple[float, ...]
    caught: tuple[float, ...]

    def __post_init__(self) -> None:
        if len(self.at_m) != len(self.caught) or len(self.at_m) < _LEAST_CATCHES:
            raise MissingInput(
                f"A pattern takes at least {_LEAST_CATCHES} catches across the line, each with its distance.", "catches"
            )
        if any(b <= a for a, b in zip(self.at_m, self.at_m[1:], strict=False)):
            raise OutOfRange("Distances must rise from left to right, each once.", "catches")
        for k, v in enumerate(self.caught):
            require_range(v, 0.0, 1e6, f"catches.{k}", "A catch", "")
        if max(self.caught) <= 0:
            raise Infeasible("Nothing was caught: test again with the nozzles on.", "catches")

    @property
    def width_m(self) -> float:
        """From the first catch to the last. [m]"""
        return self.at_m[-1] - self.at_m[0]

    def deposit(self, x_m: Floats) -> Floats:
        """Return what lies at distances from the line, straight between two catches, nothing beyond the last."""
        return np.asarray(np.interp(x_m, self.at_m, self.caught, left=0.0, right=0.0))


def overlapped(p: Pattern, spacing_m: float, way: Way) -> Floats:
    """Return what lies on the ground across two spacings of many passes, shape (400,)."""
    x = (np.arange(2 * _PLACES) + 0.5) * spacing_m / _PLACES
    reach = math.ceil(max(abs(p.at_m[0]), abs(p.at_m[-1])) / spacing_m) + 2
    total = np.zeros(x.size)
    for k in range(-reach, reach + 3):
        turned = way == "back and forth" and k % 2 == 1
        off = x - k * spacing_m
        total += p.deposit(-off if turned else off)
    return total


def variation_at(p: Pattern, spacing_m: float, way: Way) -> float:
    """Return the coefficient of variation of passes so far apart. [0 to 1 and beyond]"""
    require_range(spacing_m, 0.3, 60.0, "spacing_m", "Spacing of passes", "m")
    lies = overlapped(p, spacing_m, way)
    return variation_frac(float(lies.std()), float(lies.mean()))


@dataclass(frozen=True, slots=True)
class Evenness:
    """How even passes are by their spacing: curves for both ways, and the widest spacing that is even enough, None where none is. [m]"""

    spacings_m: tuple[float, ...]
    curves: dict[Way, tuple[float, ...]]
    best_m: dict[Way, float | None]


def evenness(p: Pattern, wanted_frac: float) -> Evenness:
    """Return the curves of a pattern and the widest spacing up to which each way stays even enough.

    A spacing counts where all narrower ones are even enough too: a lucky one beyond a bad one is none.
    """
    require_range(wanted_frac, 0.01, 0.60, "wanted_frac", "Evenness wanted", "")
    least = max(0.5, p.width_m / 8)
    spacings = np.arange(least, p.width_m + _STEP_M / 2, _STEP_M)
    curves: dict[Way, tuple[float, ...]] = {}
    best: dict[Way, float | None] = {}
    for way in WAYS:
        found = [variation_at(p, float(s), way) for s in spacings]
        curves[way] = tuple(found)
        bad = next((k for k, v in enumerate(found) if v > wanted_frac), len(found))
        best[way] = float(spacings[bad - 1]) if bad > 0 else None
    return Evenness(tuple(float(s) for s in spacings), curves, best)


def leans(p: Pattern) -> float:
    """Return by how far the middle of what was caught lies from the line, right positive. [m]"""
    at, caught = np.array(p.at_m), np.array(p.caught)
    return float((at * caught).sum() / caught.sum())
