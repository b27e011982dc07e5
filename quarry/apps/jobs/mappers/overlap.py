"""Overlap over relief of a planned mapping job, where it falls short, and what it would take to hold everywhere."""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from dataclasses import asdict, replace

import numpy as np
from numpy.typing import NDArray
from shapely import LineString

from quarry.apps.fleet.mappers import camera_record
from quarry.apps.jobs.fields import JobFields, MappingWork, fields_of
from quarry.apps.jobs.mappers.over_ground import terrain_grid
from quarry.apps.jobs.mappers.plan import plan_job
from quarry.apps.jobs.mappers.rings import polygons
from quarry.apps.jobs.mappers.routes import work_legs
from quarry.apps.jobs.mappers.work import Ground, Shelf, ground_of
from quarry.apps.jobs.models import Job, Terrain
from quarry.apps.jobs.views import JobPlan, OverlapOut, RemedyOut
from quarry.apps.workings import to_working
from quarry.core.base.errors import CoreError, MissingInput
from quarry.core.base.working import working_of
from quarry.core.ground.mapping import Camera, MappingFigures, MappingTask, ground_sample_m, mapping_figures
from quarry.core.ground.overlap import (
    SHORT_FRAC,
    FlownLine,
    OverlapMap,
    Remedy,
    cells_of,
    ground_where,
    higher,
    more_lines,
    overlap_frac,
    overlap_map,
)

_EPS = 1e-3
Floats = NDArray[np.float64]


def overlap_of(job: Job, plan: JobPlan, terrain: Terrain | None) -> OverlapOut:
    """Return what each place of a mapping job gets, summed up, and the ground where the wanted overlaps do not hold.

    Raises `PlanError` where it is no mapping job, has no camera, or no terrain grid is known.
    """
    f, ground = fields_of(job), ground_of(fields_of(job))
    w = _mapping(f)
    m = _map_of(job, f, w, plan, terrain, ground)
    side, forward = w.side_overlap_frac, w.forward_overlap_frac
    far = (m.side_frac < side - SHORT_FRAC - _EPS) | (m.forward_frac < forward - SHORT_FRAC - _EPS)
    near = ((m.side_frac < side - _EPS) | (m.forward_frac < forward - _EPS)) & ~far
    covered = terrain_share(m, ground)
    camera, figures = _laid(job, w)
    worst = {
        "side": working_of(
            "smallest side overlap", overlap_frac, figures.spacing_m, float(m.least_m.min()), camera.sensor_w_mm, camera.focal_mm
        ),
        "forward": working_of(
            "smallest forward overlap",
            overlap_frac,
            figures.trigger_m,
            float(m.least_m.min()),
            camera.sensor_h_mm,
            camera.focal_mm,
        ),
        "sample": working_of(
            "largest pixel", ground_sample_m, float(m.most_m.max()), camera.sensor_w_mm, camera.focal_mm, camera.image_w_px
        ),
    }
    return OverlapOut(
        wanted_frac=m.share_above(side - _EPS, forward - _EPS),
        short_frac=m.share_above(side - SHORT_FRAC - _EPS, forward - SHORT_FRAC - _EPS),
        least_side_frac=float(m.side_frac.min()),
        least_forward_frac=float(m.forward_frac.min()),
        worst_sample_m=float(m.sample_m.max()),
        least_height_m=float(m.least_m.min()),
        most_height_m=float(m.most_m.max()),
        known_frac=covered,
        workings={name: to_working(working) for name, (_, working) in worst.items()},
        near=polygons(ground_where(m, near), ground.frame),
        far=polygons(ground_where(m, far), ground.frame),
    )


def remedies_of(job: Job, plan: JobPlan, shelf: Shelf, terrain: Terrain | None) -> list[RemedyOut]:
    """Return the job as planned and each way to hold its overlaps everywhere, with what it takes: planned in full, nothing is kept."""
    f, ground = fields_of(job), ground_of(fields_of(job))
    w = _mapping(f)
    m = _map_of(job, f, w, plan, terrain, ground)
    rows = [_row("as planned", w, w, m, plan)]

    def add(words: str, make: Callable[[], Job]) -> None:
        try:
            other = make()
            planned = plan_job(other, shelf, terrain)
            mine = fields_of(other)
            work = _mapping(mine)
            rows.append(_row(words, work, w, _map_of(other, mine, work, planned, terrain, ground), planned))
        except CoreError as bad:
            rows.append(RemedyOut(words, bad.message))

    wanted = w.height_m, w.side_overlap_frac, w.forward_overlap_frac
    if not f.lines.raised:
        add("raised line by line", lambda: _raised(job))
        rows[-1] = replace(rows[-1], raised=True)
    add("lines added", lambda: _with(job, more_lines(m, *wanted)))
    add("flown higher", lambda: _with(job, higher(m, *wanted)))
    return rows


def _raised(job: Job) -> Job:
    other = copy(job)
    other.lines = {**job.lines, "raised": True}
    return other


def _with(job: Job, r: Remedy) -> Job:
    other = copy(job)
    other.work = {
        **job.work,
        "height_m": round(r.height_m, 1),
        # Rounded to the safe side.
        "side_overlap_frac": min(0.95, np.ceil(r.side_overlap_frac * 1000 - 1e-6) / 1000),
        "forward_overlap_frac": min(0.98, np.ceil(r.forward_overlap_frac * 1000 - 1e-6) / 1000),
    }
    return other


def _row(words: str, work: MappingWork, wanted: MappingWork, m: OverlapMap, plan: JobPlan) -> RemedyOut:
    return RemedyOut(
        words,
        "",
        work=asdict(replace(work)),
        wanted_frac=m.share_above(wanted.side_overlap_frac - _EPS, wanted.forward_overlap_frac - _EPS),
        least_side_frac=float(m.side_frac.min()),
        least_forward_frac=float(m.forward_frac.min()),
        worst_sample_m=float(m.sample_m.max()),
        total_s=plan.total_s,
        sorties_count=len(plan.sorties),
        lines_count=int(plan.figure("lines_count") or 0),
        pictures_count=int(plan.figure("pictures_count") or 0),
    )


def _mapping(f: JobFields) -> MappingWork:
    if not isinstance(f.work, MappingWork):
        raise MissingInput("Only a mapping job has overlaps.", "kind")
    return f.work


def _map_of(job: Job, f: JobFields, w: MappingWork, plan: JobPlan, terrain: Terrain | None, ground: Ground) -> OverlapMap:
    camera, figures = _laid(job, w)
    if terrain is None or not plan.terrain or f.home is None:
        raise MissingInput("No terrain grid covers this job: without one the ground is taken as level.", "terrain")
    grid = terrain_grid(terrain)
    cells, cell_m = cells_of(ground.area.worked, figures.spacing_m)
    heights = grid.heights_at_m(*ground.frame.degrees_of(cells)) - (grid.height_m(*f.home) or 0.0)
    known = np.isfinite(heights)
    if not known.any():
        raise MissingInput("No terrain grid covers this job: without one the ground is taken as level.", "terrain")
    return overlap_map(heights[known], cells[known], cell_m, _lines(plan, ground), camera, figures.spacing_m, figures.trigger_m)


def _laid(job: Job, w: MappingWork) -> tuple[Camera, MappingFigures]:
    if job.camera is None:
        raise MissingInput("Choose the camera.", "camera_id")
    camera = camera_record(job.camera)
    task = MappingTask(camera, w.height_m, w.side_overlap_frac, w.forward_overlap_frac, w.speed_m_s, w.exposure_s)
    return camera, mapping_figures(task)


def _lines(plan: JobPlan, ground: Ground) -> list[FlownLine]:
    """Return the legs over the ground of a plan with the heights of the aircraft along them, from the profiles of its sorties."""
    found = []
    over = {x.number - 1 for x in plan.lines if x.part == 0}
    for s in plan.sorties:
        if not s.profile:
            continue
        at = np.array([p[0] - s.profile[0][0] for p in s.profile])
        fly = np.array([p[2] for p in s.profile])
        along = 0.0
        for line, leg in work_legs(s):
            way = LineString(ground.frame.to_metres(leg))
            if line in over and way.length > 0:
                steps = np.linspace(0.0, way.length, max(2, int(way.length / 10) + 1))
                found.append(FlownLine(way, steps, np.interp(along + steps, at, fly)))
            along += way.length
    return found


def terrain_share(m: OverlapMap, ground: Ground) -> float:
    """Return the share of the field that terrain and lines tell of. [0 to 1]"""
    return float(min(1.0, len(m.xy) * m.cell_m**2 / max(1.0, ground.area.area_m2)))
