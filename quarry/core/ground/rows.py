"""Parallel rows over an area, in a frame turned so that the rows run along x.

A row is a list of stretches (x from, x to). Two treatments of the ends: *clip* ends a row where it
meets the boundary; *cover* lengthens it until every point of the area lies within half a spacing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

Floats = NDArray[np.float64]
Ends = Literal["cover", "clip"]


@dataclass(frozen=True, slots=True)
class Turned:
    """An area in a frame turned by ``angle_deg`` so that lines run along x."""

    angle_deg: float
    worked: BaseGeometry
    forbidden: BaseGeometry


def turn_points(points: Floats, angle_deg: float) -> Floats:
    """Return points, shape (n, 2), turned counter-clockwise by an angle."""
    a = math.radians(angle_deg)
    c, s = math.cos(a), math.sin(a)
    return np.asarray(points @ np.array([[c, s], [-s, c]]), dtype=np.float64)


def turned(worked: BaseGeometry, forbidden: BaseGeometry, angle_deg: float) -> Turned:
    """Turn an area so that lines at ``angle_deg`` (counter-clockwise from east) run along x."""

    def back(xy: Floats) -> Floats:
        return turn_points(xy, -angle_deg)

    return Turned(
        angle_deg,
        shapely.transform(worked, back),
        shapely.transform(forbidden, back) if not forbidden.is_empty else forbidden,
    )


def edges_of(geometry: BaseGeometry) -> Floats:
    """Return all edges of the rings of a polygon or several, shape (n, 4): x1, y1, x2, y2."""
    boundary = shapely.get_parts(shapely.boundary(geometry))
    pieces = []
    for ring in boundary:
        xy = shapely.get_coordinates(ring)
        pieces.append(np.hstack([xy[:-1], xy[1:]]))
    return np.vstack(pieces) if pieces else np.empty((0, 4))


def row_positions(low: float, high: float, spacing_m: float) -> Floats:
    """Return the y of the fewest rows that span an extent, with equal margins on both sides."""
    count = max(1, math.ceil((high - low) / spacing_m - 1e-9))
    first = low + ((high - low) - (count - 1) * spacing_m) / 2
    return np.asarray(first + spacing_m * np.arange(count), dtype=np.float64)


def chords(edges: Floats, ys: Floats) -> tuple[NDArray[np.intp], Floats, Floats]:
    """Return the stretches of all rows inside the rings: row number, x from, x to.

    One pass over edges and rows with arrays only (even-odd rule); rows must rise.
    """
    x1, y1, x2, y2 = edges.T
    low, high = np.minimum(y1, y2), np.maximum(y1, y2)
    first = np.searchsorted(ys, low, side="left")
    count = np.searchsorted(ys, high, side="left") - first
    which = np.repeat(np.arange(len(edges)), count)
    if which.size == 0:
        return np.empty(0, dtype=np.intp), np.empty(0), np.empty(0)
    within = np.arange(which.size) - np.repeat(np.cumsum(count) - count, count)
    row = first[which] + within
    share = (ys[row] - y1[which]) / (y2[which] - y1[which])
    x = x1[which] + share * (x2[which] - x1[which])
    order = np.lexsort((x, row))
    row, x = row[order], x[order]
    return row[::2], x[::2], x[1::2]


Row = list[tuple[float, float]]
Span = tuple[tuple[float, float], ...]


def clip_rows(area: Turned, ys: Floats) -> list[Row]:
    """Return rows that end where they meet the boundary."""
    rows: list[Row] = [[] for _ in ys]
    for r, a, b in zip(*(v.tolist() for v in chords(edges_of(area.worked), ys)), strict=True):
        if b - a > 1e-6:
            rows[r].append((a, b))
    return rows


def cover_rows(area: Turned, ys: Floats, spacing_m: float) -> list[Row]:
    """Return rows long enough that each point of the area lies within half a spacing of one.

    Each row reaches over the shadow, along the row, of all that lies in its strip. Where a row
    would cross ground that must not be flown over, it is interrupted there.
    """
    west, _, east, _ = area.worked.bounds
    half = spacing_m / 2
    strips = shapely.box(west - 1, ys - half, east + 1, ys + half)
    parts, owner = shapely.get_parts(shapely.intersection(area.worked, strips), return_index=True)
    keep = shapely.area(parts) > 1e-9
    bounds = shapely.bounds(parts[keep])
    rows: list[Row] = [[] for _ in ys]
    for r, a, b in sorted(zip(owner[keep].tolist(), bounds[:, 0].tolist(), bounds[:, 2].tolist(), strict=True)):
        if rows[r] and a <= rows[r][-1][1] + 1e-9:
            rows[r][-1] = (rows[r][-1][0], max(rows[r][-1][1], b))
        else:
            rows[r].append((a, b))
    if not area.forbidden.is_empty:
        barred: list[Row] = [[] for _ in ys]
        for r, a, b in zip(*(v.tolist() for v in chords(edges_of(area.forbidden), ys)), strict=True):
            barred[r].append((a, b))
        rows = [_without(row, bars) for row, bars in zip(rows, barred, strict=True)]
    return rows


def _without(row: Row, bars: Row) -> Row:
    for a, b in bars:
        cut: Row = []
        for u, v in row:
            if b <= u or a >= v:
                cut.append((u, v))
                continue
            if a - u > 1e-6:
                cut.append((u, a))
            if v - b > 1e-6:
                cut.append((b, v))
        row = cut
    return row


def join_gaps(
    rows: Sequence[Row], ys: Floats, forbidden_edges: Floats, longest_gap_m: float, longest_way_round_m: float = 0.0
) -> list[list[Span]]:
    """Return rows as spans: stretches that are flown one after another as one line, straight across short gaps.

    A gap that must not be crossed is flown around where it is no longer than ``longest_way_round_m``.
    """
    if longest_gap_m <= 0 and longest_way_round_m <= 0:
        return [[(stretch,) for stretch in row] for row in rows]
    barred: dict[int, Row] = {}
    if len(forbidden_edges):
        for r, a, b in zip(*(v.tolist() for v in chords(forbidden_edges, ys)), strict=True):
            barred.setdefault(r, []).append((a, b))
    joined = []
    for r, row in enumerate(rows):
        spans: list[list[tuple[float, float]]] = []
        for a, b in row:
            last = spans[-1][-1][1] if spans else -math.inf
            closed = any(u < a - 1e-9 and v > last + 1e-9 for u, v in barred.get(r, ()))
            if spans and a - last <= (longest_way_round_m if closed else longest_gap_m):
                spans[-1].append((a, b))
            else:
                spans.append([(a, b)])
        joined.append([tuple(span) for span in spans])
    return joined


def uncovered_m2(area: Turned, rows: Sequence[Row], ys: Floats, spacing_m: float) -> float:
    """Return the part of the area outside all strips of one spacing's width with flat ends. [m²]"""
    a = np.array([s[0] for row in rows for s in row])
    b = np.array([s[1] for row in rows for s in row])
    y = np.repeat(ys, [len(row) for row in rows])
    half = spacing_m / 2
    boxes = shapely.box(a, y - half, b, y + half)
    return max(0.0, float(area.worked.area) - float(shapely.area(shapely.intersection(area.worked, boxes)).sum()))
