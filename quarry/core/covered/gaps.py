"""Ground that was not covered: gaps by size, each with its probable cause, and how sure their edges are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from shapely import LineString, MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from quarry.core.covered.strips import Pass
from quarry.core.covered.track import Dropout, Track
from quarry.core.ground.joining import NET_M, joined_on_net

Cause = Literal["no line", "keep-out", "dropout", "shut", "no picture", "turned early", "drift", "not flown"]
WORDS: dict[Cause, str] = {
    "no line": "the plan has no line there",
    "keep-out": "nothing flies there: a keep-out",
    "dropout": "no position was recorded",
    "shut": "flown over with nothing on",
    "no picture": "flown over, and no picture was taken",
    "turned early": "the line ended too soon",
    "drift": "flown or drifted to one side",
    "not flown": "no line was flown there",
}
_MOST = 0.5  # of a gap that something explains
_NARROW = 0.75  # of a swath: a gap that is wider is no side of a strip
_SOME = 0.1  # of a gap that lies in the strip of a line: else it only touches it
_ALONG = 0.7  # of its length that something runs along


@dataclass(frozen=True, slots=True)
class Gap:
    """A piece of ground that was not covered: where, how large, probably why."""

    ground: Polygon
    area_m2: float
    cause: Cause


@dataclass(frozen=True, slots=True)
class Cover:
    """What was covered of a piece of ground, exactly by its shapes.

    ``least_m2`` and ``most_m2``: covered if every edge lies as far in, or out, as positions may be off. ``slivers_m2``: not
    covered, and too narrow or too small to be told from the error of positions.
    """

    ground_m2: float
    covered_m2: float
    least_m2: float
    most_m2: float
    slivers_m2: float
    gaps: tuple[Gap, ...]

    @property
    def covered_frac(self) -> float:
        """Share of the ground that was covered. [0 to 1]"""
        return self.covered_m2 / self.ground_m2 if self.ground_m2 > 0 else 0.0


@dataclass(frozen=True, slots=True)
class Course:
    """What was flown and what was planned, to find out why a gap is there: both in one frame. [m]

    ``lines``: the lines as planned; ``forbidden``: what nothing may fly over; ``pictures``: work is done where a picture was
    taken, and not all along a way.
    """

    tracks: Sequence[Track]
    ways: Sequence[Pass]
    dropouts: Sequence[Dropout]
    lines: Sequence[LineString]
    forbidden: BaseGeometry
    width_m: float
    pictures: bool = False


def cover_of(
    ground: BaseGeometry, shapes: Sequence[BaseGeometry], error_m: float, course: Course, reaches: Sequence[BaseGeometry] = ()
) -> Cover:
    """Return what was covered of a piece of ground and the gaps that are left, the largest first.

    Parameters
    ----------
    ground : geometry
        What was to be covered. [m]
    shapes : sequence of geometries
        Strips or footprints. [m]
    error_m : float
        How far edges may be off to one side.
    course : Course
        What is looked at for the causes.
    reaches : sequence of geometries
        The same strips, as long as they may be: what lies between is no gap. None: as they are.
    """
    whole = joined_on_net(shapes)
    left = shapely.difference(ground, whole, grid_size=NET_M)
    apart = shapely.difference(left, joined_on_net(reaches), grid_size=NET_M) if reaches else left
    gaps: list[Gap] = []
    causes = _Causes(course)
    for piece in _polygons(apart):
        # What is too narrow to be told is taken off, so that a thread between two gaps does not make them one.
        for part in _polygons(piece.buffer(-error_m).buffer(error_m).intersection(piece)):
            gaps += [Gap(p, float(p.area), cause) for cause, p in causes.split(part, error_m)]
    gaps.sort(key=lambda g: -g.area_m2)
    # Slits between two strips are no edges: they are closed before all edges are moved in.
    closed = whole.buffer(error_m).buffer(-error_m)
    return Cover(
        ground_m2=float(ground.area),
        covered_m2=float(ground.intersection(whole).area),
        least_m2=float(ground.intersection(closed.buffer(-error_m)).area),
        most_m2=float(ground.intersection(whole.buffer(error_m)).area),
        slivers_m2=max(0.0, float(left.area) - sum(g.area_m2 for g in gaps)),
        gaps=tuple(gaps),
    )


def _polygons(shape: BaseGeometry) -> list[Polygon]:
    if isinstance(shape, Polygon):
        return [] if shape.is_empty else [shape]
    if isinstance(shape, MultiPolygon) or hasattr(shape, "geoms"):
        return [p for part in shape.geoms for p in _polygons(part)]
    return []


class _Causes:
    """What explains most of a gap; the first that explains half of it, in the order of what is surest."""

    def __init__(self, course: Course) -> None:
        self.course = course
        self.half = course.width_m / 2
        self.lines = list(course.lines)
        self.line_tree = shapely.STRtree(self.lines)
        self.ways = [LineString(w.xy) for w in course.ways]
        self.way_tree = shapely.STRtree(self.ways)
        self.idle = [way for track in course.tracks for way in _idle(track)]
        self.idle_tree = shapely.STRtree(self.idle)
        blind = [LineString([d.from_xy, d.to_xy]) for d in course.dropouts if not d.bridged and d.from_xy != d.to_xy]
        self.blind = joined_on_net([b.buffer(self.half, cap_style="flat") for b in blind])

    def split(self, gap: Polygon, error_m: float) -> list[tuple[Cause, Polygon]]:
        """Return a gap in as many pieces as it has causes: where it lies over several lines each may have its own."""
        bands = [self.lines[k].buffer(self.half, cap_style="flat") for k in self.line_tree.query(gap, predicate="intersects")]
        pieces: list[tuple[Cause, BaseGeometry]] = []
        left: BaseGeometry = gap
        for band in bands:
            piece = shapely.intersection(left, band, grid_size=NET_M)
            if piece.area < self.course.width_m * error_m:
                continue
            left = MultiPolygon(_polygons(shapely.difference(left, band, grid_size=NET_M)))
            pieces += [(self.of(p), p) for p in _polygons(piece)]
        if len({cause for cause, _ in pieces}) < 2:
            return [(self.of(gap), gap)]
        pieces += [(self.of(p), p) for p in _polygons(left) if not p.buffer(-error_m).is_empty]
        by_cause = {cause: joined_on_net([p for c, p in pieces if c == cause]) for cause, _ in pieces}
        found = [(c, p) for c, shape in by_cause.items() for p in _polygons(shape) if not p.buffer(-error_m).is_empty]
        return found or [(self.of(gap), gap)]

    def of(self, gap: Polygon) -> Cause:
        """Return why a gap is probably there."""
        if _share(gap, self.course.forbidden) > _MOST:
            return "keep-out"
        near = [self.lines[k] for k in self.line_tree.query(gap.buffer(self.half), predicate="intersects")]
        if not near or _share(gap, joined_on_net([line.buffer(self.half, cap_style="flat") for line in near])) <= _MOST:
            return "no line"
        near = [line for line in near if _share(gap, line.buffer(self.half, cap_style="flat")) > _SOME]
        if _share(gap, self.blind) > _MOST:
            return "dropout"
        short_m, long_m = _sides_m(gap)
        narrow = joined_on_net([line.buffer(self.half / 2, cap_style="flat") for line in near])
        over = self._past(gap.intersection(narrow), self.idle, self.idle_tree, 0.0)
        if over > _ALONG * long_m:
            return "shut"
        if self.course.pictures and self._past(gap, self.ways, self.way_tree, 0.0) > _ALONG * long_m:
            return "no picture"
        beside = self._past(gap, self.ways, self.way_tree, self.course.width_m)
        if short_m < _NARROW * self.course.width_m and beside > _ALONG * long_m and self._flown_along(gap, near):
            return "drift"
        on_line = joined_on_net([line.buffer(self.half / 2, cap_style="flat") for line in near]).intersection(
            gap.buffer(self.half)
        )
        return "turned early" if self.way_tree.query(on_line, predicate="intersects").size else "not flown"

    def _flown_along(self, gap: Polygon, lines: Sequence[LineString]) -> bool:
        """Return whether the lines that lie in a gap, or beside it, were flown at all, no farther than half a swath off."""
        there = gap.buffer(self.half)
        parts = [line.intersection(there) for line in lines]
        length = sum(p.length for p in parts)
        if length <= 0.0:
            return False
        ways = [self.ways[k] for k in self.way_tree.query(there.buffer(self.half), predicate="intersects")]
        flown = joined_on_net([way.buffer(self.half, cap_style="flat") for way in ways])
        return bool(sum(p.intersection(flown).length for p in parts) > _MOST * length)

    @staticmethod
    def _past(ground: BaseGeometry, ways: list[LineString], tree: shapely.STRtree, reach_m: float) -> float:
        """Return the greatest length that one way runs over, or past, a piece of ground. [m]"""
        if ground.is_empty:
            return 0.0
        there = ground.buffer(reach_m, cap_style="flat") if reach_m > 0 else ground
        return max((ways[k].intersection(there).length for k in tree.query(there, predicate="intersects")), default=0.0)


def _share(gap: Polygon, of: BaseGeometry) -> float:
    return float(gap.intersection(of).area / gap.area) if not of.is_empty else 0.0


def _sides_m(gap: Polygon) -> tuple[float, float]:
    """Return the sides of the smallest rectangle around a gap, the shorter first. [m]"""
    box = gap.minimum_rotated_rectangle
    corners = list(box.exterior.coords) if isinstance(box, Polygon) else list(box.coords)
    sides = [float(LineString(corners[k : k + 2]).length) for k in range(min(2, len(corners) - 1))]
    return min(sides), max(sides)


def _idle(track: Track) -> list[LineString]:
    """Return the ways flown with nothing on."""
    found: list[LineString] = []
    edges = np.flatnonzero(np.diff(track.working.astype(np.int8))) + 1
    for a, b in zip([0, *edges.tolist()], [*edges.tolist(), len(track)], strict=True):
        piece = track.xy[max(0, a - 1) : b + 1]
        if not track.working[a] and len(piece) > 1 and float(np.abs(piece - piece[0]).max()) > 0:
            found.append(LineString(piece))
    return found
