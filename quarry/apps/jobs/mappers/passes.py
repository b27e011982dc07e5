"""Further passes of a mapping job to the core's, their figures to screens; lines raised over relief."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from shapely import LineString

from quarry.apps.fleet.mappers import camera_record
from quarry.apps.fleet.models import Camera
from quarry.apps.jobs.fields import JobFields, MappingWork
from quarry.apps.jobs.mappers.work import Ground
from quarry.apps.jobs.views import PassOut, PlanCheck
from quarry.core.base.working import Working, explain
from quarry.core.ground.lines import Coverage, LineTask
from quarry.core.ground.mapping import ground_sample_m, longest_exposure_s
from quarry.core.ground.overlap import FlownLine, cells_of, rises_m
from quarry.core.ground.passes import (
    GridPass,
    Passes,
    PassFigures,
    Structure,
    Wanted,
    check_passes,
    distance_to_middle_m,
    figures_of,
)
from quarry.core.ground.relief import RouteRelief
from quarry.core.ground.terrain import TerrainGrid


def passes_of(f: JobFields, camera: Camera | None, ground: Ground, task: LineTask) -> Passes | None:
    """Return the further passes of a job, checked; None where it has none. Raises `PlanError` at the figure that cannot be."""
    w = f.work
    if not isinstance(w, MappingWork) or camera is None or not (f.lines.passes or f.site.structures):
        return None
    passes = Passes(
        ground.area,
        task,
        Wanted(camera_record(camera), w.height_m, w.side_overlap_frac, w.forward_overlap_frac, w.exposure_s),
        tuple(GridPass(p.turn_deg, p.tilt_deg, p.name) for p in f.lines.passes),
        tuple(
            Structure(
                tuple(ground.frame.to_metres(s.ring)),
                s.how,
                s.top_m,
                s.stand_off_m,
                s.low_m,
                s.high_m,
                s.speed_m_s,
                s.name,
                s.facing_deg,
            )
            for s in f.site.structures
        ),
    )
    check_passes(passes)
    return passes


@dataclass(frozen=True, slots=True)
class Further:
    """The further passes of a plan: their figures, the workings of these, and what stops people."""

    passes: list[PassOut] = field(default_factory=list)
    workings: dict[str, Working] = field(default_factory=dict)
    checks: list[PlanCheck] = field(default_factory=list)


def passes_out(passes: Passes, c: Coverage, blur_px: float) -> Further:
    """Return the further passes of a coverage as screens show them."""
    made = Further()
    found, workings, checks = made.passes, made.workings, made.checks
    for p in figures_of(passes, c):
        found.append(
            PassOut(
                part=p.laid.part,
                name=p.laid.name,
                lines_count=p.lines,
                on_line_m=p.on_line_m,
                ground_sample_m=p.sample_m,
                trigger_m=p.laid.trigger_m,
                interval_s=p.interval_s,
                blur_px=p.blur_px,
                pictures_count=p.pictures,
                tilt_deg=p.laid.tilt_deg,
                low_m=p.laid.low_m,
                high_m=p.laid.high_m,
                beyond_m=p.laid.beyond_m,
            )
        )
        workings[f"ground_sample_m.{p.laid.part}"] = _sample_working(passes, p)
        checks.extend(_pass_checks(passes, p, blur_px))
    return made


def _sample_working(passes: Passes, p: PassFigures) -> Working:
    c = passes.wanted.camera
    steps = explain(ground_sample_m, p.laid.distance_m, c.sensor_w_mm, c.focal_mm, c.image_w_px).steps
    if p.laid.part <= len(passes.grids):
        steps = (*explain(distance_to_middle_m, passes.wanted.height_m, p.laid.tilt_deg).steps, *steps)
    return Working(f"ground sample, {p.laid.name}", p.sample_m, "m", steps)


def _pass_checks(passes: Passes, p: PassFigures, most_px: float) -> list[PlanCheck]:
    found = [PlanCheck("passes", p.left_out, "care")] if p.left_out else []
    grid = p.laid.part <= len(passes.grids)
    name = f"Pass {p.laid.part + 1}, {p.laid.name}" if grid else p.laid.name[:1].upper() + p.laid.name[1:]
    if p.laid.beyond_m > 0.5:
        words = (
            f"{name}: its lines reach up to {p.laid.beyond_m:.0f} m beyond the area, as its camera looks ahead. Make sure that "
            "this ground may be flown over."
        )
        found.append(PlanCheck("passes", words, "care"))
    # At the job's own speed and height what is said of the first lines holds for these.
    if p.blur_px > most_px and not grid:
        shutter_s = longest_exposure_s(most_px, p.sample_m, p.laid.speed_m_s)
        words = (
            f"{name}: pictures blur by {p.blur_px:.1f} px, more than {most_px:g} px. A shutter of 1/{1 / shutter_s:.0f} s or shorter "
            "keeps them sharp, or fly it slower."
        )
        found.append(PlanCheck("passes", words, "care"))
    return found


def raised(
    f: JobFields, ground: Ground, c: Coverage, relief: RouteRelief | None, grid: TerrainGrid | None, spacing_m: float
) -> Coverage:
    """Return a coverage whose lines over the ground are flown as much higher, in steps, as the ground beside each of them asks."""
    if (
        not f.lines.raised
        or f.home is None
        or relief is None
        or relief.assumed
        or grid is None
        or not isinstance(f.work, MappingWork)
    ):
        return c
    cells, _ = cells_of(ground.area.worked, spacing_m)
    heights = grid.heights_at_m(*ground.frame.degrees_of(cells)) - (grid.height_m(*f.home) or 0.0)
    known = np.isfinite(heights)
    rises = rises_m(heights[known], cells[known], flown_lines(c, relief), spacing_m, f.work.height_m)
    above = [f.work.height_m + rise for rise in rises.tolist()]
    return replace(
        c,
        flown_as=tuple(
            replace(as_flown, above_m=h) if as_flown.part == 0 and h > f.work.height_m else as_flown
            for as_flown, h in zip((c.line_as(k) for k in range(c.line_count)), above, strict=True)
        ),
    )


def flown_lines(c: Coverage, relief: RouteRelief) -> list[FlownLine]:
    """Return each line of a coverage with the heights that it is flown at."""
    path = np.array(c.path)
    cum = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(path, axis=0).T))])
    owner = np.array(c.path_line)
    found = []
    for k in range(c.line_count):
        legs = np.flatnonzero(owner == k)
        a, b = int(legs[0]), int(legs[-1]) + 1
        at = np.union1d(cum[a : b + 1], np.linspace(cum[a], cum[b], max(2, int((cum[b] - cum[a]) / 10) + 1)))
        found.append(FlownLine(LineString(path[a : b + 1]), at - cum[a], relief.fly_at(at)))
    return found
