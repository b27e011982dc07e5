"""What a job holds: defaults, its checked ground, the figures of its kind of work, the mark of all a plan is made from."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, field
from typing import Any

from quarry.apps.fleet.bridge import PackFacts, camera_record
from quarry.apps.fleet.models import Pack
from quarry.apps.jobs.models import Job, Terrain
from quarry.core.base.errors import CoreError, MissingInput
from quarry.core.base.shapes import plain
from quarry.core.base.working import Step, Working, explain
from quarry.core.defaults import AIR, CLEARANCE, FLOOR, LANDING, OVERLAP, PAYLOAD, SPARE, WIND_FROM, WIND_HEIGHT, WIND_SPEED
from quarry.core.ground.geodesy import LocalFrame, distance_m
from quarry.core.ground.mapping import MappingTask, mapping_figures
from quarry.core.ground.outline import Area, KeepOut, make_area
from quarry.core.ground.search import SearchTask, search_figures
from quarry.core.ground.spraying import SprayTask, spray_figures

PLAN_VERSION = 7
PlanError = CoreError

WORK_DEFAULTS: dict[str, dict[str, Any]] = {
    "mapping": {
        "height_m": 80.0,
        "side_overlap_frac": 0.7,
        "forward_overlap_frac": 0.8,
        "speed_m_s": 9.0,
        "exposure_s": 0.001,
        "tolerance_m": 5.0,
    },
    "spraying": {"rate_l_ha": 15.0, "swath_m": 5.0, "tank_l": 16.0, "speed_m_s": 5.0, "height_m": 3.0, "tolerance_m": 1.5},
    "search": {"sweep_width_m": 60.0, "coverage": 1.0, "law": "random", "speed_m_s": 9.0, "height_m": 60.0, "tolerance_m": 8.0},
}
LINE_DEFAULTS: dict[str, Any] = {"ends": "cover", "bearing_deg": None}
SORTIE_DEFAULTS: dict[str, Any] = {
    "landing_frac": LANDING.value,
    "floor_frac": FLOOR.value,
    "school": "rated",
    "breaks": "anywhere",
    "overlap_m": OVERLAP.value,
    "keep_spare_s": SPARE.value,
    "cut_for": "each",
    "return_m": None,
    "clearance_m": CLEARANCE.value,
    "load_kg": PAYLOAD.value,
}
WIND_DEFAULTS: dict[str, Any] = {
    "speed_m_s": WIND_SPEED.value,
    "from_deg": WIND_FROM.value,
    "height_m": WIND_HEIGHT.value,
    "assumed": True,
    "origin": "assumed",
    "words": "",
    "at": None,
    "cover": "grass",
    "gust_m_s": None,
    "air_c": AIR.value,
    "density_kg_m3": None,
    "into_m_s": None,
    "with_m_s": None,
}
SITE_DEFAULTS: dict[str, Any] = {"obstacles": [], "fallbacks": [], "homes": [], "home_area": []}


def with_defaults(job: Job) -> None:
    """Fill in what a job leaves open."""
    job.work = {**WORK_DEFAULTS[job.kind], **{k: v for k, v in job.work.items() if k in WORK_DEFAULTS[job.kind]}}
    job.lines = {**LINE_DEFAULTS, **job.lines}
    job.sorties = {**SORTIE_DEFAULTS, **job.sorties}
    job.wind = {**WIND_DEFAULTS, **job.wind}
    job.wind["assumed"] = job.wind["assumed"] and job.wind["origin"] == "assumed"
    if not job.wind["assumed"] and job.wind["origin"] == "assumed":
        job.wind["origin"] = "entered"
    job.site = {**SITE_DEFAULTS, **job.site}


@dataclass(frozen=True, slots=True)
class Ground:
    """The checked area of a job in its local frame."""

    frame: LocalFrame
    area: Area


@dataclass(frozen=True, slots=True)
class Shelf:
    """Packs that may fly a job, what their records tell, and the school of cold of the house."""

    packs: list[Pack] = field(default_factory=list)
    facts: dict[str, PackFacts] = field(default_factory=dict)
    cold: dict[str, Any] = field(default_factory=lambda: {"school": "model", "pack_c": 18.0, "warm_up_s": 60.0})


def fingerprint(job: Job, shelf: Shelf, terrain: Terrain | None) -> str:
    """Return a digest of everything a plan is made from."""
    aircraft = job.aircraft_model
    told = [
        PLAN_VERSION,
        job.kind,
        job.area,
        job.keep_outs,
        job.home,
        job.work,
        job.lines,
        job.sorties,
        job.wind,
        job.site,
        [str(aircraft.pk), aircraft.version] if aircraft else None,
        [str(job.aircraft.pk), job.aircraft.version] if job.aircraft else None,
        [str(job.camera.pk), job.camera.version] if job.camera else None,
        sorted(
            [str(p.pk), p.health_frac, p.model.version, p.name, p.mates, p.learnt, plain(shelf.facts.get(str(p.pk)))]
            for p in shelf.packs
        ),
        shelf.cold,
        [str(terrain.pk), terrain.version] if terrain else None,
    ]
    return hashlib.sha256(json.dumps(told, sort_keys=True).encode()).hexdigest()


def ground_of(job: Job) -> Ground:
    """Return the area of a job in metres, checked."""
    if not job.area:
        raise MissingInput("Draw the outline of the area, or drop a file with it on the map.", "area")
    frame = LocalFrame.around([(p[0], p[1]) for p in job.area])
    keeps = []
    for k in job.keep_outs:
        ring = tuple(frame.to_metres([(p[0], p[1]) for p in k["ring"]]))
        keeps.append(KeepOut(ring, k.get("crossing", "never"), float(k.get("margin_m", 0)), k.get("name", "")))
    return Ground(frame, make_area(frame.to_metres([(p[0], p[1]) for p in job.area]), keeps))


@dataclass(slots=True)
class Work:
    """What the kind of work asks for: line spacing, airspeed, line on one tank; its figures with their workings."""

    spacing_m: float
    speed_m_s: float
    tank_line_m: float | None
    figures: list[dict[str, Any]]
    workings: dict[str, Working]


def work_of(job: Job, ground: Ground) -> Work:
    """Return what the kind of work asks for; raises `PlanError` at the figure that stands in the way."""
    w = job.work
    if job.kind == "mapping":
        if job.camera is None:
            raise MissingInput("Choose the camera.", "camera_id")
        task = MappingTask(
            camera_record(job.camera),
            w["height_m"],
            w["side_overlap_frac"],
            w["forward_overlap_frac"],
            w["speed_m_s"],
            w["exposure_s"],
        )
        told = explain(mapping_figures, task)
        f = told.value
        values = {
            "ground_sample_m": f.ground_sample_m,
            "spacing_m": f.spacing_m,
            "trigger_m": f.trigger_m,
            "interval_s": f.interval_s,
            "blur_px": f.blur_px,
        }
        return Work(f.spacing_m, task.speed_m_s, None, *_figures(values, told.steps))
    if job.kind == "spraying":
        spray = SprayTask(w["rate_l_ha"], w["swath_m"], w["tank_l"], w["speed_m_s"], w["height_m"])
        done = explain(spray_figures, spray, ground.area.area_m2 / 1e4)
        g = done.value
        values = {
            "spacing_m": spray.swath_m,
            "flow_l_min": g.flow_l_min,
            "volume_l": g.volume_l,
            "loads_count": float(g.loads),
            "tank_area_ha": g.tank_area_ha,
            "work_rate_ha_h": g.work_rate_ha_h,
        }
        return Work(spray.swath_m, spray.speed_m_s, g.tank_line_m, *_figures(values, done.steps))
    search = SearchTask(w["sweep_width_m"], w["coverage"], w["law"], w["speed_m_s"], w["height_m"])
    seen = explain(search_figures, search, ground.area.area_m2)
    h = seen.value
    values = {"spacing_m": h.spacing_m, "detection_frac": h.detection_frac, "track_m": h.track_m, "on_scene_s": h.on_scene_s}
    return Work(h.spacing_m, search.speed_m_s, None, *_figures(values, seen.steps))


_STEP_OF = {"spacing_m": ("step_m", "spacing_m"), "trigger_m": ("step_m",)}


def _figures(values: dict[str, float], steps: tuple[Step, ...]) -> tuple[list[dict[str, Any]], dict[str, Working]]:
    """Return figures with a working each: the step that gave the value and those it uses."""
    figures, workings = [], {}
    for key, value in values.items():
        names = _STEP_OF.get(key, (key,))
        last = next((s for s in steps if s.name in names and s.value == value), None)
        figures.append({"key": key, "value": value})
        if last is not None:
            chain = [s for s in steps if s.name in last.uses and any(q.value == s.value for q in last.inputs)] + [last]
            workings[key] = Working(key, last.value, last.unit, tuple(chain))
    return figures, workings


def rounded(p: tuple[float, float]) -> list[float]:
    """Return a place in degrees to the centimetre."""
    return [round(p[0], 7), round(p[1], 7)]


def way_m(a: list[float], b: list[float]) -> float:
    """Return the distance between two places in degrees. [m]"""
    return distance_m(a[0], a[1], b[0], b[1])
