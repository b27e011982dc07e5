"""What a search asks of the jobs that fly its segments, and of a first pattern round its last known point."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, Literal

from shapely import LineString

from quarry.apps.search.fields import Place, SearchFields, SegmentFields
from quarry.core.base.errors import MissingInput
from quarry.core.ground.geodesy import LocalFrame
from quarry.core.search.segments import net_of, parted_by, round_ground

FirstPattern = Literal["square", "sector", "parallel", "track", "contour", "creeping"]
_MOST_COVERAGE, _LEAST_COVERAGE = 5.0, 0.05


def job_figures(f: SearchFields, s: SegmentFields, name: str, width_m: float, coverage: float) -> Mapping[str, Any]:
    """Return the figures of the job that flies a segment."""
    return {
        "name": f"{name[:50]}: {s.name}"[:80],
        "kind": "search",
        "areas": [{"ring": s.ring, "name": s.name[:40]}],
        "home": f.home,
        "work": {
            "sweep_width_m": width_m,
            "coverage": min(_MOST_COVERAGE, max(_LEAST_COVERAGE, coverage)),
            "law": f.law,
            "speed_m_s": f.speed_m_s,
            "height_m": f.height_m,
        },
    }


def first_figures(
    f: SearchFields, name: str, pattern: FirstPattern, width_m: float, coverage: float
) -> tuple[Mapping[str, Any], list[Place]]:
    """Return the figures of the job that flies a first pattern, and the ring that it searches.

    Round the point for a square, sectors, lines and contours; a track along the first path for a track line.
    """
    if f.point is None:
        raise MissingInput("Set the last known point.", "what.point")
    frame = LocalFrame.around([f.point])
    at = frame.to_metres([f.point])[0]
    spacing = width_m / coverage
    area: dict[str, Any]
    work: dict[str, Any] = {
        "sweep_width_m": width_m,
        "coverage": coverage,
        "law": f.law,
        "speed_m_s": f.speed_m_s,
        "height_m": f.height_m,
    }
    if pattern == "track":
        path = next((p for p in f.paths if len(p) > 1), None)
        if path is None:
            raise MissingInput("Draw the path that the person may have taken.", "what.paths")
        # Out on its one side and back on the other.
        area = {"ring": path, "corridor_m": 2 * spacing, "name": "path"}
        ring = path
    else:
        side = f.radius_m * math.sqrt(math.pi) / 2
        square = [(at[0] + dx * side, at[1] + dy * side) for dx, dy in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
        round_ring = list(round_ground(at, f.radius_m).exterior.coords)[:-1]
        corners = square if pattern == "square" else [(float(x), float(y)) for x, y in round_ring]
        ring = [(lon, lat) for lon, lat in frame.to_degrees(corners)]
        area = {"ring": ring, "name": "first search"}
        work |= {"pattern": pattern}
    site = {"datum": f.point if pattern in ("square", "sector", "creeping") else None}
    figures = {
        "name": f"{name[:50]}: first search"[:80],
        "kind": "search",
        "areas": [area],
        "home": f.home or f.point,
        "work": work,
        "site": site,
    }
    return figures, ring


def net_fields(f: SearchFields, side_m: float, bearing_deg: float) -> list[SegmentFields]:
    """Return segments of a net over the ground within the radius of the last known point."""
    if f.point is None:
        raise MissingInput("Set the last known point first: the net lies round it.", "what.point")
    frame = LocalFrame.around([f.point])
    ground = round_ground(frame.to_metres([f.point])[0], f.radius_m)
    return _named(frame, [list(p.exterior.coords)[:-1] for p in net_of(ground, side_m, bearing_deg)], f)


def parted_fields(f: SearchFields) -> list[SegmentFields]:
    """Return segments of the ground within the radius, parted along the paths and banks that were drawn."""
    if f.point is None:
        raise MissingInput("Set the last known point first: the ground round it is parted.", "what.point")
    if not any(len(p) > 1 for p in [*f.paths, *f.waters]):
        raise MissingInput("Draw paths or banks first: the ground is parted along them.", "what.paths")
    frame = LocalFrame.around([f.point])
    ground = round_ground(frame.to_metres([f.point])[0], f.radius_m)
    lines = [LineString(frame.to_metres(p)) for p in f.paths if len(p) > 1]
    lines += [LineString([*frame.to_metres(r), frame.to_metres(r)[0]]) for r in f.waters if len(r) > 2]
    return _named(frame, [list(p.exterior.coords)[:-1] for p in parted_by(ground, lines)], f)


def _named(frame: LocalFrame, rings: list[list[tuple[float, float]]], f: SearchFields) -> list[SegmentFields]:
    """Return rings as segments with names and ids that no other has."""
    taken_ids, taken = {s.id for s in f.segments}, {s.name for s in f.segments}
    found: list[SegmentFields] = []
    number = 0
    for ring in rings:
        number += 1
        while str(number) in taken or f"s{number}" in taken_ids:
            number += 1
        places = [(round(lon, 7), round(lat, 7)) for lon, lat in frame.to_degrees([(float(x), float(y)) for x, y in ring])]
        found.append(SegmentFields(f"s{number}", str(number), places))
    return found
