"""A job as it was flown: the strips of its sorties over the ground as planned, counted and summed by field, line and sortie."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
import shapely
from shapely import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import MissingInput
from quarry.core.covered.detection import cumulative_detection, least_planned_frac
from quarry.core.covered.footprints import Frames, footprints
from quarry.core.covered.gaps import Course, Cover, Gap, cover_of
from quarry.core.covered.on_lines import NO_LINE, nearest_line, on_lines
from quarry.core.covered.raster import Counts, Grid, Raster, raster_over, summed_over, times_covered
from quarry.core.covered.strips import Pass, drift_m, end_error_m, longer, passes, strip
from quarry.core.covered.track import Floats, Track, dropouts, usual_step_s
from quarry.core.ground.joining import joined, joined_on_net
from quarry.core.ground.mapping import Camera
from quarry.core.ground.overlap import SHORT_FRAC
from quarry.core.ground.search import DetectionLaw
from quarry.core.spraying.rate import application_rate_l_ha

Source = Literal["telemetry", "log", "landing", "photos"]
_SMOOTH_M = 0.25
_REACH = 0.75  # of a spacing: what flies farther from a line is not on it
_SAME_WAY_S = 0.5
_GOES_ON_S = 3.0
_EPS = 1e-4


@dataclass(frozen=True, slots=True)
class PlannedLine:
    """A stretch of a line as planned: its number within its sortie, the sortie, its way. [m]"""

    number: int
    sortie: str
    way: LineString


@dataclass(frozen=True, slots=True)
class GroundPlan:
    """What was to be covered: fields by name without what is left out of them, lines as planned, and what nothing flies over. [m]

    ``rates_l_ha``: of each field that is sprayed at a rate of its own, by its name.
    """

    fields: tuple[tuple[str, BaseGeometry], ...]
    forbidden: BaseGeometry
    lines: tuple[PlannedLine, ...]
    spacing_m: float
    rates_l_ha: Mapping[str, float] = field(default_factory=dict)

    def rate_at(self, x_m: float, y_m: float, job_l_ha: float) -> float:
        """Return the rate asked for at a place, that of the job where its field has none of its own. [L/ha]"""
        own = (self.rates_l_ha[n] for n, shape in self.fields if n in self.rates_l_ha and shape.intersects(Point(x_m, y_m)))
        return next(own, job_l_ha)

    @property
    def ground(self) -> BaseGeometry:
        """All fields together."""
        return joined([shape for _, shape in self.fields])


@dataclass(frozen=True, slots=True)
class Pictures:
    """How pictures cover: the camera, how far apart they were to be along a line, and the overlaps wanted."""

    camera: Camera
    trigger_m: float
    forward_overlap_frac: float
    side_overlap_frac: float
    height_m: float


@dataclass(frozen=True, slots=True)
class Swath:
    """How spraying covers: a swath, drifted by the wind; ``fall_m_s``: how fast the drops fall, ``height_m`` above the crop.

    ``rate_l_ha``: what was asked for; it is taken as given where no flow was recorded.
    """

    swath_m: float
    height_m: float
    fall_m_s: float
    rate_l_ha: float = 1.0
    wind_m_s: float = 0.0
    wind_from_deg: float = 0.0


@dataclass(frozen=True, slots=True)
class Sweep:
    """How a search covers: the sweep width and the law by which detection falls off sideways."""

    sweep_width_m: float
    law: DetectionLaw


Rule = Pictures | Swath | Sweep


@dataclass(frozen=True, slots=True)
class Enough:
    """What counts as enough beyond being covered at all: how far a dose may be off what was asked for. [share]"""

    dose_tolerance_frac: float


@dataclass(frozen=True, slots=True)
class FlownSortie:
    """A sortie as it was flown, from the best that is known of it.

    ``track``: of telemetry or a log; ``says_working``: its record says where it worked, else it is taken to work on lines.
    ``ways``: of a sortie of which only the landing was told, the stretches of its lines that were flown. ``frames``: the
    pictures that were taken, where they are known; ``flow_l_min``: of each sample of the track; ``notes``: what was assumed or left out, in words.
    """

    sortie: str
    source: Source
    track: Track | None = None
    says_working: bool = False
    flow_l_min: Floats | None = None
    ways: tuple[Pass, ...] = ()
    frames: Frames | None = None
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Strip:
    """What one pass covered: when, of which sortie, along which planned line (0: along none), and whether it is estimated."""

    sortie: str
    line: int
    from_s: float
    to_s: float
    ground: BaseGeometry
    estimated: bool


@dataclass(frozen=True, slots=True)
class FieldShare:
    """What was covered of one field."""

    name: str
    ground_m2: float
    covered_m2: float


@dataclass(frozen=True, slots=True)
class LineShare:
    """How much of the length of a planned line was covered. [0 to 1, m]"""

    sortie: str
    number: int
    length_m: float
    covered_m: float


@dataclass(frozen=True, slots=True)
class SortieShare:
    """What a sortie covered by itself, and what of it no other did. [m², s]"""

    sortie: str
    source: Source
    covered_m2: float
    alone_m2: float
    from_s: float
    to_s: float
    pictures: int
    notes: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Measured:
    """Cells counted over the ground, each covered so often; of a search how surely it was seen [0 to 1], of spraying its dose. [L/ha]"""

    raster: Raster
    counts: Counts
    detection: Grid | None = None
    dose_l_ha: Grid | None = None
    wanted_l_ha: Grid | None = None

    def share(self, at_least: int) -> float:
        """Return the share of the ground that was covered so often at the least. [0 to 1]"""
        inside = self.counts[self.raster.inside]
        return float((inside >= at_least).mean()) if inside.size else 0.0

    def enough_frac(self, rule: Rule, enough: Enough, planned_frac: float | None) -> float | None:
        """Return the share of the ground that got the dose asked for, or was seen as surely as the plan gives at the least. [0 to 1]

        None for pictures: there the overlaps tell.
        """
        inside = self.raster.inside
        if self.dose_l_ha is not None and self.wanted_l_ha is not None:
            wanted = self.wanted_l_ha[inside]
            off = np.abs(self.dose_l_ha[inside] - wanted)
            return float((off <= enough.dose_tolerance_frac * wanted + _EPS).mean()) if off.size else 0.0
        if isinstance(rule, Sweep) and self.detection is not None and planned_frac is not None:
            seen = self.detection[inside]
            return float((seen >= planned_frac * (1.0 - SHORT_FRAC)).mean()) if seen.size else 0.0
        return None

    @property
    def mean_dose_l_ha(self) -> float | None:
        """What the ground got on average. [L/ha]"""
        if self.dose_l_ha is None:
            return None
        inside = self.dose_l_ha[self.raster.inside]
        return float(inside.mean()) if inside.size else 0.0

    @property
    def mean_detection_frac(self) -> float | None:
        """How surely something that lies anywhere in the ground was seen. [0 to 1]"""
        if self.detection is None:
            return None
        inside = self.detection[self.raster.inside]
        return float(inside.mean()) if inside.size else 0.0


@dataclass(frozen=True, slots=True)
class AsFlown:
    """A job as it was flown. ``twice``: where two strips lie over one another; pictures are meant to. ``planned_frac``: of a search, the least detection that its plan gives midway between lines."""

    cover: Cover
    strips: tuple[Strip, ...]
    fields: tuple[FieldShare, ...]
    lines: tuple[LineShare, ...]
    sorties: tuple[SortieShare, ...]
    measured: Measured
    twice: BaseGeometry
    error_m: float
    planned_frac: float | None = None
    notes: tuple[str, ...] = field(default=())

    @property
    def gaps(self) -> tuple[Gap, ...]:
        """The gaps, the largest first."""
        return self.cover.gaps


def as_flown(
    plan: GroundPlan, flown: Sequence[FlownSortie], rule: Rule, *, position_m: float, most_s: float, most_cells: int = 4_000_000
) -> AsFlown:
    """Return what was covered of the ground by all sorties together, and what was not.

    Parameters
    ----------
    plan : GroundPlan
        Fields, keep-outs and lines as planned.
    flown : sequence of FlownSortie
        Sorties as flown, in the frame of the plan.
    rule : Pictures, Swath or Sweep
        How what was flown covers ground.
    position_m : float
        How far a position may be off. [m]
    most_s : float
        Longest dropout that is bridged by a straight line. [s]

    Raises
    ------
    MissingInput
        Nothing was flown yet, or nothing is to be covered.
    """
    if not flown:
        raise MissingInput("Nothing was flown of this job yet: no landing, telemetry or log of it is known.", "sorties")
    ground = plan.ground
    if ground.is_empty:
        raise MissingInput("The job has no ground that could be covered.", "areas")
    ways = [line.way for line in plan.lines]
    each = [_Covering(f, plan, ways, rule, most_s) for f in flown]
    tracks = [c.track for c in each if c.track is not None]
    error = position_m + _SMOOTH_M
    lost = [d for t in tracks for d in dropouts(t, usual_step_s(t), most_s)] if tracks else []
    course = Course(
        tracks=[] if isinstance(rule, Pictures) else [c.track for c in each if c.track is not None and c.flown.says_working],
        ways=[w for c in each for w in c.ways],
        dropouts=[d for d in lost if not d.bridged],
        lines=ways,
        forbidden=plan.forbidden,
        width_m=plan.spacing_m,
        pictures=isinstance(rule, Pictures),
    )
    enough = [shape for c in each for shape in c.enough]
    cover = cover_of(ground, enough, error, course, [r for c in each for r in c.reaches])
    raster = raster_over(ground, plan.spacing_m, most_cells)
    counts = times_covered(raster, [shape for c in each for shape in c.seen])
    detection = (
        cumulative_detection(raster, [LineString(w.xy) for c in each for w in c.ways], rule.sweep_width_m, rule.law)
        if isinstance(rule, Sweep)
        else None
    )
    dose = (
        summed_over(raster, [(shape, c.dose_l_ha(way, rule)) for c in each for way, shape in c.each])
        if isinstance(rule, Swath)
        else None
    )
    whole = joined_on_net(enough)
    laid = tuple(sorted((s for c in each for s in c.strips()), key=lambda s: s.from_s))
    return AsFlown(
        cover=cover,
        strips=laid,
        fields=tuple(FieldShare(name, shape.area, shape.intersection(whole).area) for name, shape in plan.fields),
        lines=tuple(LineShare(x.sortie, x.number, x.way.length, float(x.way.intersection(whole).length)) for x in plan.lines),
        sorties=_by_sortie(each, ground),
        measured=Measured(raster, counts, detection, dose, _wanted(raster, plan, rule)),
        twice=Polygon() if isinstance(rule, Pictures) else _more_than_once([s.ground for s in laid], ground),
        error_m=error,
        planned_frac=least_planned_frac(rule.sweep_width_m, plan.spacing_m, rule.law) if isinstance(rule, Sweep) else None,
    )


class _Covering:
    """One sortie: where it worked, what that covered, and what of it counts as covered well enough."""

    def __init__(self, flown: FlownSortie, plan: GroundPlan, lines: list[LineString], rule: Rule, most_s: float) -> None:
        self.flown, self.lines, self.numbers, self.plan = flown, lines, plan.lines, plan
        self.reach_m = _REACH * plan.spacing_m
        self.track = flown.track
        self.ways = flown.ways
        if flown.track is not None:
            track = flown.track
            if not flown.says_working or isinstance(rule, Pictures):
                on = on_lines(track, lines, self.reach_m) if lines else np.ones(len(track), dtype=np.bool_)
                track = Track(track.t_s, track.xy, track.height_m, on)
            if flown.says_working:
                self.track = flown.track
            self.ways = tuple(passes(track, most_s, _SMOOTH_M))
        self.pictures = 0
        self.each: list[tuple[Pass, BaseGeometry]] = []
        self.enough: list[BaseGeometry] = []
        self.seen: list[BaseGeometry] = []
        self.reaches: list[BaseGeometry] = []
        self.end_m = end_error_m(flown.track) if flown.track is not None else 0.0
        if isinstance(rule, Pictures):
            self._by_pictures(rule)
        elif isinstance(rule, Swath):
            for way in self.ways:
                shape = strip(way, rule.swath_m, _drift(way, rule))
                self._add(way, shape, shape)
                self.reaches.append(strip(longer(way, self.end_m), rule.swath_m, _drift(way, rule)))
        else:
            width_m = plan.spacing_m * (1.0 + SHORT_FRAC)
            for way in self.ways:
                self._add(way, strip(way, rule.sweep_width_m), strip(way, width_m))
                self.reaches.append(strip(longer(way, self.end_m), width_m))

    def _add(self, way: Pass, seen: BaseGeometry, enough: BaseGeometry) -> None:
        self.each.append((way, enough))
        self.seen.append(seen)
        self.enough.append(enough)

    def _by_pictures(self, rule: Pictures) -> None:
        frames = self.flown.frames
        if frames is None:
            frames = _frames_on(self.ways, rule)
        shapes, blind = footprints(frames, rule.camera)
        self.pictures = len(shapes)
        times = np.delete(frames.t_s, blind)
        # A picture stands for as much of its footprint as lets its neighbours be as far away as they may.
        along = 1.0 - rule.forward_overlap_frac + SHORT_FRAC
        across = 1.0 - rule.side_overlap_frac + SHORT_FRAC
        cells = [_shrunk(shape, across, along) for shape in shapes]
        self.seen += shapes
        self.enough += cells
        for way, members in _grouped(times, self.ways):
            self.each.append((way, joined_on_net([cells[k] for k in members])))

    def dose_l_ha(self, way: Pass, rule: Swath) -> float:
        """Return what the ground of a pass got: by the flow that was recorded, else what was asked for. [L/ha]"""
        track, flow = self.flown.track, self.flown.flow_l_min
        middle = LineString(way.xy).interpolate(0.5, normalized=True)
        asked = self.plan.rate_at(middle.x, middle.y, rule.rate_l_ha)
        if track is None or flow is None:
            return asked
        during = flow[(track.t_s >= way.from_s) & (track.t_s <= way.to_s)]
        if not np.isfinite(during).any() or way.to_s <= way.from_s:
            return asked
        return application_rate_l_ha(float(np.nanmean(during)), way.length_m / (way.to_s - way.from_s), rule.swath_m)

    def strips(self) -> list[Strip]:
        """Return what was covered, one strip for each line that was flown without leaving it."""
        middles = np.array([LineString(way.xy).interpolate(0.5, normalized=True).coords[0] for way, _ in self.each])
        near = nearest_line(middles.reshape(-1, 2), self.lines, self.reach_m).tolist()
        runs: list[list[int]] = []
        for k, _ in enumerate(self.each):
            before = runs[-1][-1] if runs else None
            goes_on = before is not None and near[k] == near[before] and self._apart_s(before, k) <= _GOES_ON_S
            runs[-1].append(k) if goes_on else runs.append([k])
        return [
            Strip(
                self.flown.sortie,
                0 if near[run[0]] == NO_LINE else self.numbers[near[run[0]]].number,
                self.each[run[0]][0].from_s,
                self.each[run[-1]][0].to_s,
                ground,
                self.flown.source == "landing",
            )
            for run in runs
            if not (ground := joined_on_net(self.each[k][1] for k in run)).is_empty
        ]

    def _apart_s(self, one: int, other: int) -> float:
        return self.each[other][0].from_s - self.each[one][0].to_s


def _wanted(raster: Raster, plan: GroundPlan, rule: Rule) -> Grid | None:
    """Return what each cell was to get; nothing where nothing is sprayed. [L/ha]"""
    if not isinstance(rule, Swath):
        return None
    return summed_over(raster, [(shape, plan.rates_l_ha.get(name, rule.rate_l_ha)) for name, shape in plan.fields])


def _drift(way: Pass, rule: Swath) -> tuple[float, float]:
    """Return how far the drops of a pass drift east and north. [m]"""
    height = way.height_m if math.isfinite(way.height_m) and way.height_m > 0 else rule.height_m
    by, to = drift_m(height, rule.wind_m_s, rule.fall_m_s), math.radians(rule.wind_from_deg + 180.0)
    return by * math.sin(to), by * math.cos(to)


def _shrunk(shape: Polygon, across: float, along: float) -> Polygon:
    """Return a footprint shrunk about the middle of its corners: the first two stand on the line across, ahead."""
    corners = np.array(shape.exterior.coords)[:4]
    middle = corners.mean(axis=0)
    side, ahead = (corners[1] - corners[0] + corners[2] - corners[3]) / 4, (corners[0] - corners[3] + corners[1] - corners[2]) / 4
    return Polygon([middle + s * across * side + a * along * ahead for s, a in ((-1, 1), (1, 1), (1, -1), (-1, -1))])


def _frames_on(ways: Sequence[Pass], rule: Pictures) -> Frames:
    """Return the pictures of passes of which none are known: one every trigger distance, from the beginning of each pass."""
    t: list[Floats] = []
    xy: list[Floats] = []
    height: list[Floats] = []
    heading: list[Floats] = []
    for way in ways:
        line = LineString(way.xy)
        n = max(1, math.ceil(line.length / rule.trigger_m - 1e-9)) + 1
        at = np.linspace(0.0, line.length, n)
        places = shapely.get_coordinates(shapely.line_interpolate_point(line, at))
        ahead = shapely.get_coordinates(shapely.line_interpolate_point(line, np.minimum(at + 0.5, line.length)))
        behind = shapely.get_coordinates(shapely.line_interpolate_point(line, np.maximum(at - 0.5, 0.0)))
        t.append(way.from_s + (way.to_s - way.from_s) * at / max(line.length, 1e-9))
        xy.append(places)
        known = way.height_m if math.isfinite(way.height_m) and way.height_m > 0 else rule.height_m
        height.append(np.full(n, known))
        heading.append(np.degrees(np.arctan2(*(ahead - behind).T)))
    if not t:
        return Frames(np.zeros(0), np.zeros((0, 2)), *(np.zeros(0) for _ in range(4)))
    zero = np.zeros(sum(len(x) for x in t))
    return Frames(np.concatenate(t), np.concatenate(xy), np.concatenate(height), np.concatenate(heading), zero, zero)


def _grouped(times: Floats, ways: Sequence[Pass]) -> Iterable[tuple[Pass, list[int]]]:
    """Return pictures by the pass during which they were taken."""
    for way in ways:
        members = np.flatnonzero((times >= way.from_s - _SAME_WAY_S) & (times <= way.to_s + _SAME_WAY_S)).tolist()
        if members:
            yield way, members


def _by_sortie(each: Sequence[_Covering], ground: BaseGeometry) -> tuple[SortieShare, ...]:
    wholes = [joined_on_net(c.enough).intersection(ground) for c in each]
    found = []
    for k, c in enumerate(each):
        others = joined_on_net([w for n, w in enumerate(wholes) if n != k])
        times = [t for way in c.ways for t in (way.from_s, way.to_s)]
        found.append(
            SortieShare(
                c.flown.sortie,
                c.flown.source,
                float(wholes[k].area),
                float(wholes[k].difference(others).area),
                min(times, default=math.nan),
                max(times, default=math.nan),
                c.pictures,
                c.flown.notes,
            )
        )
    return tuple(found)


def _more_than_once(shapes: Sequence[BaseGeometry], ground: BaseGeometry) -> BaseGeometry:
    """Return where two strips lie over one another."""
    if len(shapes) < 2:
        return Polygon()
    tree = shapely.STRtree(shapes)
    one, other = tree.query(shapes, predicate="intersects")
    pairs = one < other
    both = shapely.intersection(np.array(shapes)[one[pairs]], np.array(shapes)[other[pairs]], grid_size=1e-3)
    return joined_on_net([b for b in both if b.area > 0]).intersection(ground)
