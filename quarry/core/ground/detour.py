"""Ways around ground that must not be flown over.

One piece of such ground is gone around by the shortest way past its corners. Where that way meets another piece, the leg
that does goes around it in turn. Where this ends nowhere, a visibility graph of all corners decides.
"""

from __future__ import annotations

from functools import cached_property, lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.sparse.csgraph import shortest_path  # type: ignore[import-untyped]
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import Infeasible
from quarry.core.ground.joining import joined

Floats = NDArray[np.float64]
Place = tuple[float, float]
_MOST_CORNERS = 90
_MOST_NODES = 640
_CLEARANCE_M = 0.5
_NARROW_M = 0.55
_SAME_M = 1e-4  # corners nearer than this are one
_NEIGHBOURS = 24
_SHRUNK_M = 0.05
_EXACT_PAIRS = 64
_MOST_LEGS = 60


class _Graph:
    """Shortest ways past the corners of one geometry; among very many corners each sees its nearest alone."""

    def __init__(self, forbidden: BaseGeometry, nodes: Floats) -> None:
        self.forbidden = forbidden.buffer(-_SHRUNK_M)
        shapely.prepare(self.forbidden)
        self.nodes = nodes[~shapely.contains_xy(self.forbidden, nodes)]

    @cached_property
    def _tables(self) -> tuple[Floats, NDArray[np.int32]]:
        """Return lengths between all places to bend, and on the way from each to each the place before the last."""
        gaps = np.hypot(*np.moveaxis(self.nodes[:, None] - self.nodes[None], 2, 0))
        if len(self.nodes) <= _MOST_CORNERS:
            seen = self.clear(self.nodes, self.nodes)
        else:
            near = np.argsort(gaps, axis=1)[:, 1 : _NEIGHBOURS + 1]
            rows, columns = np.repeat(np.arange(len(gaps)), near.shape[1]), near.ravel()
            legs = shapely.linestrings(np.stack([self.nodes[rows], self.nodes[columns]], axis=1))
            free = ~shapely.intersects(self.forbidden, legs)
            seen = np.zeros(gaps.shape, dtype=bool)
            seen[rows[free], columns[free]] = seen[columns[free], rows[free]] = True
        lengths, before = shortest_path(np.where(seen, np.maximum(gaps, 1e-9), np.inf), return_predecessors=True)
        return np.asarray(lengths), np.asarray(before)

    def clear(self, a: Floats, b: Floats) -> NDArray[np.bool_]:
        pairs = np.empty((len(a), len(b), 2, 2))
        pairs[:, :, 0], pairs[:, :, 1] = a[:, None], b[None]
        return np.asarray(~shapely.intersects(self.forbidden, shapely.linestrings(pairs)))

    def reach(self, points: Floats) -> Floats:
        """Return how far each place to bend is from each point; inf where it is not seen."""
        gaps = np.hypot(*np.moveaxis(points[:, None] - self.nodes[None], 2, 0))
        return np.asarray(np.where(self.clear(points, self.nodes), gaps, np.inf))

    def lengths_m(self, starts: Floats, ends: Floats) -> Floats:
        """Return the length of the shortest way from each start to each end that do not see each other."""
        between, _ = self._tables
        first = (self.reach(starts)[:, :, None] + between[None]).min(axis=1)
        return np.asarray((first[:, None, :] + self.reach(ends)[None]).min(axis=2))

    def way(self, start: Place, end: Place) -> list[Place] | None:
        """Return the places to pass between two points that do not see each other; None where there is no way."""
        if not len(self.nodes):
            return None
        between, before = self._tables
        total = self.reach(np.array([start]))[0][:, None] + between + self.reach(np.array([end]))[0][None]
        i, j = np.unravel_index(int(np.argmin(total)), total.shape)
        if not np.isfinite(total[i, j]):
            return None
        points = [int(j)]
        while points[-1] != i:
            points.append(int(before[i, points[-1]]))
        return [(float(self.nodes[k, 0]), float(self.nodes[k, 1])) for k in reversed(points)]


class Detours:
    """Distances and ways that keep clear of forbidden ground.

    Corners of the forbidden ground, moved outward by half a metre, are the only places to bend.
    Outlines with very many corners are first widened and simplified, never narrowed.
    """

    def __init__(self, forbidden: BaseGeometry) -> None:
        self.empty = forbidden.is_empty
        if self.empty:
            return
        self._whole = shut_gaps(forbidden)
        self._parts = shapely.get_parts(self._whole)
        self._tree = shapely.STRtree(shapely.buffer(self._parts, -_SHRUNK_M))
        self._around: dict[int, _Graph] = {}
        self._known: dict[tuple[Place, Place], list[Place]] = {}
        self.few = len(shapely.get_coordinates(self._whole)) <= _MOST_CORNERS

    @cached_property
    def _graph(self) -> _Graph:
        return _Graph(self._whole, _bends(self._whole))

    @cached_property
    def _boxes(self) -> Floats:
        """Return the corners of the smallest rectangle around each piece, shape (n, 4, 2)."""
        rims = shapely.oriented_envelope(shapely.buffer(self._parts, _CLEARANCE_M, join_style="mitre"))
        return np.stack([shapely.get_coordinates(r)[:4] for r in rims])

    def _hits(self, a: Floats, b: Floats) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Return which of the legs from a to b, shape (n, 2) each, meet which piece."""
        legs, parts = self._tree.query(shapely.linestrings(np.stack([a, b], axis=1)), predicate="intersects")
        return np.asarray(legs), np.asarray(parts)

    def clear(self, a: Floats, b: Floats) -> NDArray[np.bool_]:
        """Return whether each leg from a to b, shape (n, 2) each, meets no forbidden ground."""
        found = np.ones(len(a), dtype=bool)
        if not self.empty and len(a):
            found[self._hits(a, b)[0]] = False
        return found

    def estimate_m(self, a: Floats, b: Floats) -> Floats:
        """Return about how long the way from each a to its b is, shape (n,).

        Exact while there are few; else each piece in the way is passed by the nearer side of its rectangle.
        """
        straight: Floats = np.hypot(*(b - a).T)
        if self.empty or not len(a):
            return straight
        legs, parts = self._hits(a, b)
        if not legs.size:
            return straight
        blocked = np.unique(legs)
        if self.few and len(blocked) <= _EXACT_PAIRS:
            return self.exact_m(a, b)
        found = straight.copy()
        along = (b - a)[legs] / np.maximum(straight[legs], 1e-9)[:, None]
        from_start = self._boxes[parts] - a[legs][:, None]
        across = along[:, None, 0] * from_start[..., 1] - along[:, None, 1] * from_start[..., 0]
        aside = np.maximum(np.minimum(across.max(axis=1), -across.min(axis=1)), 0.0)
        reach = np.clip((from_start * along[:, None]).sum(axis=2), 0.0, straight[legs][:, None])
        half = np.ptp(reach, axis=1) / 2
        np.add.at(found, legs, 2 * (np.hypot(half, aside) - half))
        return found

    def exact_m(self, a: Floats, b: Floats) -> Floats:
        """Return the length of the way from each a to its b, shape (n,); inf where there is none. [m]"""
        found = np.hypot(*(b - a).T)
        for k in np.flatnonzero(~self.clear(a, b)).tolist():
            found[k] = self._length_m((float(a[k, 0]), float(a[k, 1])), (float(b[k, 0]), float(b[k, 1])))
        return np.asarray(found)

    def _length_m(self, start: Place, end: Place) -> float:
        try:
            points = np.array([start, *self.way(start, end), end])
        except Infeasible:
            return np.inf
        return float(np.hypot(*np.diff(points, axis=0).T).sum())

    def lengths_m(self, starts: Floats, ends: Floats) -> Floats:
        """Return the length of the way from each start to each end, shape (n, m), inf if none; estimated past many keep-outs."""
        straight: Floats = np.hypot(*np.moveaxis(starts[:, None] - ends[None], 2, 0))
        if self.empty:
            return straight
        if self.few:
            clear = self._graph.clear(starts, ends)
            if clear.all():
                return np.asarray(straight)
            return np.asarray(np.where(clear, straight, self._graph.lengths_m(starts, ends)), dtype=np.float64)
        n, m = straight.shape
        return self.estimate_m(np.repeat(starts, m, axis=0), np.tile(ends, (n, 1))).reshape(n, m)

    def way(self, start: Place, end: Place) -> list[Place]:
        """Return the points to pass between start and end, both left out; raises `Infeasible` where no way was found."""
        if self.empty:
            return []
        key = (start, end)
        if key not in self._known:
            found = None if self.few else self._piecewise(start, end, [_MOST_LEGS])
            if found is None:
                found = [] if self.clear(np.array([start]), np.array([end]))[0] else self._graph.way(start, end)
            if found is None:
                raise Infeasible(
                    "No way was found around the keep-outs that are never flown over. "
                    "Let one be flown over, join those that stand close together, or split the job.",
                    "keep_outs",
                )
            self._known[key] = found
            self._known[(end, start)] = found[::-1]
        return self._known[key]

    def _piecewise(self, start: Place, end: Place, legs_left: list[int]) -> list[Place] | None:
        """Return a way that goes around one piece after another; None where that ends nowhere."""
        legs_left[0] -= 1
        a = np.array(start)
        _, parts = self._hits(a[None], np.array([end]))
        if not parts.size:
            return []
        if legs_left[0] <= 0:
            return None
        nearest = int(parts[np.argmin(shapely.distance(self._parts[parts], shapely.Point(start)))])
        bends = self._around_part(nearest).way(start, end)
        if bends is None:
            return None
        found: list[Place] = []
        at = start
        for bend in [*bends, end]:
            more = self._piecewise(at, bend, legs_left)
            if more is None:
                return None
            found += [*more, bend]
            at = bend
        return found[:-1]

    def _around_part(self, k: int) -> _Graph:
        if k not in self._around:
            self._around[k] = _Graph(self._parts[k], _bends(self._parts[k]))
        return self._around[k]


@lru_cache(maxsize=8)
def detours_around(forbidden: BaseGeometry) -> Detours:
    """Return the ways around forbidden ground, worked out once for the same ground."""
    return Detours(forbidden)


def shut_gaps(forbidden: BaseGeometry) -> BaseGeometry:
    """Return forbidden ground with what lies between two pieces that are closer than the bends around them are apart."""
    # Two corners at one place have no bend between them to be drawn around.
    whole = shapely.remove_repeated_points(shapely.union_all(forbidden), _SAME_M)
    shut = whole.buffer(_NARROW_M, join_style="mitre").buffer(-_NARROW_M, join_style="mitre")
    return joined([whole, shut])


def _bends(forbidden: BaseGeometry) -> Floats:
    """Return the places at which a way may bend: corners of the forbidden ground, a little outside of it."""
    forbidden = shapely.remove_repeated_points(forbidden, _SAME_M)
    rim = forbidden.buffer(_CLEARANCE_M, join_style="mitre")
    if len(shapely.get_coordinates(rim)) <= _MOST_CORNERS:
        return np.unique(shapely.get_coordinates(rim), axis=0)
    parts = shapely.get_parts(shapely.union_all(forbidden))
    each = max(4, _MOST_NODES // len(parts))
    bends = []
    for part in parts:
        around, slack = part.buffer(_CLEARANCE_M, join_style="mitre"), 0.25
        while len(shapely.get_coordinates(around)) - 1 > each and slack <= 2.0:
            around = part.buffer(_CLEARANCE_M + slack, join_style="mitre").simplify(slack)
            slack *= 2
        if len(shapely.get_coordinates(around)) - 1 > each and len(parts) > 1:
            around = part.buffer(_CLEARANCE_M, join_style="mitre").minimum_rotated_rectangle
        bends.append(shapely.get_coordinates(around))
    return np.unique(np.vstack(bends), axis=0)
