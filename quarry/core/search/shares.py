"""Probability of area: what share of the chance each segment holds before anyone has looked.

Three schools stand side by side: rings round the last known point from a table of distances, people's estimates put
together, and figures typed. A mix of them is their mean, weighed.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely import Point
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import MissingInput, OutOfRange

Floats = NDArray[np.float64]
_CORNERS = 64  # of a quarter of a ring
_EVEN_FRAC = 5e-4  # a sum nearer to one than this was rounded, and is not spoken of


@dataclass(frozen=True, slots=True)
class DistanceTable:
    """How far from the last known point people of a kind were found: shares rising, and the distance within which each was. [0 to 1, m]"""

    within: tuple[tuple[float, float], ...]

    def __post_init__(self) -> None:
        """Check that shares and distances rise together."""
        if not self.within:
            raise MissingInput("The table needs at least one distance.", "within")
        shares, distances = zip(*self.within, strict=True)
        if not all(0 < s < 1 for s in shares) or list(shares) != sorted(set(shares)):
            raise OutOfRange("Shares rise from above 0 to below 100 %, each once. Put them in order.", "within")
        if not all(d > 0 and math.isfinite(d) for d in distances) or list(distances) != sorted(set(distances)):
            raise OutOfRange("Distances rise with their shares. Put them in order.", "within")

    @property
    def rings(self) -> tuple[tuple[float, float, float], ...]:
        """Share, inner and outer distance of each ring. [0 to 1, m, m]"""
        shares = [0.0, *(s for s, _ in self.within)]
        edges = [0.0, *(d for _, d in self.within)]
        return tuple((b - a, inner, outer) for a, b, inner, outer in zip(shares, shares[1:], edges, edges[1:], strict=False))

    @property
    def beyond_frac(self) -> float:
        """The share that was found farther off than the last distance."""
        return 1.0 - self.within[-1][0]


@dataclass(frozen=True, slots=True)
class Shares:
    """The share of each segment, in their order, and of the rest of the world. All together one.

    ``given_frac``: what they summed to before they were evened; one where nothing had to be.
    """

    of: tuple[float, ...]
    rest_frac: float
    given_frac: float = 1.0

    @property
    def evened(self) -> bool:
        """Whether figures given did not sum to one."""
        return abs(self.given_frac - 1.0) > _EVEN_FRAC


def evened(weights: Sequence[float], rest_frac: float, field: str = "shares") -> Shares:
    """Return shares that sum to one from figures that may not.

    Raises
    ------
    OutOfRange
        One is negative or no number, or all are nothing.
    """
    all_of = [*weights, rest_frac]
    for k, w in enumerate(all_of):
        if not (math.isfinite(w) and w >= 0):
            raise OutOfRange("A share is a number from 0 up. Write it anew.", f"{field}.{k}")
    total = math.fsum(all_of)
    if total <= 0:
        raise OutOfRange("All shares are nothing: at least one place must be possible.", field)
    return Shares(tuple(w / total for w in weights), rest_frac / total, total)


def by_rings(table: DistanceTable, at: tuple[float, float], segments: Sequence[BaseGeometry]) -> Shares:
    """Return what rings round a place give to each segment: a ring's share by the part of it that lies in the segment.

    Ground of the rings in no segment, and all beyond the last distance, is the rest of the world. [m]
    """
    found = np.zeros(len(segments))
    middle = Point(at)
    for share, inner, outer in table.rings:
        ring = middle.buffer(outer, quad_segs=_CORNERS)
        if inner > 0:
            ring = ring.difference(middle.buffer(inner, quad_segs=_CORNERS))
        for k, segment in enumerate(segments):
            found[k] += share * float(segment.intersection(ring).area) / float(ring.area)
    total = float(found.sum())
    if total > 1.0:  # segments that overlap count their common ground twice
        found /= total
        total = 1.0
    return Shares(tuple(found.tolist()), 1.0 - total)


def by_travel(table: DistanceTable, away_m: Floats, cell_of: NDArray[np.int64], count: int) -> Shares:
    """Return what a table gives to each segment by how far off its ground is on foot.

    Parameters
    ----------
    away_m : array, shape (n,)
        For cells of one size, the distance over even ground that takes as long to walk as the way there; inf where nobody gets.
    cell_of : array, shape (n,)
        The segment, from 0, that each cell lies in; −1 for none.
    count : int
        How many segments there are.
    """
    found = np.zeros(count + 1)
    for share, inner, outer in table.rings:
        there = (away_m > inner) & (away_m <= outer) if inner > 0 else away_m <= outer
        if there.any():
            found += share * np.bincount(cell_of[there] + 1, minlength=count + 1) / int(there.sum())
    return Shares(tuple(found[1:].tolist()), float(1.0 - found[1:].sum()))


@dataclass(frozen=True, slots=True)
class Consensus:
    """People's estimates put together: each evened by itself, their mean, and how far the widest apart of a segment are."""

    each: Mapping[str, Shares]
    mean: Shares
    apart: tuple[float, ...]


def by_consensus(estimates: Mapping[str, tuple[Sequence[float], float]]) -> Consensus:
    """Return the mean of several people's estimates, each of which counts the same whatever scale it was written in.

    ``estimates``: by name the figures of all segments, and of the rest of the world.
    """
    if not estimates:
        raise MissingInput("Nobody has estimated yet.", "estimates")
    each = {name: evened(figures, rest, f"estimates.{name}") for name, (figures, rest) in estimates.items()}
    table = np.array([x.of for x in each.values()])
    rest = float(np.mean([x.rest_frac for x in each.values()]))
    mean = Shares(tuple(table.mean(axis=0).tolist()), rest)
    return Consensus(each, mean, tuple(np.ptp(table, axis=0).tolist()))


def mixed(parts: Sequence[tuple[Shares, float]]) -> Shares:
    """Return several answers as one, each with its weight: the mean of all."""
    weights = np.array([w for _, w in parts], dtype=np.float64)
    if not len(parts) or not np.isfinite(weights).all() or (weights < 0).any() or weights.sum() <= 0:
        raise OutOfRange("Give at least one way of estimating a weight above 0.", "weights")
    weights /= weights.sum()
    table = np.array([[*shares.of, shares.rest_frac] for shares, _ in parts])
    together = weights @ table
    return Shares(tuple(together[:-1].tolist()), float(together[-1]))
