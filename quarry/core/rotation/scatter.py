"""How real times spread about planned ones: one model for the forecast of a day and for the world that rehearses it.

All factors are lognormal with a mean of one, so that a plan that is right on the mean stays so. What a company's own days
tell is weighed against what is assumed: few days move little, many replace it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import require_range
from quarry.core.base.settings import Setting
from quarry.core.base.sources import ASSUMED

Floats = NDArray[np.float64]
REACTION_SPREAD = 0.6  # of the logarithm of what a crew takes to answer a call
_LONGEST_REACTION_S = 1800.0
_DAY_WEIGHT = 6.0  # days that weigh as much as what is assumed of a day
_FLIGHT_WEIGHT = _CHARGE_WEIGHT = _SWAP_WEIGHT = 12.0
_PACK_WEIGHT = 6.0
_REACTION_WEIGHT = 15.0
_FAR = 3.0  # spreads; what lies farther out is counted as lying there


@dataclass(frozen=True, slots=True)
class Scatter:
    """Spread of real times about planned ones, as standard deviations of their logarithms, and delays of the crew.

    ``day``: common to all flights of a day (wind, air); ``flight``: of each flight by itself; ``charge``: of each charge;
    ``pack``: common to all charges of one pack in a day; ``swap``: of each swap; ``reaction_s``: the mean time from a call to
    its answer, where nothing but the call was waited for [s]; ``flight_ratio``: what flights take, in times of their plan.
    """

    day_frac: float = 0.05
    flight_frac: float = 0.05
    charge_frac: float = 0.06
    pack_frac: float = 0.03
    swap_frac: float = 0.25
    reaction_s: float = 20.0
    flight_ratio: float = 1.0

    def __post_init__(self) -> None:
        for name in ("day_frac", "flight_frac", "charge_frac", "pack_frac", "swap_frac"):
            require_range(getattr(self, name), 0.0, 1.0, f"scatter.{name}", "Spread", "")
        require_range(self.reaction_s, 0.0, _LONGEST_REACTION_S, "scatter.reaction_s", "Time to answer a call", "s")
        require_range(self.flight_ratio, 0.5, 2.0, "scatter.flight_ratio", "What flights take", "")


_S = Scatter()
_YOURS = "your own days replace this, the more of them the more"
SETTINGS: tuple[Setting, ...] = (
    *(
        Setting(
            f"scatter.{name}", "Confidence", words, getattr(_S, name), f"{why}; {_YOURS}", "%", 100.0, 0.0, 1.0, source=ASSUMED
        )
        for name, words, why in (
            ("day_frac", "Flights: all of one day together", "a windy day makes all flights long"),
            ("flight_frac", "Flights: each by itself", "turns, pauses and gusts"),
            ("charge_frac", "Charges: each by itself", "cells and chargers differ from time to time"),
            ("pack_frac", "Charges: one pack all day", "a pack that takes long takes long again"),
            ("swap_frac", "Swaps", "cold hands, a card to change, a question"),
        )
    ),
    Setting(
        "scatter.reaction_s",
        "Confidence",
        "From a call to its answer",
        _S.reaction_s,
        f"somebody walks to the port; {_YOURS}",
        "s",
        low=0.0,
        high=_LONGEST_REACTION_S,
        source=ASSUMED,
    ),
)


def factors(rng: np.random.Generator, spread_frac: float, count: int) -> Floats:
    """Return factors with a mean of one whose logarithms have a standard deviation of ``spread_frac``."""
    if spread_frac <= 0.0:
        return np.ones(count)
    drawn: Floats = np.exp(rng.normal(-0.5 * spread_frac * spread_frac, spread_frac, count))
    return drawn


def reactions_s(rng: np.random.Generator, scatter: Scatter, count: int) -> Floats:
    """Return times from a call to its answer. [s]"""
    return scatter.reaction_s * factors(rng, REACTION_SPREAD, count)


@dataclass(frozen=True, slots=True)
class ObservedDay:
    """What one flown day tells of its times.

    ``flights``, ``swaps``: true times in times of the planned ones; ``charges``: the same, with the pack of each;
    ``reactions_s``: from when something could be done to when it was, where nothing else was waited for [s].
    """

    flights: tuple[float, ...] = ()
    charges: tuple[tuple[str, float], ...] = ()
    swaps: tuple[float, ...] = ()
    reactions_s: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class LearnedScatter:
    """A scatter with what it was learned from: how many days, flights, charges, swaps and answers."""

    scatter: Scatter = field(default_factory=Scatter)
    days: int = 0
    flights: int = 0
    charges: int = 0
    swaps: int = 0
    reactions: int = 0


@dataclass(frozen=True, slots=True)
class PromiseKept:
    """How often flown days kept what was forecast of them: of so many, down by the time of half and of nine in ten."""

    days: int = 0
    by_half: int = 0
    by_nine: int = 0


def learn(assumed: Scatter, observed: Sequence[ObservedDay]) -> LearnedScatter:
    """Return what a company's days make of what is assumed of them.

    Variances are shrunk: each is the mean of the assumed one and of the measured one, weighed by how many free values each
    stands on; within a day and between days by analysis of variance. The mean of flights is shrunk by days, that of answers
    by their number.

    Parameters
    ----------
    assumed : Scatter
        What is assumed where nothing was measured.
    observed : sequence of ObservedDay
        The days that were flown.
    """
    flights = [_logs(d.flights) for d in observed]
    charges = [_logs([r for p, r in d.charges if p == pack]) for d in observed for pack in dict.fromkeys(p for p, _ in d.charges)]
    swaps = [_logs([s for d in observed for s in d.swaps])]
    flight, day, mean = _nested(flights, assumed.flight_frac, assumed.day_frac, _FLIGHT_WEIGHT, _DAY_WEIGHT)
    charge, pack, _ = _nested(charges, assumed.charge_frac, assumed.pack_frac, _CHARGE_WEIGHT, _PACK_WEIGHT)
    swap, _, _ = _nested(swaps, assumed.swap_frac, 0.0, _SWAP_WEIGHT, 0.0)
    answers = np.array([r for d in observed for r in d.reactions_s if 0.0 <= r <= _LONGEST_REACTION_S])
    reaction = (assumed.reaction_s * _REACTION_WEIGHT + float(answers.sum())) / (_REACTION_WEIGHT + answers.size)
    found = Scatter(
        day_frac=round(min(1.0, day), 4),
        flight_frac=round(min(1.0, flight), 4),
        charge_frac=round(min(1.0, charge), 4),
        pack_frac=round(min(1.0, pack), 4),
        swap_frac=round(min(1.0, swap), 4),
        reaction_s=round(min(_LONGEST_REACTION_S, reaction), 1),
        flight_ratio=round(min(2.0, max(0.5, assumed.flight_ratio * math.exp(mean))), 4),
    )
    return LearnedScatter(
        found if observed else assumed,
        len(observed),
        sum(x.size for x in flights),
        sum(x.size for x in charges),
        sum(x.size for x in swaps),
        int(answers.size),
    )


def _logs(ratios: Sequence[float]) -> Floats:
    return np.array([math.log(r) for r in ratios if r > 0.0 and math.isfinite(r)])


def _nested(
    groups: Sequence[Floats], within: float, between: float, within_weight: float, between_weight: float
) -> tuple[float, float, float]:
    """Return (spread within a group, spread between groups, mean of all logarithms shrunk to nought).

    What lies far out is drawn in before it is counted: one lunch among swaps is not a spread.
    """
    there = [_drawn_in(g, within) for g in groups if g.size]
    if not there:
        return within, between, 0.0
    free = sum(g.size - 1 for g in there)
    squares = sum(float(((g - g.mean()) ** 2).sum()) for g in there)
    inside = (within_weight * within**2 + squares) / (within_weight + free)
    means = np.array([g.mean() for g in there])
    outside = between**2
    if len(there) > 1:
        # A group's mean scatters by its own few values too: that part is none of the groups'.
        own = float(np.mean([inside / g.size for g in there]))
        measured = max(0.0, float(means.var(ddof=1)) - own)
        outside = (between_weight * between**2 + (len(there) - 1) * measured) / (between_weight + len(there) - 1)
    weight = len(there) / (len(there) + between_weight) if between_weight > 0.0 else 0.0
    return math.sqrt(inside), math.sqrt(outside), weight * (float(means.mean()) + 0.5 * (inside + outside))


def _drawn_in(logs: Floats, usual: float) -> Floats:
    middle = float(np.median(logs))
    spread = max(usual, 1.4826 * float(np.median(np.abs(logs - middle))))
    drawn: Floats = np.clip(logs, middle - _FAR * spread, middle + _FAR * spread)
    return drawn


def without_reaction(scatter: Scatter) -> Scatter:
    """Return the scatter of a crew that answers every call at once."""
    return replace(scatter, reaction_s=0.0)
