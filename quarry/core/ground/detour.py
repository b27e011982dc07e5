"""Ways around ground that must not be flown over: shortest paths on a visibility graph."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import Infeasible

Floats = NDArray[np.float64]
_MOST_CORNERS = 90
_MOST_NODES = 640
_CLEARANCE_M = 0.5
_NEAREST = 24
_FAR_STRETCH = 1.1
_CHUNK = 4000


class Detours:
    """Distances and ways that keep clear of forbidden ground.

    Corners of the forbidden ground, moved outward by half a metre, are the only places to bend.
    Outlines with very many corners are first widened and simplified, never narrowed; where there are very many
    of them, each is gone around by the corners of its smallest rectangle.
    """

    def __init__(self, forbidden: BaseGeometry) -> None:
        self.empty = forbidden.is_empty
        if self.empty:
            return
        self.forbidden = forbidden.buffer(-0.05)
        shapely.prepare(self.forbidden)
        nodes = _bends(forbidden)
        self.nodes = nodes[~shapely.contains_xy(self.forbidden, nodes)]
        direct = self._clear(self.nodes, self.nodes)
        gaps = np.hypot(*np.moveaxis(self.nodes[:, None] - self.nodes[None], 2, 0))
        self.between = np.where(direct, gaps, np.inf)
        self.via = np.where(direct, np.arange(len(self.nodes))[None, :], -1)
        for k in range(len(self.nodes)):
            through = self.between[:, k, None] + self.between[None, k, :]
            better = through < self.between - 1e-9
            self.between = np.where(better, through, self.between)
            self.via = np.where(better, self.via[:, k, None], self.via)

    def _clear(self, a: Floats, b: Floats) -> NDArray[np.bool_]:
        pairs = np.empty((len(a), len(b), 2, 2))
        pairs[:, :, 0], pairs[:, :, 1] = a[:, None], b[None]
        return np.asarray(~shapely.intersects(self.forbidden, shapely.linestrings(pairs)))

    def lengths_m(self, starts: Floats, ends: Floats) -> Floats:
        """Return the length of the way from each start to each end, shape (n, m); inf if none.

        Among very many places only ways to the nearest are worked out; those farther off are taken as a little longer than straight.
        """
        straight = np.hypot(*np.moveaxis(starts[:, None] - ends[None], 2, 0))
        if self.empty:
            return np.asarray(straight)
        if len(self.nodes) > _MOST_CORNERS:
            return self._near_lengths_m(starts, ends, straight)
        clear = self._clear(starts, ends)
        if clear.all():
            return np.asarray(straight)
        leave = self._reach(starts)
        arrive = self._reach(ends)
        first = (leave[:, :, None] + self.between[None]).min(axis=1)
        around = (first[:, None, :] + arrive[None]).min(axis=2)
        return np.asarray(np.where(clear, straight, around), dtype=np.float64)

    def _near_lengths_m(self, starts: Floats, ends: Floats, straight: Floats) -> Floats:
        found = _FAR_STRETCH * straight
        count = min(_NEAREST, len(ends))
        near = np.argpartition(straight, count - 1, axis=1)[:, :count]
        row = np.repeat(np.arange(len(starts)), count)
        col = near.ravel()
        clear = self._clear_each(starts[row], ends[col])
        found[row[clear], col[clear]] = straight[row[clear], col[clear]]
        row, col = row[~clear], col[~clear]
        if not row.size:
            return found
        (by_start, leave), (by_end, arrive) = self._near_nodes(starts), self._near_nodes(ends)
        for k in range(0, row.size, _CHUNK):
            r, c = row[k : k + _CHUNK], col[k : k + _CHUNK]
            over = self.between[by_start[r][:, :, None], by_end[c][:, None, :]]
            around = (leave[r][:, :, None] + over + arrive[c][:, None, :]).min(axis=(1, 2))
            found[r, c] = np.where(np.isfinite(around), around, found[r, c])
        return found

    def _near_nodes(self, points: Floats) -> tuple[NDArray[np.intp], Floats]:
        """Return the nearest places to bend for each point, and how far each is; inf where it is not seen."""
        gaps = np.hypot(*np.moveaxis(points[:, None] - self.nodes[None], 2, 0))
        count = min(_NEAREST, len(self.nodes))
        near = np.argpartition(gaps, count - 1, axis=1)[:, :count]
        row = np.repeat(np.arange(len(points)), count)
        seen = self._clear_each(points[row], self.nodes[near.ravel()]).reshape(near.shape)
        return near, np.where(seen, np.take_along_axis(gaps, near, axis=1), np.inf)

    def _clear_each(self, a: Floats, b: Floats) -> NDArray[np.bool_]:
        return np.asarray(~shapely.intersects(self.forbidden, shapely.linestrings(np.stack([a, b], axis=1))))

    def _reach(self, points: Floats) -> Floats:
        gaps = np.hypot(*np.moveaxis(points[:, None] - self.nodes[None], 2, 0))
        return np.where(self._clear(points, self.nodes), gaps, np.inf)

    def way(self, start: tuple[float, float], end: tuple[float, float]) -> list[tuple[float, float]]:
        """Return the points to pass between start and end, both left out; raises `Infeasible` where no way was found."""
        if self.empty:
            return []
        a, b = np.array([start]), np.array([end])
        if self._clear(a, b)[0, 0]:
            return []
        total = self._reach(a)[0][:, None] + self.between + self._reach(b)[0][None]
        if not np.isfinite(total).any():
            raise Infeasible(
                "No way was found around the keep-outs that are never flown over. "
                "Let one be flown over, join those that stand close together, or split the job.",
                "keep_outs",
            )
        i, j = np.unravel_index(int(np.argmin(total)), total.shape)
        points = [int(i)]
        while points[-1] != j:
            points.append(int(self.via[points[-1], j]))
        return [(float(self.nodes[k, 0]), float(self.nodes[k, 1])) for k in points]


def _bends(forbidden: BaseGeometry) -> Floats:
    """Return the places at which a way may bend: corners of the forbidden ground, a little outside of it."""
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
