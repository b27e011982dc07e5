"""Planning a job: coverage, what packs give, heights, cuts; and what other homes would take."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from quarry.apps.fleet.mappers import model_figures
from quarry.apps.fleet.models import AircraftModel
from quarry.apps.jobs.fields import JobFields, fields_of
from quarry.apps.jobs.mappers.lines_flown import (
    LinesInWind,
    camera_checks,
    line_checks,
    pressures,
    rates_asked,
    sprayed,
    tank_line,
)
from quarry.apps.jobs.mappers.over_ground import OverGround, over_ground
from quarry.apps.jobs.mappers.passes import Further, passes_of, passes_out, raised
from quarry.apps.jobs.mappers.patterns import as_laid, covered
from quarry.apps.jobs.mappers.plan_view import to_plan
from quarry.apps.jobs.mappers.usable import Air, UsableSets, air_of, homewards_m_s, usable_sets
from quarry.apps.jobs.mappers.work import Ground, Shelf, WorkAsked, ground_of, over_lines, rounded, work_of
from quarry.apps.jobs.models import Job, Terrain
from quarry.apps.jobs.views import HomeOut, HomesOut, JobPlan
from quarry.core.base.errors import MissingInput
from quarry.core.flight.energy import ReservePolicy
from quarry.core.flight.powers import Powers, powers_of
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.lines import Coverage, LineTask, angle_of, speeds_on
from quarry.core.ground.outline import make_area
from quarry.core.ground.passes import with_passes
from quarry.core.sorties.joint import Joint, best_home, plan_together, try_homes
from quarry.core.sorties.plan import Fallback, SortieTask, plan_sorties


def plan_job(job: Job, shelf: Shelf, terrain: Terrain | None = None) -> JobPlan:
    """Return the plan of a job: figures, lines, sorties, curve of directions, workings.

    ``shelf`` holds the packs that may fly it; the weakest is planned for, or each in turn. Raises `PlanError` with the
    field that stands in the way.
    """
    f = fields_of(job)
    ground = ground_of(f)
    aircraft = job.aircraft_model
    if aircraft is None:
        raise MissingInput("Choose the aircraft that flies this job.", "aircraft_model_id")
    air, work = air_of(f, aircraft, job.aircraft), work_of(f, job.camera, ground)
    home = ground.frame.to_metres([f.home])[0] if f.home else None
    refine, keep = _thoroughness(f)
    lines = replace(_lines(f, work, air, home), refine=refine, keep=keep)
    cover = covered(f, ground, lines, terrain)
    passes = passes_of(f, job.camera, ground, lines)
    cover = with_passes(cover, passes) if passes else cover
    if home is None:
        raise MissingInput("Set home: the place of take-off and landing.", "home")
    setup = _setup(f, aircraft, ground, work, air, home, cover.best, shelf, terrain)

    def task_for(c: Coverage) -> SortieTask:
        tank_m = tank_line(f, aircraft, *speeds_on(c, lines), work.tank_line_m)
        return replace(setup.task, relief=setup.over.relief_of(c), tank_line_m=tank_m)

    joint = _raised(f, ground, setup, plan_together(cover, lines, task_for, ground.area.forbidden), task_for, work.spacing_m)
    setup, joint = _at_the_power_flown(f, aircraft, air, shelf, setup, joint, task_for(joint.coverage), ground)
    flown = [x for x in joint.plan.flown if joint.coverage.line_as(x.line).speed_m_s is None]
    work = as_laid(f, ground, joint.coverage, work_of(f, job.camera, ground, over_lines(flown)))
    checks = [*line_checks(flown, air.craft, f.work.speed_m_s), *camera_checks(work.figures, job.camera, shelf.blur_px)]
    further = passes_out(passes, joint.coverage, shelf.blur_px) if passes else Further()
    spray = sprayed(f, aircraft, flown, rates_asked(f, ground, joint.coverage), shelf.dose_tolerance_frac)
    pressure, fits = pressures(f, spray, over_lines(flown).mean_m_s)
    in_wind = LinesInWind(spray, [*checks, *further.checks, *fits], further, pressure)
    return to_plan(f, ground, work, cover, joint, setup.usable, setup.over, air, in_wind)


def _raised(
    f: JobFields, ground: Ground, setup: _Setup, joint: Joint, task_for: Callable[[Coverage], SortieTask], spacing_m: float
) -> Joint:
    """Return the lines raised where the ground beside them asks for it, and cut anew."""
    c = raised(f, ground, joint.coverage, setup.over.relief_of(joint.coverage), setup.over.grid, spacing_m)
    if c is joint.coverage:
        return joint
    return replace(joint, coverage=c, plan=plan_sorties(c, task_for(c), ground.area.forbidden))


def _at_the_power_flown(
    f: JobFields, model: AircraftModel, air: Air, shelf: Shelf, setup: _Setup, joint: Joint, task: SortieTask, ground: Ground
) -> tuple[_Setup, Joint]:
    """Return the sets worked out for the power that the lines take in this wind, and the lines cut for them.

    Which power that is shows only once the lines are laid: until then calm air is assumed.
    """
    flown = joint.plan.powers
    if (flown.work_w, flown.peak_w) == (setup.calm.work_w, setup.calm.peak_w):
        return setup, joint
    usable = usable_sets(f, model.pack_model, air, flown, shelf)
    plan = plan_sorties(joint.coverage, replace(task, sets=usable.sets), ground.area.forbidden)
    return replace(setup, usable=usable), replace(joint, plan=plan)


def _thoroughness(f: JobFields) -> tuple[int, int]:
    """Return how many directions are laid in full, and how many of them are cut: fewer where each takes longer."""
    if not f.keep_outs:
        return 12, 5
    return (8, 4) if any(k.crossing == "never" for k in f.keep_outs) else (12, 5)


def _lines(f: JobFields, work: WorkAsked, air: Air, home: Metres | None) -> LineTask:
    bearing = f.lines.bearing_deg
    angle = None if bearing is None else angle_of(bearing)
    most = air.craft.most_air_m_s(work.speed_m_s)
    return LineTask(
        work.spacing_m,
        work.speed_m_s,
        air.craft.turn_s,
        air.wind,
        f.lines.ends,
        angle,
        home,
        holds=air.craft.holds,
        most_air_m_s=most,
        in_order=f.lines.in_order,
    )


@dataclass(frozen=True, slots=True)
class _Setup:
    """The task of cutting, with the sets at the powers of calm air."""

    task: SortieTask
    calm: Powers
    usable: UsableSets
    over: OverGround


def _setup(
    f: JobFields,
    model: AircraftModel,
    ground: Ground,
    work: WorkAsked,
    air: Air,
    home: Metres,
    cover: Coverage,
    shelf: Shelf,
    terrain: Terrain | None,
) -> _Setup:
    home_m_s = homewards_m_s(f, air.craft)
    calm = powers_of(air.craft, work.speed_m_s, air.load, air.density_kg_m3, home_m_s=home_m_s)
    usable = usable_sets(f, model.pack_model, air, calm, shelf)
    over = over_ground(f, ground, home, terrain, cover, air.craft, work.speed_m_s)
    sorties = f.sorties
    task = SortieTask(
        home,
        air.craft,
        model_figures(model.pack_model),
        work.speed_m_s,
        ReservePolicy(sorties.landing_frac, sorties.floor_frac, sorties.reserve_method),
        air.wind,
        f.wind.assumed,
        sorties.breaks,
        sorties.overlap_m,
        work.tank_line_m,
        None,
        sorties.keep_spare_s,
        sets=usable.sets,
        load=air.load,
        density_kg_m3=air.density_kg_m3,
        height_m=f.work.height_m,
        return_m=over.return_m,
        warm_up_s=usable.warm_up_s,
        fallbacks=tuple(Fallback(p.name, ground.frame.to_metres([p.at])[0]) for p in f.site.fallbacks),
        holds=air.craft.holds,
        most_air_m_s=air.craft.most_air_m_s(work.speed_m_s),
        home_m_s=home_m_s,
    )
    return _Setup(task, calm, usable, over)


def compare_homes(job: Job, shelf: Shelf, terrain: Terrain | None) -> HomesOut:
    """Return what the same lines take from home, from the other homes entered, and from the best place that is permitted."""
    f = fields_of(job)
    ground = ground_of(f)
    if job.aircraft_model is None or f.home is None:
        raise MissingInput("Set home and the aircraft first.", "home")
    air, work = air_of(f, job.aircraft_model, job.aircraft), work_of(f, job.camera, ground)
    here = ground.frame.to_metres([f.home])[0]
    lines = _lines(f, work, air, here)
    passes = passes_of(f, job.camera, ground, lines)
    plan = covered(f, ground, lines, terrain)
    cover = (with_passes(plan, passes) if passes else plan).best
    setup = _setup(f, job.aircraft_model, ground, work, air, here, cover, shelf, terrain)
    task = replace(setup.task, relief=setup.over.relief_of(cover))
    others = ground.frame.to_metres([h.at for h in f.site.homes])
    tried = try_homes(cover, task, [here, *others], ground.area.forbidden)
    drawn = len(f.site.home_area) >= 3
    permitted = make_area(ground.frame.to_metres(f.site.home_area)).worked if drawn else ground.area.outer.buffer(40.0)
    best = best_home(cover, task, permitted, ground.area.forbidden)
    names = ["home now", *[h.name or f"home {k}" for k, h in enumerate(f.site.homes, start=2)]]

    def place(at: Metres) -> tuple[float, float]:
        return rounded(ground.frame.to_degrees([at])[0])

    rows = [HomeOut(name, place(t.at), t.sorties, t.total_s, t.why_not) for name, t in zip(names, tried, strict=True)]
    if best is not None:
        name = "best inside the permitted area" if drawn else "best on or beside the area"
        rows.append(HomeOut(name, place(best.at), best.sorties, best.total_s, ""))
    return HomesOut(rows, drawn)
