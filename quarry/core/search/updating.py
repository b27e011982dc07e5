"""What each report changes: ground searched in vain loses its chance to all the rest; a clue moves chance by what it makes likelier.

The history is folded anew from the shares at the beginning: a report taken back turns everything back, and the order of
reports changes nothing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from quarry.core.base.errors import OutOfRange
from quarry.core.search.shares import Shares


@dataclass(frozen=True, slots=True)
class Searched:
    """A report: this segment, from 0, was looked over in vain with this probability of detection. [0 to 1]"""

    segment: int
    detection_frac: float


@dataclass(frozen=True, slots=True)
class Clue:
    """Something found that speaks for some ground: how many times likelier it is where the missing is in each segment, or elsewhere.

    One for all changes nothing. ``elsewhere_frac``: in the rest of the world.
    """

    likelihood: tuple[float, ...]
    elsewhere_frac: float = 1.0


Report = Searched | Clue


@dataclass(frozen=True, slots=True)
class SearchState:
    """How a search stands: shares now, the chance to have found by now, and what each segment was searched with altogether."""

    shares: Shares
    success_frac: float
    detections: tuple[float, ...]


def stands(before: Shares, reports: Sequence[Report]) -> SearchState:
    """Return how a search stands after reports.

    The chance to have found by now counts each search by what the ground held when all clues are known.

    Raises
    ------
    OutOfRange
        A report speaks of no segment, or all ground becomes impossible.
    """
    count = len(before.of)
    prior = np.array([*before.of, before.rest_frac])
    missed = np.ones(count + 1)
    for k, report in enumerate(reports):
        if isinstance(report, Clue):
            if len(report.likelihood) != count or not all(
                math.isfinite(x) and x >= 0 for x in (*report.likelihood, report.elsewhere_frac)
            ):
                raise OutOfRange("A clue needs a number from 0 up for each segment.", f"reports.{k}")
            prior = prior * np.array([*report.likelihood, report.elsewhere_frac])
        else:
            if not 0 <= report.segment < count:
                raise OutOfRange("The report speaks of a segment that this search does not have.", f"reports.{k}")
            if not 0 <= report.detection_frac <= 1:
                raise OutOfRange("POD lies from 0 to 100 %.", f"reports.{k}")
            missed[report.segment] *= 1 - report.detection_frac
    if prior.sum() <= 0:
        raise OutOfRange("By these clues the missing can be nowhere. Take one back, or let it speak less surely.", "reports")
    prior /= prior.sum()
    left = prior * missed
    total = float(left.sum())
    if total <= 1e-12:
        # All was searched with certainty: what remains lies where it lay before.
        left, total = prior, 1.0
        return SearchState(_shares(left), 1.0, tuple((1 - missed[:-1]).tolist()))
    return SearchState(_shares(left / total), max(0.0, 1.0 - total), tuple((1 - missed[:-1]).tolist()))


def _shares(all_of: np.ndarray[tuple[int, ...], np.dtype[np.float64]]) -> Shares:
    return Shares(tuple(all_of[:-1].tolist()), float(all_of[-1]))
