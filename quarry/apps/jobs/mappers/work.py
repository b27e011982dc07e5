"""The checked ground of a job, the figures of its kind of work, and the mark of all that its plan is made from."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

from shapely import LineString, MultiPoint, Polygon, make_valid
from shapely.geometry.base import BaseGeometry

from quarry.apps.fleet.mappers import MeasuredPack, camera_record
from quarry.apps.fleet.models import Camera, Pack
from quarry.apps.jobs.fields import AreaFields, JobFields, MappingWork, SearchWork, SprayingWork
from quarry.apps.jobs.models import Job, Terrain
from quarry.apps.jobs.views import FigureOut
from quarry.core.base.errors import CoreError, Infeasible, MissingInput
from quarry.core.base.shapes import plain
from quarry.core.base.sources import ALGEBRA
from quarry.core.base.units import M2_PER_HA
from quarry.core.base.working import Step, Working, explain
from quarry.core.flight.usable_energy import ColdPolicy
from quarry.core.ground.geodesy import LocalFrame, distance_m, ring_area_m2
from quarry.core.ground.joining import joined
from quarry.core.ground.lines import angle_of
from quarry.core.ground.mapping import MappingTask, mapping_figures
from quarry.core.ground.outline import LEAST_AREA_M2, Area, KeepOut, Plot, make_plots
from quarry.core.ground.search import SearchTask, search_figures
from quarry.core.sorties.plan import LineFlown
from quarry.core.spraying.dose import TOLERANCE_FRAC
from quarry.core.spraying.kept_clear import (
    KeptClear,
    SensitivePlace,
    WindStop,
    blows_towards,
    check_places,
    kept_clear,
    wind_stops,
)
from quarry.core.spraying.rate import SprayTask, check_rate, spray_figures

PLAN_VERSION = 20
PlanError = CoreError


@dataclass(frozen=True, slots=True)
class Ground:
    """The checked area of a job in its local frame; ``kept``: what is kept clear of sensitive places in the wind that it is planned for."""

    frame: LocalFrame
    area: Area
    kept: tuple[KeptClear, ...] = ()


@dataclass(frozen=True, slots=True)
class Shelf:
    """Packs that may fly a job, what their records tell, and what the company says of cold and of doses.

    ``cold_flights``: those with this model of pack in the logbook.
    """

    packs: list[Pack] = field(default_factory=list)
    measured: dict[str, MeasuredPack] = field(default_factory=dict)
    cold: ColdPolicy = field(default_factory=lambda: ColdPolicy("model"))
    dose_tolerance_frac: float = TOLERANCE_FRAC
    cold_flights: int = 0
    blur_px: float = 0.5


def fingerprint(job: Job, shelf: Shelf, terrain: Terrain | None) -> str:
    """Return a digest of everything a plan is made from."""
    aircraft = job.aircraft_model
    figures = [
        PLAN_VERSION,
        job.kind,
        job.areas,
        job.keep_outs,
        job.home,
        # What a nozzle is called and its droplets change no flight.
        {k: v for k, v in job.work.items() if k not in ("nozzle", "droplets")},
        job.lines,
        job.sorties,
        job.wind,
        # What ties pictures to the ground changes no flight.
        {k: v for k, v in job.site.items() if k not in ("control", "receiver", "correction", "base_m")},
        [str(aircraft.pk), aircraft.version] if aircraft else None,
        [str(job.aircraft.pk), job.aircraft.version] if job.aircraft else None,
        [str(job.camera.pk), job.camera.version] if job.camera else None,
        sorted(
            [str(p.pk), p.health_frac, p.model.version, p.name, p.mates, p.learnt, plain(shelf.measured.get(str(p.pk)))]
            for p in shelf.packs
        ),
        plain(shelf.cold),
        shelf.dose_tolerance_frac,
        shelf.cold_flights,
        shelf.blur_px,
        [str(terrain.pk), terrain.version] if terrain else None,
    ]
    return hashlib.sha256(json.dumps(figures, sort_keys=True).encode()).hexdigest()


def ground_of(f: JobFields) -> Ground:
    """Return the area of a job in metres, checked."""
    taken = f.taken
    if not taken:
        left_out = "Every area is left out. Take one in." if any(a.ring for a in f.areas) else ""
        raise MissingInput(left_out or "Draw the outline of the area, or drop a file with it on the map.", "areas")
    frame = LocalFrame.around([p for a in taken for p in a.ring])
    plots = [
        Plot(
            tuple(frame.to_metres(a.ring)),
            a.name,
            None if a.bearing_deg is None else angle_of(a.bearing_deg),
            a.corridor_m,
            f.kind == "spraying" and a.rate_l_ha is not None,
        )
        for a in taken
    ]
    keeps = [KeepOut(tuple(frame.to_metres(k.ring)), k.crossing, k.margin_m, k.name) for k in f.keep_outs]
    return _clear_of_places(f, Ground(frame, make_plots(plots, keeps, in_order=f.lines.in_order)))


def sensitive_places(f: JobFields, frame: LocalFrame) -> list[SensitivePlace]:
    """Return the sensitive places of a spraying job in metres, checked; none of another kind of work."""
    if f.kind != "spraying":
        return []
    places = [
        SensitivePlace(
            tuple(frame.to_metres(s.ring)),
            s.closed,
            s.name or f"sensitive place {k}",
            s.rule,
            s.distance_m,
            s.within_deg,
            tuple((float(w), float(d)) for w, d in s.table),
        )
        for k, s in enumerate(f.site.sensitive, start=1)
    ]
    check_places(places, "site.sensitive")
    return places


def blown_towards(f: JobFields) -> Callable[[float, float], list[KeptClear]] | None:
    """Return what tells the places that a wind blows towards from ground that the plan sprays; None where there are none to ask for."""
    if f.kind != "spraying" or not f.site.sensitive or not f.taken:
        return None
    ground = ground_of(f)
    places = sensitive_places(f, ground.frame)
    return lambda wind_m_s, from_deg: blows_towards(ground.area.worked, places, wind_m_s, from_deg)


def stops_of(f: JobFields) -> list[WindStop]:
    """Return the winds in which work on a job stops, as a running day keeps them; none where it cannot be planned."""
    if f.kind != "spraying" or not f.site.sensitive or not f.taken:
        return []
    ground = ground_of(f)
    return wind_stops(ground.area.worked, sensitive_places(f, ground.frame))


def _clear_of_places(f: JobFields, ground: Ground) -> Ground:
    """Return the ground without what is kept clear of sensitive places: lines end half a swath before it, so that no swath reaches in."""
    kept = kept_clear(ground.area.worked, sensitive_places(f, ground.frame), f.wind.speed_m_s, f.wind.from_deg)
    if not kept or not isinstance(f.work, SprayingWork):
        return ground
    off = joined(k.ground.buffer(f.work.swath_m / 2) for k in kept)
    worked = make_valid(ground.area.worked.difference(off))
    if worked.area < LEAST_AREA_M2:
        widest = max(kept, key=lambda k: k.ground.area)
        raise Infeasible(
            f"Kept clear of {widest.name} ({widest.why}) nothing is left to spray. Wait for another wind, or check the distance.",
            "site.sensitive",
        )
    blocks = [replace(b, worked=make_valid(b.worked.difference(off))) for b in ground.area.blocks]
    left = tuple(b for b in blocks if b.worked.area > 1.0)
    return replace(ground, area=replace(ground.area, worked=worked, blocks=left), kept=tuple(kept))


def outline_of(frame: LocalFrame, a: AreaFields) -> BaseGeometry:
    """Return the outline of an area of a job in local metres, keep-outs not taken off; of what encloses nothing, its line."""
    places = frame.to_metres(a.ring)
    if a.corridor_m is not None:
        return LineString(places).buffer(a.corridor_m / 2)
    return make_valid(Polygon(places)) if len(places) > 2 else MultiPoint(places)


def area_ha(area: AreaFields) -> float:
    """Return what an area of a job encloses, keep-outs not taken off; of a corridor length times width. [ha]"""
    if area.corridor_m is not None:
        length = sum(distance_m(*a, *b) for a, b in pairwise(area.ring))
        return length * area.corridor_m / M2_PER_HA
    return ring_area_m2(area.ring) / M2_PER_HA if len(area.ring) > 2 else 0.0


@dataclass(slots=True)
class WorkAsked:
    """What the kind of work asks for: line spacing, speed, line on one tank; its figures with their workings."""

    spacing_m: float
    speed_m_s: float
    tank_line_m: float | None
    figures: list[FigureOut]
    workings: dict[str, Working]
    camera: Camera | None = None


@dataclass(frozen=True, slots=True)
class OverLines:
    """Speeds over ground on the lines of a plan: the fastest, and the length of all over their time. [m/s]"""

    fastest_m_s: float
    mean_m_s: float


def over_lines(flown: Sequence[LineFlown]) -> OverLines:
    """Return the speeds over ground of lines."""
    seconds = sum(x.length_m / x.ground_m_s for x in flown)
    return OverLines(max(x.ground_m_s for x in flown), sum(x.length_m for x in flown) / seconds)


def work_of(f: JobFields, camera: Camera | None, ground: Ground, over: OverLines | None = None) -> WorkAsked:
    """Return what the kind of work asks for, at the speeds over ground of its plan once there is one.

    Raises `PlanError` at the figure that stands in the way.
    """
    over = over or OverLines(f.work.speed_m_s, f.work.speed_m_s)
    if isinstance(f.work, MappingWork):
        return replace(_mapping(replace(f.work, speed_m_s=over.fastest_m_s), camera), camera=camera)
    if isinstance(f.work, SprayingWork):
        for k, area in enumerate(f.areas):
            if area.rate_l_ha is not None:
                check_rate(area.rate_l_ha, f"areas.{k}.rate_l_ha")
        return _spraying(replace(f.work, speed_m_s=over.mean_m_s), ground)
    return _search(replace(f.work, speed_m_s=over.mean_m_s), ground)


def _mapping(w: MappingWork, camera: Camera | None) -> WorkAsked:
    if camera is None:
        raise MissingInput("Choose the camera.", "camera_id")
    task = MappingTask(camera_record(camera), w.height_m, w.side_overlap_frac, w.forward_overlap_frac, w.speed_m_s, w.exposure_s)
    explained = explain(mapping_figures, task)
    f = explained.value
    values = {
        "ground_sample_m": f.ground_sample_m,
        "spacing_m": f.spacing_m,
        "trigger_m": f.trigger_m,
        "interval_s": f.interval_s,
        "blur_px": f.blur_px,
    }
    return WorkAsked(f.spacing_m, task.speed_m_s, None, *_figures(values, explained.steps))


def _spraying(w: SprayingWork, ground: Ground) -> WorkAsked:
    task = SprayTask(w.rate_l_ha, w.swath_m, w.tank_l, w.speed_m_s, w.height_m)
    explained = explain(spray_figures, task, ground.area.area_m2 / 1e4)
    f = explained.value
    values = {
        "spacing_m": task.swath_m,
        "flow_l_min": f.flow_l_min,
        "volume_l": f.volume_l,
        "loads_count": float(f.loads),
        "tank_area_ha": f.tank_area_ha,
        "work_rate_ha_h": f.work_rate_ha_h,
    }
    swath = Step("spacing_m", task.swath_m, "m", "lines lie one swath apart, as entered", source=ALGEBRA, kind="input")
    return WorkAsked(task.swath_m, task.speed_m_s, f.tank_line_m, *_figures(values, (swath, *explained.steps)))


def _search(w: SearchWork, ground: Ground) -> WorkAsked:
    task = SearchTask(w.sweep_width_m, w.coverage, w.law, w.speed_m_s, w.height_m)
    explained = explain(search_figures, task, ground.area.area_m2)
    f = explained.value
    values = {"spacing_m": f.spacing_m, "detection_frac": f.detection_frac, "track_m": f.track_m, "on_scene_s": f.on_scene_s}
    return WorkAsked(f.spacing_m, task.speed_m_s, None, *_figures(values, explained.steps))


_STEP_OF = {"spacing_m": ("step_m", "spacing_m"), "trigger_m": ("step_m",)}


def _figures(values: dict[str, float], steps: tuple[Step, ...]) -> tuple[list[FigureOut], dict[str, Working]]:
    """Return figures with a working each: the step that gave the value and those it uses."""
    figures, workings = [], {}
    for key, value in values.items():
        names = _STEP_OF.get(key, (key,))
        last = next((s for s in steps if s.name in names and s.value == value), None)
        figures.append(FigureOut(key, value))
        if last is not None:
            chain = [s for s in steps if s.name in last.uses and any(q.value == s.value for q in last.inputs)] + [last]
            workings[key] = Working(key, last.value, last.unit, tuple(chain))
    return figures, workings


def rounded(p: tuple[float, float]) -> tuple[float, float]:
    """Return a place in degrees to the centimetre."""
    return round(p[0], 7), round(p[1], 7)


def way_m(a: list[float], b: list[float]) -> float:
    """Return the distance between two places in degrees. [m]"""
    return distance_m(a[0], a[1], b[0], b[1])
