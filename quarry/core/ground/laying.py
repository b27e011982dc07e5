"""Laying the lines of one block: straight rows at an angle, or along the bend of a strip."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import LineString
from shapely.geometry.base import BaseGeometry

from quarry.core.ground.cells import Cell, cut_cells, straight_cell
from quarry.core.ground.joining import joined
from quarry.core.ground.outline import Block
from quarry.core.ground.rows import (
    Ends,
    Turned,
    clip_rows,
    cover_rows,
    edges_of,
    join_gaps,
    row_positions,
    turn_points,
    turned,
    uncovered_m2,
)

Floats = NDArray[np.float64]
# Gaps flown straight across, and gaps flown around, in spacings; the last of each joins most.
_OPEN_GAPS = ((0.0, 0.0), (2.0, 0.0), (6.0, 0.0), (15.0, 0.0), (math.inf, 0.0))
_BARRED_GAPS = ((0.0, 0.0), (2.0, 2.0), (6.0, 6.0), (15.0, 15.0), (math.inf, 15.0), (math.inf, math.inf))
_MOST_CELLS, _MOST_BARRED_CELLS = 60, 16
_SHORTEST_M = 0.1
_WIDER = (1.0, 1.15, 1.3, 1.6)
_HARDLY = 0.003


@dataclass(frozen=True, slots=True)
class Laid:
    """Lines over a block, in cells that are not yet ordered; what they leave uncovered is an estimate until patched. [m²]"""

    cells: tuple[Cell, ...]
    angle_deg: float
    rows: int
    uncovered_m2: float
    along_bend: bool = False


def lay_straight(block: Block, forbidden: BaseGeometry, spacing_m: float, ends: Ends, angle_deg: float) -> Iterator[Laid]:
    """Return the lines over a block at one angle, once for each way of treating gaps that differs."""
    flat = turned(block.worked, forbidden, angle_deg)
    _, low, _, high = flat.worked.bounds
    ys = row_positions(low, high, spacing_m)
    rows = clip_rows(flat, ys) if ends == "clip" else cover_rows(flat, ys, spacing_m)
    if not any(rows):
        return
    rest = uncovered_m2(flat, rows, ys, spacing_m)
    barred = edges_of(flat.forbidden)
    tries, most = (_OPEN_GAPS, _MOST_CELLS) if flat.forbidden.is_empty else (_BARRED_GAPS, _MOST_BARRED_CELLS)
    seen: set[tuple[int, ...]] = set()
    for across, around in tries:
        joined = join_gaps(rows, ys, barred, across * spacing_m, around * spacing_m)
        shape = tuple(len(r) for r in joined)
        if shape in seen:
            continue
        cells = cut_cells(joined, ys)
        # Too many cells to order quickly: only the last try, which joins most, has to take what it gets.
        if len(cells) > most and (across, around) != tries[-1]:
            continue
        seen.add(shape)
        yield Laid(tuple(straight_cell(c, angle_deg) for c in cells), angle_deg, len(ys), rest)


def lay_along(block: Block, forbidden: BaseGeometry, spacing_m: float) -> Laid | None:
    """Return the lines along the axis of a strip, side by side; None where it has none.

    A strip that is wider in places gets as many lines as leave hardly anything between them and its edges.
    """
    if block.axis is None:
        return None
    best: Laid | None = None
    for wider in _WIDER:
        laid = _along(block, block.axis, forbidden, spacing_m, block.width_m * wider)
        if laid is not None and (best is None or laid.uncovered_m2 < best.uncovered_m2):
            best = laid
        if best is not None and best.uncovered_m2 <= _HARDLY * block.worked.area:
            break
    return best


def _along(block: Block, axis: LineString, forbidden: BaseGeometry, spacing_m: float, width_m: float) -> Laid | None:
    offsets = row_positions(-width_m / 2, width_m / 2, spacing_m)
    free = shapely.difference(block.worked.buffer(spacing_m / 2), forbidden)
    passes = []
    for offset in offsets.tolist():
        line = axis if abs(offset) < 1e-9 else axis.offset_curve(offset, join_style="mitre", mitre_limit=4.0)
        parts = [p for p in shapely.get_parts(line.intersection(free)) if p.geom_type == "LineString" and p.length > _SHORTEST_M]
        if parts:
            forth = sorted((shapely.get_coordinates(p) for p in parts), key=lambda p: axis.project(shapely.Point(p[0])))
            passes.append(tuple(_forwards(p, axis) for p in forth))
    if not passes:
        return None
    reach = [LineString(s).buffer(spacing_m / 2 + 1e-6, cap_style="square") for one in passes for s in one]
    left = block.worked.difference(joined(reach))
    ends = shapely.get_coordinates(axis)[[0, -1]]
    chord = math.degrees(math.atan2(*(ends[1] - ends[0])[::-1])) % 180
    return Laid((Cell(tuple(passes)),), chord, len(offsets), float(left.area), along_bend=True)


def _forwards(stretch: Floats, axis: LineString) -> Floats:
    first, last = (axis.project(shapely.Point(stretch[k])) for k in (0, -1))
    return stretch if first <= last else stretch[::-1]


def patched(laid: Laid, block: Block, forbidden: BaseGeometry, spacing_m: float, ends: Ends, most_left_frac: float) -> Laid:
    """Return lines with what they leave worked out exactly, and with short extra lines where that is too much.

    Lines that cover leave ground beside what must not be crossed; lines that end at the boundary lose what is narrower
    than their spacing. ``most_left_frac`` of it may be left.
    """
    if laid.along_bend:
        return laid
    if ends == "cover" and forbidden.is_empty:
        return laid
    if ends == "clip" and laid.uncovered_m2 <= most_left_frac * block.worked.area:
        return laid
    flat = turned(block.worked, forbidden, laid.angle_deg)
    stretches = [turn_points(s, -laid.angle_deg) for cell in laid.cells for one in cell.passes for s in one]
    lines = np.array([[s[0, 1], s[0, 0], s[-1, 0]] for s in stretches])
    extra: list[Cell] = []
    left = _leftover(flat, lines, spacing_m, ends)
    for _ in range(3):
        more = _patches(_worth_a_line(left, most_left_frac * block.worked.area), flat, ends)
        if not more.size:
            break
        extra += [straight_cell([(float(y), ((float(a), float(b)),))], laid.angle_deg) for y, a, b in more]
        lines = np.vstack([lines, more])
        left = _leftover(flat, lines, spacing_m, ends)
    return replace(laid, cells=(*laid.cells, *extra), uncovered_m2=float(left.area))


def _leftover(flat: Turned, lines: Floats, spacing_m: float, ends: Ends) -> BaseGeometry:
    """Return what lies farther than half a spacing from each line, shape (n, 3): y, x from, x to."""
    y, a, b = lines.T
    legs = shapely.linestrings(np.stack([np.stack([a, y], axis=1), np.stack([b, y], axis=1)], axis=1))
    strips = shapely.box(a, y - spacing_m / 2, b, y + spacing_m / 2)
    # Lines that cover reach as far as they must; round ends count beside what they had to stop at.
    near = np.ones(len(lines), dtype=bool) if ends == "clip" else shapely.dwithin(legs, flat.forbidden, spacing_m)
    reach = shapely.union_all(np.concatenate([strips, shapely.buffer(legs[near], spacing_m / 2 + 1e-6)]))
    return flat.worked.difference(reach)


def _worth_a_line(left: BaseGeometry, most_left_m2: float) -> list[BaseGeometry]:
    """Return the largest pieces left, as many as bring the rest down to what may be left."""
    parts = sorted(shapely.get_parts(left), key=lambda p: -p.area)
    rest = left.area - np.cumsum([p.area for p in parts])
    enough = int(np.searchsorted(-rest, -most_left_m2)) + 1
    return parts[:enough] if left.area > most_left_m2 else []


def _patches(parts: list[BaseGeometry], flat: Turned, ends: Ends) -> Floats:
    found: list[tuple[float, float, float]] = []
    for part in parts:
        _, south, _, north = part.bounds
        y = np.array([(south + north) / 2])
        alone = Turned(0.0, part, flat.forbidden)
        rows = clip_rows(alone, y) if ends == "clip" else cover_rows(alone, y, max(north - south, 1e-3))
        found += [(float(y[0]), a, max(b, a + _SHORTEST_M)) for a, b in rows[0]]
    return np.array(found).reshape(-1, 3)
