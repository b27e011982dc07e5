"""Ways around ground that must not be flown over: shortest paths on a visibility graph."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

Floats = NDArray[np.float64]
_MOST_CORNERS = 90
_CLEARANCE_M = 0.5


class Detours:
    """Distances and ways that keep clear of forbidden ground.

    Corners of the forbidden ground, moved outward by half a metre, are the only places to bend.
    Outlines with very many corners are first widened and simplified, never narrowed.
    """

    def __init__(self, forbidden: BaseGeometry) -> None:
        self.empty = forbidden.is_empty
        if self.empty:
            return
        self.forbidden = forbidden.buffer(-0.05)
        shapely.prepare(self.forbidden)
        rim, slack = forbidden.buffer(_CLEARANCE_M, join_style="mitre"), 0.5
        while len(shapely.get_coordinates(rim)) > _MOST_CORNERS and slack < 100:
            rim = forbidden.buffer(_CLEARANCE_M + slack, join_style="mitre").simplify(slack)
            slack *= 2
        nodes = np.unique(shapely.get_coordinates(rim), axis=0)
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
        """Return the length of the way from each start to each end, shape (n, m); inf if none."""
        straight = np.hypot(*np.moveaxis(starts[:, None] - ends[None], 2, 0))
        if self.empty:
            return np.asarray(straight)
        clear = self._clear(starts, ends)
        if clear.all():
            return np.asarray(straight)
        leave = self._reach(starts)
        arrive = self._reach(ends)
        first = (leave[:, :, None] + self.between[None]).min(axis=1)
        around = (first[:, None, :] + arrive[None]).min(axis=2)
        return np.where(clear, straight, around)

    def _reach(self, points: Floats) -> Floats:
        gaps = np.hypot(*np.moveaxis(points[:, None] - self.nodes[None], 2, 0))
        return np.where(self._clear(points, self.nodes), gaps, np.inf)

    def way(self, start: tuple[float, float], end: tuple[float, float]) -> list[tuple[float, float]]:
        """Return the points to pass between start and end, both left out."""
        if self.empty:
            return []
        a, b = np.array([start]), np.array([end])
        if self._clear(a, b)[0, 0]:
            return []
        total = self._reach(a)[0][:, None] + self.between + self._reach(b)[0][None]
        if not np.isfinite(total).any():
            return []
        i, j = np.unravel_index(int(np.argmin(total)), total.shape)
        points = [int(i)]
        while points[-1] != j:
            points.append(int(self.via[points[-1], j]))
        return [(float(self.nodes[k, 0]), float(self.nodes[k, 1])) for k in points]
