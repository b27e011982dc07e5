"""Jobs to core records and plans back to plain data in degrees. No rules, no queries of other apps."""

from __future__ import annotations

import hashlib
import json
import zlib
from dataclasses import dataclass
from typing import Any

import numpy as np

from quarry.apps.fleet.bridge import airframe, camera_record, model_figures, pack_figures
from quarry.apps.fleet.models import Pack
from quarry.apps.jobs.models import Job, Terrain
from quarry.core.base.errors import CoreError, MissingInput, require_range
from quarry.core.base.sources import ALGEBRA, KARNEY, SWEEP
from quarry.core.base.working import Step, Working, explain, workings_dict
from quarry.core.flight.energy import ReservePolicy
from quarry.core.flight.wind import Wind
from quarry.core.ground.coverage import CoveragePlan, LineTask, angle_of, bearing_of, plan_coverage
from quarry.core.ground.geodesy import LocalFrame, distance_m, ring_area_m2
from quarry.core.ground.mapping import MappingTask, mapping_figures
from quarry.core.ground.outline import Area, KeepOut, make_area
from quarry.core.ground.search import SearchTask, search_figures
from quarry.core.ground.spraying import SprayTask, spray_figures
from quarry.core.ground.terrain import TerrainGrid, contours, hill_shade
from quarry.core.sorties.plan import Sortie, SortiePlan, SortieTask, plan_sorties

PLAN_VERSION = 4
PlanError = CoreError

WORK_DEFAULTS: dict[str, dict[str, Any]] = {
    "mapping": {"height_m": 80.0, "side_overlap_frac": 0.7, "forward_overlap_frac": 0.8, "speed_m_s": 9.0, "exposure_s": 0.001},
    "spraying": {"rate_l_ha": 15.0, "swath_m": 5.0, "tank_l": 16.0, "speed_m_s": 5.0, "height_m": 3.0},
    "search": {"sweep_width_m": 60.0, "coverage": 1.0, "law": "random", "speed_m_s": 9.0, "height_m": 60.0},
}
LINE_DEFAULTS: dict[str, Any] = {"ends": "cover", "bearing_deg": None}
SORTIE_DEFAULTS: dict[str, Any] = {
    "landing_frac": 0.3,
    "floor_frac": 0.2,
    "school": "rated",
    "breaks": "anywhere",
    "overlap_m": 15.0,
    "keep_spare_s": 30.0,
}
WIND_DEFAULTS: dict[str, Any] = {"speed_m_s": 4.0, "from_deg": 240.0, "height_m": 60.0, "assumed": True}


def with_defaults(job: Job) -> None:
    """Fill in what a job leaves open."""
    job.work = {**WORK_DEFAULTS[job.kind], **{k: v for k, v in job.work.items() if k in WORK_DEFAULTS[job.kind]}}
    job.lines = {**LINE_DEFAULTS, **job.lines}
    job.sorties = {**SORTIE_DEFAULTS, **job.sorties}
    job.wind = {**WIND_DEFAULTS, **job.wind}


@dataclass(frozen=True, slots=True)
class Ground:
    """The checked area of a job in its local frame."""

    frame: LocalFrame
    area: Area


def fingerprint(job: Job, packs: list[Pack]) -> str:
    """Return a digest of everything a plan is made from."""
    aircraft = job.aircraft_model
    facts = [
        PLAN_VERSION,
        job.kind,
        job.area,
        job.keep_outs,
        job.home,
        job.work,
        job.lines,
        job.sorties,
        job.wind,
        [str(aircraft.pk), aircraft.version] if aircraft else None,
        [str(job.aircraft.pk), job.aircraft.version] if job.aircraft else None,
        [str(job.camera.pk), job.camera.version] if job.camera else None,
        sorted([str(p.pk), p.health_frac, p.model.rated_wh, p.name] for p in packs),
    ]
    return hashlib.sha256(json.dumps(facts, sort_keys=True).encode()).hexdigest()


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
class _Work:
    spacing_m: float
    speed_m_s: float
    tank_line_m: float | None
    figures: list[dict[str, Any]]
    workings: dict[str, Working]


def plan_job(job: Job, packs: list[Pack]) -> dict[str, Any]:
    """Return the plan of a job as plain data: figures, lines, sorties, curve of directions, workings.

    ``packs`` are those that may fly it; the weakest is planned for. Raises `PlanError` with the
    field that stands in the way.
    """
    with_defaults(job)
    ground = ground_of(job)
    if job.aircraft_model is None:
        raise MissingInput("Choose the aircraft that flies this job.", "aircraft_model_id")
    craft = airframe(job.aircraft_model, job.aircraft)
    work = _work(job, ground)
    wind = Wind(float(job.wind["speed_m_s"]), float(job.wind["from_deg"]))
    require_range(float(job.wind["height_m"]), 0.0, 1000.0, "wind.height_m", "Height of the wind", "m")
    bearing = job.lines["bearing_deg"]
    home = ground.frame.to_metres([(job.home[0], job.home[1])])[0] if job.home else None
    task = LineTask(
        work.spacing_m,
        work.speed_m_s,
        craft.turn_s,
        wind,
        job.lines["ends"],
        None if bearing is None else angle_of(float(bearing)),
        home,
    )
    cover = plan_coverage(ground.area, task)
    if home is None:
        raise MissingInput("Set home: the place of take-off and landing.", "home")
    weakest = min(packs, key=lambda p: p.model.rated_wh * p.health_frac) if packs else None
    s = job.sorties
    cut = plan_sorties(
        cover.best,
        SortieTask(
            home,
            craft,
            pack_figures(weakest) if weakest else model_figures(job.aircraft_model.pack_model),
            work.speed_m_s,
            ReservePolicy(float(s["landing_frac"]), float(s["floor_frac"]), s["school"]),
            wind,
            bool(job.wind["assumed"]),
            s["breaks"],
            float(s["overlap_m"]),
            work.tank_line_m,
            None,
            float(s["keep_spare_s"]),
        ),
        ground.area.forbidden,
    )
    return _told(job, ground, work, cover, cut, weakest)


def _work(job: Job, ground: Ground) -> _Work:
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
        return _Work(f.spacing_m, task.speed_m_s, None, *_figures(values, told.steps))
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
        return _Work(spray.swath_m, spray.speed_m_s, g.tank_line_m, *_figures(values, done.steps))
    search = SearchTask(w["sweep_width_m"], w["coverage"], w["law"], w["speed_m_s"], w["height_m"])
    seen = explain(search_figures, search, ground.area.area_m2)
    h = seen.value
    values = {"spacing_m": h.spacing_m, "detection_frac": h.detection_frac, "track_m": h.track_m, "on_scene_s": h.on_scene_s}
    return _Work(h.spacing_m, search.speed_m_s, None, *_figures(values, seen.steps))


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


def _told(job: Job, ground: Ground, work: _Work, cover: CoveragePlan, cut: SortiePlan, weakest: Pack | None) -> dict[str, Any]:
    best, frame = cover.best, ground.frame
    area_ha = _worked_ha(job, ground)
    figures = [*work.figures]
    if job.kind == "mapping":
        trigger = next(f["value"] for f in work.figures if f["key"] == "trigger_m")
        pictures = sum(int(_length(x) / trigger) + 1 for x in best.lines)
        figures.append({"key": "pictures_count", "value": pictures})
        work.workings["pictures_count"] = Working(
            "pictures",
            pictures,
            "",
            (
                Step(
                    "pictures_count",
                    pictures,
                    "",
                    "for each line: length ÷ trigger distance, rounded down, plus one; summed over all lines",
                    source=ALGEBRA,
                ),
            ),
        )
    figures += [{"key": "lines_count", "value": len(best.lines)}, {"key": "on_line_m", "value": best.on_line_m}]
    work.workings["lines_count"] = Working(
        "lines",
        len(best.lines),
        "",
        (
            Step("rows_count", best.rows, "", "rows: extent across the lines ÷ spacing, rounded up", source=ALGEBRA),
            Step(
                "lines_count",
                len(best.lines),
                "",
                f"rows cut where the outline or a keep-out parts them; flown as {best.cells} block{'s' if best.cells > 1 else ''}",
                source=SWEEP,
            ),
        ),
    )
    work.workings["on_line_m"] = Working(
        "length of all lines",
        best.on_line_m,
        "m",
        (
            Step("lines_count", len(best.lines), "", "lines laid", source=ALGEBRA),
            Step(
                "on_line_m",
                best.on_line_m,
                "m",
                "sum of their lengths",
                source=ALGEBRA,
                note=_ends_note(job, best.uncovered_frac),
            ),
        ),
    )
    work.workings["area_ha"] = Working(
        "area",
        area_ha,
        "ha",
        (Step("area_ha", area_ha, "ha", "area on the WGS 84 ellipsoid, keep-outs with their margins taken off", source=KARNEY),),
    )
    times = [(d.time_s, bearing_of(d.angle_deg)) for d in cover.directions]
    finite = [t for t in times if t[0] != float("inf")]
    workings = {**work.workings, "endurance": cut.endurance_working, "total_s": cut.total_working}
    workings |= {f"spare_{s.number}": s.working for s in cut.sorties}
    workings |= {f"back_{s.number}": s.turn_back_working for s in cut.sorties}
    workings["bearing_deg"] = _direction_working(best.angle_deg, finite, chosen_by_hand=job.lines["bearing_deg"] is not None)
    return {
        "area_ha": area_ha,
        "figures": figures,
        "bearing_deg": bearing_of(best.angle_deg),
        "uncovered_frac": best.uncovered_frac,
        "directions": sorted([b, t] for t, b in finite),
        "pack": {"name": weakest.name if weakest else "", "rated_wh": cut.endurance.energy_wh, "assumed": weakest is None},
        "usable_s": cut.endurance.usable_s,
        "reserve_frac": cut.endurance.reserve_shown_frac,
        "floor_frac": float(job.sorties["floor_frac"]),
        "total_s": cut.total_s,
        "farthest_m": cut.farthest_m,
        "sorties": [_sortie(s, frame) for s in cut.sorties],
        "workings": workings_dict(workings),
    }


def _length(line: tuple[float, float, float, float]) -> float:
    return float(np.hypot(line[2] - line[0], line[3] - line[1]))


def _worked_ha(job: Job, ground: Ground) -> float:
    whole = ring_area_m2([(p[0], p[1]) for p in job.area])
    return whole * float(ground.area.worked.area) / float(ground.area.outer.area) / 1e4


def _ends_note(job: Job, uncovered: float) -> str:
    if job.lines["ends"] == "clip":
        return f"lines end at the boundary; {uncovered:.1%} of the area lies more than half a spacing from a line"
    rest = f"; {uncovered:.2%} beside keep-outs stays out of reach" if uncovered > 5e-5 else ""
    return "every point of the area lies within half a spacing of a line" + rest


def _direction_working(angle: float, times: list[tuple[float, float]], *, chosen_by_hand: bool) -> Working:
    best, worst = min(times), max(times)
    note = "set by hand" if chosen_by_hand else "the best of the sweep, its neighbours and the long edges, each planned in full"
    return Working(
        "line direction",
        bearing_of(angle),
        "°",
        (
            Step(
                "best_s",
                best[0],
                "s",
                f"least time of the sweep, at {best[1]:.0f}°: rows, turns and wind, ways home left out",
                source=ALGEBRA,
            ),
            Step("worst_s", worst[0], "s", f"most time, at {worst[1]:.0f}°", source=ALGEBRA),
            Step("bearing_deg", bearing_of(angle), "°", "direction taken", kind="choice", source=ALGEBRA, note=note),
        ),
    )


def _sortie(s: Sortie, frame: LocalFrame) -> dict[str, Any]:
    ends = frame.to_degrees([p for pair in s.worked for p in pair])
    entry, leave, back = frame.to_degrees([s.entry, s.leave, s.turn_back_at])
    return {
        "number": s.number,
        "path": [_round(p) for p in frame.to_degrees(s.path)],
        "worked": [[_round(a), _round(b)] for a, b in zip(ends[::2], ends[1::2], strict=True)],
        "entry": _round(entry),
        "leave": _round(leave),
        "turn_back_at": _round(back),
        "lines": list(s.lines),
        "time_s": s.time_s,
        "energy_wh": s.energy_wh,
        "energy_frac": s.energy_frac,
        "landing_frac": s.landing_frac,
        "spare_s": s.spare_s,
        "turns_home_s": s.turns_home_s,
        "turn_back_s": s.turn_back_s,
        "home_s": s.home_s,
        "worked_m": s.worked_m,
        "bound_by": s.bound_by,
        "legs": [{"kind": x.kind, "start_s": x.start_s, "end_s": x.end_s, "line": x.line} for x in s.legs],
        "ribbon": [[r.at_s, r.left_frac, r.home_frac] for r in s.ribbon],
    }


def _round(p: tuple[float, float]) -> list[float]:
    return [round(p[0], 7), round(p[1], 7)]


def terrain_grid(row: Terrain) -> TerrainGrid:
    """Return the core's grid of a terrain row."""
    heights = np.frombuffer(zlib.decompress(bytes(row.heights)), dtype="<i2").astype(np.float64) / 10
    return TerrainGrid(row.west_deg, row.south_deg, row.cell_deg_lon, row.cell_deg_lat, heights.reshape(row.rows, row.columns))


def pack_heights(heights_m: Any) -> bytes:
    """Return heights in metres as stored: decimetres, 16 bit, compressed."""
    return zlib.compress((np.asarray(heights_m) * 10).round().astype("<i2").tobytes(), 6)


def terrain_sheet(row: Terrain, step_m: float) -> dict[str, Any]:
    """Return what a map draws of a terrain: light by cell from north to south, and contours."""
    grid = terrain_grid(row)
    lines = [
        {"height_m": h, "lines": [[[round(x, 6), round(y, 6)] for x, y in line] for line in found]}
        for h, found in contours(grid, step_m)
    ]
    return {
        "bounds": list(grid.bounds),
        "columns": row.columns,
        "rows": row.rows,
        "shade": hill_shade(grid)[::-1].tobytes(),
        "contours": lines,
    }


def height_at(row: Terrain, lon: float, lat: float) -> float | None:
    """Return the height of a place on a terrain, or None outside it. [m]"""
    return terrain_grid(row).height_m(lon, lat)


def way_m(a: list[float], b: list[float]) -> float:
    """Return the distance between two places in degrees. [m]"""
    return distance_m(a[0], a[1], b[0], b[1])
