"""Jobs to core records and plans back to plain data in degrees. No rules, no queries of other apps."""

from __future__ import annotations

import hashlib
import json
import math
import zlib
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any

import numpy as np

from quarry.apps.fleet.bridge import PackFacts, airframe, camera_record, give_of_pack, model_figures, new_pack
from quarry.apps.fleet.models import AircraftModel, Pack, PackModel
from quarry.apps.jobs.models import Job, Terrain
from quarry.core.base.errors import BadGeometry, CoreError, MissingInput, require_range
from quarry.core.base.shapes import plain
from quarry.core.base.sources import ALGEBRA, KARNEY, SWEEP
from quarry.core.base.working import Explained, Step, Working, explain, workings_dict
from quarry.core.flight.energy import Airframe, ReservePolicy
from quarry.core.flight.envelope import farthest_flight, longest_flight
from quarry.core.flight.give import WARM_UP_BELOW_C, ColdSchool, Demand, Give, PackToday, gives_today
from quarry.core.flight.home import BothWays, airspeed_of_both_ways_m_s, reach, wind_of_both_ways_m_s
from quarry.core.flight.powers import Load, powers_of
from quarry.core.flight.wind import Wind
from quarry.core.ground.coverage import Coverage, CoveragePlan, LineTask, angle_of, bearing_of, plan_coverage
from quarry.core.ground.geodesy import LocalFrame, Metres, distance_m, ring_area_m2
from quarry.core.ground.mapping import MappingTask, mapping_figures
from quarry.core.ground.outline import Area, KeepOut, make_area
from quarry.core.ground.relief import ClearReturn, Obstacle, RouteRelief, clear_return, route_relief
from quarry.core.ground.search import SearchTask, search_figures
from quarry.core.ground.spraying import SprayTask, spray_figures
from quarry.core.ground.terrain import TerrainGrid, contours, hill_shade
from quarry.core.limits.hour import HourAir, density_of
from quarry.core.sorties.joint import Joint, best_home, plan_together, try_homes
from quarry.core.sorties.plan import Fallback, SetGive, Sortie, SortiePlan, SortieTask

PLAN_VERSION = 5
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
    "landing_frac": 0.3,
    "floor_frac": 0.2,
    "school": "rated",
    "breaks": "anywhere",
    "overlap_m": 15.0,
    "keep_spare_s": 30.0,
    "cut_for": "each",
    "return_m": None,
    "clearance_m": 20.0,
    "load_kg": 0.0,
}
WIND_DEFAULTS: dict[str, Any] = {
    "speed_m_s": 4.0,
    "from_deg": 240.0,
    "height_m": 60.0,
    "assumed": True,
    "origin": "assumed",
    "words": "",
    "at": None,
    "cover": "grass",
    "gust_m_s": None,
    "air_c": 15.0,
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
            [str(p.pk), p.health_frac, p.model.version, p.name, p.mates, plain(shelf.facts.get(str(p.pk)))] for p in shelf.packs
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
class _Work:
    spacing_m: float
    speed_m_s: float
    tank_line_m: float | None
    figures: list[dict[str, Any]]
    workings: dict[str, Working]


def plan_job(job: Job, shelf: Shelf, terrain: Terrain | None = None) -> dict[str, Any]:
    """Return the plan of a job as plain data: figures, lines, sorties, curve of directions, workings.

    ``shelf`` holds the packs that may fly it; the weakest is planned for, or each in turn. Raises `PlanError` with the
    field that stands in the way.
    """
    with_defaults(job)
    ground = ground_of(job)
    if job.aircraft_model is None:
        raise MissingInput("Choose the aircraft that flies this job.", "aircraft_model_id")
    air = _air_of(job, job.aircraft_model)
    craft, work = air.craft, _work(job, ground)
    bearing = job.lines["bearing_deg"]
    home = ground.frame.to_metres([(job.home[0], job.home[1])])[0] if job.home else None
    lines = LineTask(
        work.spacing_m,
        work.speed_m_s,
        craft.turn_s,
        air.wind,
        job.lines["ends"],
        None if bearing is None else angle_of(float(bearing)),
        home,
        keep=2,
    )
    cover = plan_coverage(ground.area, lines)
    if home is None:
        raise MissingInput("Set home: the place of take-off and landing.", "home")
    gives = set_gives(job, job.aircraft_model.pack_model, air, work.speed_m_s, shelf)
    over = _over_ground(job, ground, home, terrain, cover.best, craft, work.speed_m_s)
    s = job.sorties
    base = SortieTask(
        home,
        craft,
        model_figures(job.aircraft_model.pack_model),
        work.speed_m_s,
        ReservePolicy(float(s["landing_frac"]), float(s["floor_frac"]), s["school"]),
        air.wind,
        bool(job.wind["assumed"]),
        s["breaks"],
        float(s["overlap_m"]),
        work.tank_line_m,
        None,
        float(s["keep_spare_s"]),
        sets=gives.sets,
        load=air.load,
        density_kg_m3=air.density_kg_m3,
        height_m=float(job.work["height_m"]),
        return_m=over.return_m,
        warm_up_s=gives.warm_up_s,
        fallbacks=tuple(Fallback(f["name"], ground.frame.to_metres([tuple(f["at"])])[0]) for f in job.site["fallbacks"]),
    )
    joint = plan_together(cover, lines, lambda c: replace(base, relief=over.relief_of(c)), ground.area.forbidden)
    return _told(job, ground, work, cover, joint, gives, over, air)


@dataclass(frozen=True, slots=True)
class Air:
    """The aircraft with its load, and the wind and density that a job is planned with."""

    craft: Airframe
    packs_count: int
    wind: Wind
    density_kg_m3: float
    air_c: float
    load: Load


def _air_of(job: Job, model: AircraftModel) -> Air:
    craft = airframe(model, job.aircraft)
    w = job.wind
    wind = Wind(float(w["speed_m_s"]), float(w["from_deg"]))
    require_range(float(w["height_m"]), 0.0, 1000.0, "wind.height_m", "Height of the wind", "m")
    celsius = require_range(float(w["air_c"]), -40.0, 55.0, "wind.air_c", "Air temperature", "°C")
    if w["into_m_s"] is not None and w["with_m_s"] is not None:
        try:
            both = BothWays(float(w["into_m_s"]), float(w["with_m_s"]))
        except CoreError as bad:
            bad.field = f"wind.{bad.field}"
            raise
        craft = replace(craft, cruise_m_s=airspeed_of_both_ways_m_s(both.into_m_s, both.with_m_s))
        wind = Wind(wind_of_both_ways_m_s(both.into_m_s, both.with_m_s), wind.from_deg)
    density = w["density_kg_m3"]
    if density is None:
        density = density_of(HourAir("entered", "", 0.0, air_c=celsius))
    require_range(float(density), 0.4, 1.6, "wind.density_kg_m3", "Density of the air", "kg/m³")
    extra = float(job.sorties["load_kg"])
    load = Load(extra)
    if job.kind == "spraying" and craft.mass_kg is not None:
        # The mean draw of a sprayer is that of its usual half tank; the mass is entered empty.
        half = float(model.tank_l or job.work["tank_l"]) / 2
        craft = replace(craft, mass_kg=craft.mass_kg + half)
        load = Load(extra - half, float(job.work["tank_l"]))
    return Air(craft, model.packs_count, wind, float(density), celsius, load)


@dataclass(frozen=True, slots=True)
class Gives:
    """What each set gives, in the order it is planned for; sets left out, with the reason; what each lone pack gives."""

    sets: tuple[SetGive, ...]
    warm_up_s: float
    out: dict[str, str]
    told: list[dict[str, Any]]
    assumed: bool


def set_gives(job: Job, model: PackModel, air: Air, work_m_s: float, shelf: Shelf) -> Gives:
    """Return what each set of packs gives today; raises `PlanError` if none can fly."""
    s, n = job.sorties, air.packs_count
    powers = powers_of(air.craft, work_m_s, air.load, air.density_kg_m3)
    policy = ReservePolicy(float(s["landing_frac"]), float(s["floor_frac"]), s["school"])
    start_c = max(float(shelf.cold["pack_c"]), air.air_c)
    warm_up = float(shelf.cold["warm_up_s"]) if min(start_c, air.air_c) < WARM_UP_BELOW_C and air.air_c < 10.0 else 0.0
    demand = Demand(powers.work_w / n, max(powers.peak_w, powers.work_w) / n, air.air_c, warm_up)
    school = shelf.cold["school"]
    found: list[tuple[SetGive, dict[str, Any]]] = []
    out: dict[str, str] = {}
    last: CoreError | None = None
    for name, members in _groups(shelf.packs, n).items():
        try:
            gives = [
                (
                    p,
                    *_give(
                        give_of_pack(p, shelf.facts.get(str(p.pk), PackFacts()), start_c, 1.0, measured=False),
                        demand,
                        policy,
                        school,
                    ),
                )
                for p in members
            ]
        except CoreError as bad:
            out[name], last = bad.message, bad
            continue
        weakest, give, steps = min(gives, key=lambda g: g[1].usable_wh)
        found.append(_set_of(name, n, weakest.name, give, steps))
    assumed = not shelf.packs
    if assumed:
        give, steps = _give(new_pack(model, start_c), demand, policy, school)
        found.append(_set_of("", n, "a new pack", give, steps))
    if not found:
        raise last or MissingInput("No set of packs is complete. Add packs that fly together.", "pack")
    found.sort(key=lambda f: -f[0].usable_wh)
    sets = tuple(f[0] for f in found)
    chosen = sets if s["cut_for"] == "each" else sets[-1:]
    return Gives(chosen, warm_up, out, [f[1] for f in found], assumed)


def _groups(packs: list[Pack], n: int) -> dict[str, list[Pack]]:
    groups: dict[str, list[Pack]] = {}
    for p in packs:
        groups.setdefault(p.mates or p.name, []).append(p)
    if n == 1:
        return {p.name: [p] for p in packs}
    whole = {" + ".join(sorted(p.name for p in g)): g for g in groups.values() if len(g) == n}
    # Packs without mates fly with any of their kind: the two weakest together are the worst that can be.
    return whole or (
        {"any": sorted(packs, key=lambda p: p.health_frac)[:n]} if len(packs) >= n else {"any": packs} if packs else {}
    )


def _set_of(name: str, n: int, weakest: str, give: Give, steps: tuple[Step, ...]) -> tuple[SetGive, dict[str, Any]]:
    times = Step("packs_count", n, "", f"packs in the set; {weakest} is the weakest", source=ALGEBRA, kind="input")
    whole = Step("usable_wh", give.usable_wh * n, "Wh", "usable of the pack × packs in the set", source=ALGEBRA)
    more = (times, whole) if n > 1 else ()
    told = {
        "name": name,
        "usable_wh": give.usable_wh * n,
        "usable_s": give.usable_s,
        "energy_wh": give.energy_wh * n,
        "cold_frac": give.cold_frac,
        "bound_by": give.bound_by,
        "school": give.school,
        "dip_v": give.dip_v,
        "dip_s": give.dip_s,
        "floor_v": give.floor_v,
        "settles_c": give.settles_c,
    }
    return SetGive(name, give.energy_wh * n, give.reserve_wh * n, give.usable_wh * n, (*steps[:-1], *more)), told


@lru_cache(maxsize=2048)
def _told_give(pack: PackToday, demand: Demand, policy: ReservePolicy, school: ColdSchool) -> Explained[Give] | CoreError:
    try:
        return explain(gives_today, pack, demand, policy, school)
    except CoreError as bad:
        return bad


def _give(pack: PackToday, demand: Demand, policy: ReservePolicy, school: ColdSchool) -> tuple[Give, tuple[Step, ...]]:
    told = _told_give(pack, demand, policy, school)
    if isinstance(told, CoreError):
        raise type(told)(told.message, told.field)
    return told.value, told.steps


@dataclass(frozen=True, slots=True)
class OverGround:
    """Terrain and return height of a job; ``relief_of`` gives the heights along one coverage."""

    return_m: float
    clear: ClearReturn
    grid: TerrainGrid | None
    relief_of: Callable[[Coverage], RouteRelief | None]


def _over_ground(
    job: Job, ground: Ground, home: Metres, terrain: Terrain | None, best: Coverage, craft: Airframe, work_m_s: float
) -> OverGround:
    grid = grid_of(terrain)
    obstacles = [
        Obstacle(o.get("name", ""), ground.frame.to_metres([tuple(o["at"])])[0], float(o["radius_m"]), float(o["top_m"]))
        for o in job.site["obstacles"]
    ]
    places = np.array(best.path)[:: max(1, len(best.path) // 60)]
    clear = clear_return(places, home, float(job.sorties["clearance_m"]), obstacles, grid, ground.frame)
    wanted = job.sorties["return_m"]
    auto = max(math.ceil(clear.needed_m / 5.0) * 5.0, float(job.work["height_m"]))
    return_m = auto if wanted is None else require_range(float(wanted), 1.0, 500.0, "sorties.return_m", "Return height", "m")
    base = grid.height_m(job.home[0], job.home[1]) if grid is not None and job.home else None
    slope = craft.climb_m_s / work_m_s

    def relief_of(c: Coverage) -> RouteRelief | None:
        if grid is None or base is None:
            return None
        try:
            return route_relief(
                np.array(c.path),
                grid,
                ground.frame,
                base,
                float(job.work["height_m"]),
                float(job.work["tolerance_m"]),
                slope,
                slope,
            )
        except BadGeometry:
            return None  # the grid ends inside the area: flown by height above take-off, and said so

    return OverGround(return_m, clear, grid if base is not None else None, relief_of)


@lru_cache(maxsize=16)
def _grid(pk: str, version: int, facts: tuple[float, float, float, float, int, int], heights: bytes) -> TerrainGrid:
    del pk, version
    west, south, lon, lat, rows, columns = facts
    raw = zlib.decompress(heights)
    kept = np.frombuffer(raw, dtype="<i2" if len(raw) == 2 * rows * columns else "<i4")
    values = np.where(kept == np.iinfo(kept.dtype).min, np.nan, kept / 10.0)
    return TerrainGrid(west, south, lon, lat, values.reshape(rows, columns))


def grid_of(row: Terrain | None) -> TerrainGrid | None:
    """Return the core's grid of a terrain row, unpacked once."""
    return terrain_grid(row) if row is not None else None


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


def _told(
    job: Job, ground: Ground, work: _Work, cover: CoveragePlan, joint: Joint, gives: Gives, over: OverGround, air: Air
) -> dict[str, Any]:
    best, frame, cut = joint.coverage, ground.frame, joint.plan
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
    workings["bearing_deg"] = _direction_working(
        best.angle_deg, finite, chosen_by_hand=job.lines["bearing_deg"] is not None, more=joint.working.steps
    )
    workings["return_m"] = over.clear.working
    workings["power_w"] = cut.powers_working
    relief = over.relief_of(best)
    weakest = gives.told[-1]
    return {
        "area_ha": area_ha,
        "figures": figures,
        "bearing_deg": bearing_of(best.angle_deg),
        "uncovered_frac": best.uncovered_frac,
        "directions": sorted([b, t] for t, b in finite),
        "pack": {"name": weakest["name"], "rated_wh": cut.endurance.energy_wh, "assumed": gives.assumed},
        "gives": gives.told,
        "sets_out": gives.out,
        "cut_for": job.sorties["cut_for"],
        "warm_up_s": gives.warm_up_s,
        "powers": plain(cut.powers),
        "speed_curve": _speed_curve(air, cut),
        "air": {
            "density_kg_m3": air.density_kg_m3,
            "air_c": air.air_c,
            "wind_m_s": air.wind.speed_m_s,
            "from_deg": air.wind.from_deg,
        },
        "radius_m": _radius(air, cut),
        "return_m": over.return_m,
        "return_needed_m": over.clear.needed_m,
        "return_decides": over.clear.decides,
        "highest_m": float(relief.fly_m.max()) if relief is not None else float(job.work["height_m"]),
        "beyond_m": relief.beyond_m if relief is not None else 0.0,
        "terrain": relief is not None,
        "checks": _checks(job, over, relief, cut),
        "usable_s": cut.endurance.usable_s,
        "reserve_frac": cut.endurance.reserve_shown_frac,
        "floor_frac": float(job.sorties["floor_frac"]),
        "total_s": cut.total_s,
        "farthest_m": cut.farthest_m,
        "sorties": [_sortie(s, frame, relief) for s in cut.sorties],
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


def _direction_working(
    angle: float, times: list[tuple[float, float]], *, chosen_by_hand: bool, more: tuple[Step, ...] = ()
) -> Working:
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
            *more,
            Step("bearing_deg", bearing_of(angle), "°", "direction taken", kind="choice", source=ALGEBRA, note=note),
        ),
    )


def _speed_curve(air: Air, cut: SortiePlan) -> dict[str, Any]:
    """Return minutes of the planned set by airspeed, with the speeds of most time and most way against the wind."""
    model, n = air.craft.model, cut.endurance.usable_wh * 3600.0
    if model.flat:
        return {"points": [], "longest_m_s": None, "farthest_m_s": None, "flat": True}
    kg = air.load.fixed_kg + air.load.sprayed_kg / 2
    speeds = np.linspace(0.0, max(20.0, 1.5 * air.craft.cruise_m_s), 41)
    powers = model.power_w(speeds, kg, air.density_kg_m3)

    def power(v: Any) -> Any:
        return model.power_w(v, kg, air.density_kg_m3)

    far = farthest_flight(power, air.wind.speed_m_s)
    return {
        "points": [[round(float(v), 2), round(n / float(p), 1)] for v, p in zip(speeds, powers, strict=True)],
        "longest_m_s": longest_flight(power).airspeed_m_s,
        "farthest_m_s": far.airspeed_m_s if far else None,
        "flat": False,
    }


def _radius(air: Air, cut: SortiePlan) -> float:
    """Return the radius around home from inside which a full set would surely get home. [m]"""
    landing = cut.powers.hover_w * air.craft.fixed_s / 2 / 3600.0
    return reach(cut.endurance.usable_wh / 2, air.craft.cruise_m_s, cut.powers.home_w, air.wind, landing)


def _checks(job: Job, over: OverGround, relief: RouteRelief | None, cut: SortiePlan) -> list[dict[str, str]]:
    """Return what stops people: return height, tolerance over steep ground, terrain that is not known, far fallbacks."""
    found = []

    def say(key: str, words: str, *, bad: bool) -> None:
        found.append({"key": key, "words": words, "verdict": "no" if bad else "care"})

    if over.return_m < over.clear.needed_m - 0.5:
        say(
            "return_m",
            f"Return height {over.return_m:.0f} m is too low: {over.clear.decides} asks for {over.clear.needed_m:.0f} m.",
            bad=True,
        )
    if relief is None:
        say(
            "terrain",
            "No terrain is known under the whole route: heights are above take-off. Load a grid, or check them on site.",
            bad=False,
        )
    elif relief.beyond_m > 0.5:
        say(
            "tolerance",
            f"Over the steepest ground the height above it is off by {relief.beyond_m:.0f} m more than the tolerance.",
            bad=False,
        )
    if not job.site["fallbacks"]:
        say("fallback", "No fallback landing place is set. Choose one that can be walked to.", bad=False)
    for s in cut.sorties:
        if s.fallback is not None and not s.fallback.always:
            say("fallback", f"Sortie {s.number}: {s.fallback.name} cannot be reached from everywhere above the floor.", bad=True)
    if job.wind["assumed"]:
        say("wind", "The wind is assumed. Take a forecast, or enter what you measure, before this is flown.", bad=False)
    return found


def _profile(s: Sortie, relief: RouteRelief | None) -> list[list[float]]:
    """Return [path distance, ground, flight] above home along the work of a sortie, thinned for drawing. [m]"""
    if relief is None:
        return []
    at = np.unique(np.concatenate([np.linspace(s.from_m, s.to_m, 120)]))
    ground = np.interp(at, relief.at_m, relief.ground_m)
    return [
        [round(float(a), 1), round(float(g), 1), round(float(f), 1)]
        for a, g, f in zip(at, ground, relief.fly_at(at), strict=True)
    ]


def _sortie(s: Sortie, frame: LocalFrame, relief: RouteRelief | None) -> dict[str, Any]:
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
        "set": s.set_name,
        "usable_wh": s.usable_wh,
        "fallback": {"name": s.fallback.name, "least_wh": s.fallback.least_wh, "always": s.fallback.always}
        if s.fallback
        else None,
        "profile": _profile(s, relief),
    }


def _round(p: tuple[float, float]) -> list[float]:
    return [round(p[0], 7), round(p[1], 7)]


def terrain_grid(row: Terrain) -> TerrainGrid:
    """Return the core's grid of a terrain row, unpacked once."""
    facts = (row.west_deg, row.south_deg, row.cell_deg_lon, row.cell_deg_lat, row.rows, row.columns)
    return _grid(str(row.pk), row.version, facts, bytes(row.heights))


def pack_heights(heights_m: Any) -> bytes:
    """Return heights in metres as stored: decimetres, 32 bit, the least number where none is known, compressed."""
    values = np.asarray(heights_m, dtype=np.float64)
    whole = np.where(np.isnan(values), np.iinfo(np.int32).min, (np.nan_to_num(values) * 10).round())
    return zlib.compress(whole.astype("<i4").tobytes(), 6)


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


def terrain_row(grid: TerrainGrid) -> dict[str, Any]:
    """Return the figures of a stored terrain from the core's grid."""
    rows, columns = grid.heights_m.shape
    return {
        "west_deg": grid.west_deg,
        "south_deg": grid.south_deg,
        "cell_deg_lon": grid.cell_lon_deg,
        "cell_deg_lat": grid.cell_lat_deg,
        "rows": rows,
        "columns": columns,
        "heights": pack_heights(grid.heights_m),
    }


def height_at(row: Terrain, lon: float, lat: float) -> float | None:
    """Return the height of a place on a terrain, or None outside it. [m]"""
    return terrain_grid(row).height_m(lon, lat)


def way_m(a: list[float], b: list[float]) -> float:
    """Return the distance between two places in degrees. [m]"""
    return distance_m(a[0], a[1], b[0], b[1])


def homes(job: Job, shelf: Shelf, terrain: Terrain | None) -> dict[str, Any]:
    """Return what the same lines take from home, from the other homes entered, and from the best place that is permitted."""
    ground = ground_of(job)
    if job.aircraft_model is None or not job.home:
        raise MissingInput("Set home and the aircraft first.", "home")
    air = _air_of(job, job.aircraft_model)
    craft, work = air.craft, _work(job, ground)
    here = ground.frame.to_metres([(job.home[0], job.home[1])])[0]
    bearing = job.lines["bearing_deg"]
    lines = LineTask(
        work.spacing_m,
        work.speed_m_s,
        craft.turn_s,
        air.wind,
        job.lines["ends"],
        None if bearing is None else angle_of(float(bearing)),
        here,
    )
    cover = plan_coverage(ground.area, lines).best
    gives = set_gives(job, job.aircraft_model.pack_model, air, work.speed_m_s, shelf)
    over = _over_ground(job, ground, here, terrain, cover, craft, work.speed_m_s)
    s = job.sorties
    task = SortieTask(
        here,
        craft,
        model_figures(job.aircraft_model.pack_model),
        work.speed_m_s,
        ReservePolicy(float(s["landing_frac"]), float(s["floor_frac"]), s["school"]),
        air.wind,
        breaks=s["breaks"],
        overlap_m=float(s["overlap_m"]),
        tank_line_m=work.tank_line_m,
        keep_spare_s=float(s["keep_spare_s"]),
        sets=gives.sets,
        load=air.load,
        density_kg_m3=air.density_kg_m3,
        height_m=float(job.work["height_m"]),
        return_m=over.return_m,
        relief=over.relief_of(cover),
        warm_up_s=gives.warm_up_s,
    )
    others = ground.frame.to_metres([tuple(h["at"]) for h in job.site["homes"]])
    tried = try_homes(cover, task, [here, *others], ground.area.forbidden)
    ring = job.site["home_area"]
    permitted = (
        make_area(ground.frame.to_metres([tuple(p) for p in ring])).worked if len(ring) >= 3 else ground.area.outer.buffer(40.0)
    )
    best = best_home(cover, task, permitted, ground.area.forbidden)
    names = ["home now", *[h.get("name") or f"home {k}" for k, h in enumerate(job.site["homes"], start=2)]]
    rows = [
        {
            "name": name,
            "at": _round(ground.frame.to_degrees([t.at])[0]),
            "sorties": t.sorties,
            "total_s": t.total_s,
            "why_not": t.why_not,
        }
        for name, t in zip(names, tried, strict=True)
    ]
    if best is not None:
        at = _round(ground.frame.to_degrees([best.at])[0])
        name = "best inside the permitted area" if len(ring) >= 3 else "best on or beside the area"
        rows.append({"name": name, "at": at, "sorties": best.sorties, "total_s": best.total_s, "why_not": ""})
    return {"homes": rows, "permitted": len(ring) >= 3}
