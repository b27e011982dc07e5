"""Planning a job: coverage, what packs give, heights, cuts; and what other homes would take."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from quarry.apps.fleet.bridge import model_figures
from quarry.apps.fleet.models import AircraftModel
from quarry.apps.jobs.bridge.figures import (
    Ground,
    Shelf,
    Work,
    ground_of,
    rounded,
    with_defaults,
    work_of,
)
from quarry.apps.jobs.bridge.gives import Air, Gives, air_of, set_gives
from quarry.apps.jobs.bridge.over_ground import OverGround, over_ground
from quarry.apps.jobs.bridge.told import told
from quarry.apps.jobs.models import Job, Terrain
from quarry.core.base.errors import MissingInput
from quarry.core.flight.energy import ReservePolicy
from quarry.core.ground.coverage import Coverage, LineTask, angle_of, plan_coverage
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.outline import make_area
from quarry.core.sorties.joint import best_home, plan_together, try_homes
from quarry.core.sorties.plan import Fallback, SortieTask


def plan_job(job: Job, shelf: Shelf, terrain: Terrain | None = None) -> dict[str, Any]:
    """Return the plan of a job as plain data: figures, lines, sorties, curve of directions, workings.

    ``shelf`` holds the packs that may fly it; the weakest is planned for, or each in turn. Raises `PlanError` with the
    field that stands in the way.
    """
    with_defaults(job)
    ground = ground_of(job)
    if job.aircraft_model is None:
        raise MissingInput("Choose the aircraft that flies this job.", "aircraft_model_id")
    air = air_of(job, job.aircraft_model)
    craft, work = air.craft, work_of(job, ground)
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
    setup = _setup(job, job.aircraft_model, ground, work, air, home, cover.best, shelf, terrain)
    joint = plan_together(cover, lines, lambda c: replace(setup.task, relief=setup.over.relief_of(c)), ground.area.forbidden)
    return told(job, ground, work, cover, joint, setup.gives, setup.over, air)


@dataclass(frozen=True, slots=True)
class _Setup:
    task: SortieTask
    gives: Gives
    over: OverGround


def _setup(
    job: Job,
    model: AircraftModel,
    ground: Ground,
    work: Work,
    air: Air,
    home: Metres,
    cover: Coverage,
    shelf: Shelf,
    terrain: Terrain | None,
) -> _Setup:
    gives = set_gives(job, model.pack_model, air, work.speed_m_s, shelf)
    over = over_ground(job, ground, home, terrain, cover, air.craft, work.speed_m_s)
    s = job.sorties
    task = SortieTask(
        home,
        air.craft,
        model_figures(model.pack_model),
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
    return _Setup(task, gives, over)


def homes(job: Job, shelf: Shelf, terrain: Terrain | None) -> dict[str, Any]:
    """Return what the same lines take from home, from the other homes entered, and from the best place that is permitted."""
    ground = ground_of(job)
    if job.aircraft_model is None or not job.home:
        raise MissingInput("Set home and the aircraft first.", "home")
    air = air_of(job, job.aircraft_model)
    craft, work = air.craft, work_of(job, ground)
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
    setup = _setup(job, job.aircraft_model, ground, work, air, here, cover, shelf, terrain)
    task = replace(setup.task, relief=setup.over.relief_of(cover))
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
            "at": rounded(ground.frame.to_degrees([t.at])[0]),
            "sorties": t.sorties,
            "total_s": t.total_s,
            "why_not": t.why_not,
        }
        for name, t in zip(names, tried, strict=True)
    ]
    if best is not None:
        at = rounded(ground.frame.to_degrees([best.at])[0])
        name = "best inside the permitted area" if len(ring) >= 3 else "best on or beside the area"
        rows.append({"name": name, "at": at, "sorties": best.sorties, "total_s": best.total_s, "why_not": ""})
    return {"homes": rows, "permitted": len(ring) >= 3}
