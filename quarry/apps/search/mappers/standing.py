"""A search as it stands: shares of its segments by every way of estimating, what reports made of them, and what was evened."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from shapely import LineString, MultiLineString, Polygon, contains_xy, make_valid
from shapely.geometry.base import BaseGeometry
from shapely.ops import unary_union

from quarry.apps.jobs.fields import JobFields
from quarry.apps.jobs.mappers.work import outline_of
from quarry.apps.search.fields import ReportFields, SearchFields, SegmentFields
from quarry.apps.search.views import SegmentOut, WayOut
from quarry.core.base.errors import BadGeometry, CoreError, MissingInput, require_range
from quarry.core.base.units import M2_PER_HA
from quarry.core.ground.geodesy import LocalFrame
from quarry.core.ground.outline import check_ring
from quarry.core.ground.terrain import TerrainGrid
from quarry.core.search.assumed_widths import Sensor, assumed_width_m
from quarry.core.search.segments import MOST_SEGMENTS, is_narrower, mean_slope_frac, overlaps
from quarry.core.search.shares import DistanceTable, Shares, by_consensus, by_rings, by_travel, evened, mixed
from quarry.core.search.travel import Walkable, equal_distances_m
from quarry.core.search.updating import Clue, Report, Searched, SearchState, stands

_CELLS_ACROSS = 160
_KNOWN_ACROSS = 20
_LEAST_PART = 0.01
SearchError = CoreError


@dataclass(frozen=True, slots=True)
class SearchGround:
    """The segments of a search in metres round its last known point, checked; what was done with what did not fit."""

    frame: LocalFrame
    segments: tuple[BaseGeometry, ...]
    notes: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class StandingOf:
    """How a search stands, by what its ground is, each way of estimating, and its reports."""

    ground: SearchGround
    before: Shares
    now: SearchState
    ways: tuple[WayOut, ...]
    notes: tuple[str, ...]


def ground_of(f: SearchFields) -> SearchGround:
    """Return the segments of a search in metres; raises `SearchError` at the ring that cannot be."""
    places = [p for s in f.segments for p in s.ring] + ([f.point] if f.point else [])
    if not places:
        raise MissingInput("Set the last known point, or draw a segment.", "what.point")
    frame = LocalFrame.around([f.point] if f.point else places)
    found = []
    for k, s in enumerate(f.segments):
        try:
            found.append(make_valid(check_ring(frame.to_metres(s.ring), f"Segment {s.name}", f"what.segments.{k}.ring")))
        except BadGeometry as bad:
            bad.field = f"what.segments.{k}.ring"
            raise
    notes = []
    for o in overlaps(found):
        one, other = f.segments[o.one].name, f.segments[o.other].name
        notes.append(
            f"Segments {one} and {other} overlap by {o.area_m2 / M2_PER_HA:.2f} ha: that ground counts in both, so shares there are "
            "too high. Move a corner."
        )
    return SearchGround(frame, tuple(found), tuple(notes))


def standing_of(
    f: SearchFields,
    table: DistanceTable | None,
    reports: Sequence[ReportFields],
    ground: SearchGround,
    terrain: TerrainGrid | None = None,
) -> StandingOf:
    """Return how a search stands after reports, those taken back left out."""
    notes: list[str] = []
    parts, ways = _ways(f, table, ground, terrain, notes)
    if not ground.segments:
        empty = Shares((), 1.0)
        return StandingOf(ground, empty, SearchState(empty, 0.0, ()), (), ground.notes)
    if not parts:
        area = sum(s.area for s in ground.segments)
        parts = [(Shares(tuple(s.area / area for s in ground.segments), 0.0), 1.0)]
        notes.append("Nothing says yet where the missing may be: every segment counts by its area.")
    before = mixed(parts)
    index = {s.id: k for k, s in enumerate(f.segments)}
    now = stands(before, [x for r in reports if (x := _report(r, index, f)) is not None])
    return StandingOf(ground, before, now, tuple(ways), (*ground.notes, *notes))


def _ways(
    f: SearchFields, table: DistanceTable | None, ground: SearchGround, terrain: TerrainGrid | None, notes: list[str]
) -> tuple[list[tuple[Shares, float]], list[WayOut]]:
    """Return every way of estimating that has what it needs, and those that count."""
    found: list[tuple[str, str, float, Shares]] = []
    w = f.weights
    if not ground.segments:
        return [], []
    if table is not None and f.point is not None:
        at = ground.frame.to_metres([f.point])[0]
        found.append(("rings", "rings round the last known point", w.rings, by_rings(table, at, ground.segments)))
        if w.travel > 0:
            try:
                found.append(("travel", "how far on foot", w.travel, _by_travel(f, table, ground, terrain, notes)))
            except BadGeometry as bad:
                bad.field = "what.point"
                raise
    elif w.rings > 0 or w.travel > 0:
        lacks = "the kind of person" if f.point is not None else "the last known point"
        notes.append(f"Rings count for nothing without {lacks}.")
    estimates = {e.by: ([e.of.get(s.id, 0.0) for s in f.segments], e.rest) for e in f.estimates}
    if estimates:
        together = by_consensus(estimates)
        found += [(f"person:{name}", name, 0.0, shares) for name, shares in together.each.items()]
        found.append(("people", f"{len(estimates)} people together", w.people, together.mean))
    typed = [s.share for s in f.segments]
    if any(x is not None for x in typed) or f.rest is not None:
        shares = evened([x or 0.0 for x in typed], f.rest or 0.0, "what.segments")
        if shares.evened:
            total = f"{shares.given_frac:.0%}" if shares.given_frac < 10 else f"{shares.given_frac:g}"
            notes.append(f"The shares typed sum to {total}; they were evened to 100 %.")
        found.append(("typed", "typed", w.typed, shares))
    ways = [WayOut(key, words, weight, list(s.of), s.rest_frac) for key, words, weight, s in found]
    return [(s, weight) for key, _, weight, s in found if weight > 0 and not key.startswith("person:")], ways


def _by_travel(
    f: SearchFields, table: DistanceTable, ground: SearchGround, terrain: TerrainGrid | None, notes: list[str]
) -> Shares:
    """Return shares by the time on foot: over a square that holds the segments and the rings that reach so far."""
    at = ground.frame.to_metres([f.point] if f.point else [])[0]
    reach = 1.1 * max(
        table.within[-1][1], *(float(np.hypot(*(np.array(s.bounds).reshape(2, 2) - at).T).max()) for s in ground.segments)
    )
    cell = 2 * reach / _CELLS_ACROSS
    west, north = at[0] - reach, at[1] + reach
    x = west + (np.arange(_CELLS_ACROSS) + 0.5) * cell
    y = north - (np.arange(_CELLS_ACROSS) + 0.5) * cell
    xy = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    heights = np.full(len(xy), np.nan) if terrain is None else terrain.heights_at_m(*ground.frame.degrees_of(xy))
    known_frac = _known_frac(ground, terrain)
    if known_frac == 0.0:
        notes.append("No terrain lies here: on foot all ground counts as level.")
    elif known_frac < 0.995:
        notes.append(f"Terrain covers {known_frac:.0%} of the segments: on foot the rest counts as level.")
    paths = MultiLineString([LineString(ground.frame.to_metres(p)) for p in f.paths if len(p) > 1])
    waters = unary_union([make_valid(Polygon(ground.frame.to_metres(r))) for r in f.waters if len(r) > 2])
    walk = Walkable(heights.reshape(_CELLS_ACROSS, _CELLS_ACROSS), cell, west, north, paths, waters)
    away = equal_distances_m(walk, at).ravel()
    cell_of = np.full(len(xy), -1)
    for k, s in enumerate(ground.segments):
        inside = contains_xy(s, xy[:, 0], xy[:, 1])
        cell_of[inside & (cell_of < 0)] = k
    return by_travel(table, away, cell_of, len(ground.segments))


def _report(r: ReportFields, index: Mapping[str, int], f: SearchFields) -> Report | None:
    """Return what a report changes; None for one that changes no share, or speaks of a segment that is no longer there."""
    if r.likelier:
        return Clue(tuple(r.likelier.get(s.id, 1.0) for s in f.segments), r.likelier.get("rest", 1.0))
    if r.segment in index and r.detection_frac is not None:
        return Searched(index[r.segment], r.detection_frac)
    return None


def width_of(
    s: SegmentFields, f: SearchFields, tried: Mapping[tuple[str, str], float], sensor: Sensor | None = None
) -> tuple[float, str]:
    """Return the sweep width over a segment, and where it comes from: entered, from own trials, or assumed. [m]"""
    who = sensor or f.sensor
    if sensor is None and s.cover in f.widths:
        return f.widths[s.cover], "entered"
    if (who, s.cover) in tried:
        return tried[who, s.cover], "own trials"
    return assumed_width_m(who, s.cover), "assumed"


def check_figures(f: SearchFields) -> None:
    """Check the figures of a search that are numbers; raises `SearchError` at the one that cannot be."""
    require_range(f.speed_m_s, 0.5, 40.0, "what.speed_m_s", "Speed on the lines", "m/s")
    require_range(f.height_m, 2.0, 1000.0, "what.height_m", "Height above ground", "m")
    require_range(f.radius_m, 10.0, 8000.0, "what.radius_m", "Radius", "m")
    for cover, width in f.widths.items():
        require_range(width, 1.0, 2000.0, f"what.widths.{cover}", "Sweep width", "m")
    for k, team in enumerate(f.teams):
        require_range(team.speed_m_s, 0.1, 5.0, f"what.teams.{k}.speed_m_s", "Speed on foot", "m/s")
    if len(f.segments) > MOST_SEGMENTS:
        raise MissingInput(f"A search has at most {MOST_SEGMENTS} segments; join some.", "what.segments")


def share_of(f: SearchFields, table: DistanceTable | None, job: JobFields) -> float:
    """Return the share of the chance that lies in the ground of a job round the last known point; all of it where nothing tells."""
    if table is None or f.point is None:
        return 1.0
    frame = LocalFrame.around([f.point])
    ground = unary_union([outline_of(frame, a) for a in job.taken])
    return by_rings(table, frame.to_metres([f.point])[0], [ground]).of[0]


def parts_of(f: SearchFields, job: JobFields) -> list[tuple[str, float]]:
    """Return the segments under the ground of a job, each with the share of it that lies there. [0 to 1]"""
    ground = ground_of(f)
    flown = unary_union([outline_of(ground.frame, a) for a in job.taken])
    found = [(s.id, float(x.intersection(flown).area / x.area)) for s, x in zip(f.segments, ground.segments, strict=True)]
    return [(name, min(share, 0.9999)) for name, share in found if share > _LEAST_PART]


def check_clue(f: SearchFields, r: ReportFields) -> None:
    """Raise `SearchError` where a clue leaves no place possible."""
    if r.likelier.get("rest", 1.0) <= 0 and all(r.likelier.get(s.id, 1.0) <= 0 for s in f.segments):
        raise MissingInput("By this clue the missing can be nowhere. Leave at least one place possible.", "likelier")


def _known_frac(ground: SearchGround, terrain: TerrainGrid | None) -> float:
    """Return the share of the segments' ground whose height is known, looked at in places spread evenly over it."""
    if terrain is None:
        return 0.0
    whole = unary_union(ground.segments)
    side = min(100.0, math.sqrt(float(whole.area)) / _KNOWN_ACROSS)
    west, south, east, north = whole.bounds
    xy = np.stack(np.meshgrid(np.arange(west, east, side) + side / 2, np.arange(south, north, side) + side / 2), axis=-1).reshape(
        -1, 2
    )
    xy = xy[contains_xy(whole, xy[:, 0], xy[:, 1])]
    return float(np.isfinite(terrain.heights_at_m(*ground.frame.degrees_of(xy))).mean()) if len(xy) else 0.0


def _slope_frac(ground: SearchGround, k: int, terrain: TerrainGrid | None) -> float | None:
    if terrain is None:
        return None
    return mean_slope_frac(ground.segments[k], lambda at: terrain.heights_at_m(*ground.frame.degrees_of(at)))


def segments_out(
    f: SearchFields,
    standing: StandingOf,
    looks: Mapping[str, int],
    tried: Mapping[tuple[str, str], float],
    terrain: TerrainGrid | None,
) -> tuple[list[SegmentOut], list[str]]:
    """Return segments as they stand; notes: those that one pass sees whole."""
    found, notes = [], []
    for k, s in enumerate(f.segments):
        width, origin = width_of(s, f, tried)
        if is_narrower(standing.ground.segments[k], width):
            notes.append(
                f"Segment {s.name} is narrower than the sweep width of {width:.0f} m: one pass through its middle sees it whole."
            )
        began, detection = standing.before.of[k], standing.now.detections[k]
        found.append(
            SegmentOut(
                id=s.id,
                name=s.name,
                ring=s.ring,
                area_ha=float(standing.ground.segments[k].area) / M2_PER_HA,
                cover=s.cover,
                access=s.access,
                hazards=s.hazards,
                slope_frac=_slope_frac(standing.ground, k, terrain),
                typed=s.share,
                began_frac=began,
                share_frac=standing.now.shares.of[k],
                detection_frac=detection,
                success_frac=began * detection,
                looks=looks.get(s.id, 0),
                width_m=width,
                width_from=origin,
            )
        )
    return found, notes
