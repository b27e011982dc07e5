"""Overlap over relief of a planned mapping job, where it falls short, and what it would take to hold everywhere."""

from __future__ import annotations

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
from quarry.apps.jobs.mappers.work import Ground, Shelf, ground_of
from quarry.apps.jobs.models import Job, Terrain
from quarry.apps.jobs.views import JobPlan, OverlapOut, RemedyOut
from quarry.core.base.errors import CoreError, MissingInput
from quarry.core.ground.mapping import MappingTask, mapping_figures
from quarry.core.ground.overlap import (
    SHORT_FRAC,
    FlownLine,
    OverlapMap,
    Remedy,
    cells_of,
    ground_where,
    higher,
    more_lines,
    overlap_map,
)

_EPS = 1e-3
_SAME_M = 0.2
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
    return OverlapOut(
        wanted_frac=m.share_above(side - _EPS, forward - _EPS),
        short_frac=m.share_above(side - SHORT_FRAC - _EPS, forward - SHORT_FRAC - _EPS),
        least_side_frac=float(m.side_frac.min()),
        least_forward_frac=float(m.forward_frac.min()),
        worst_sample_m=float(m.sample_m.max()),
        least_height_m=float(m.least_m.min()),
        most_height_m=float(m.most_m.max()),
        known_frac=covered,
        near=polygons(ground_where(m, near), ground.frame),
        far=polygons(ground_where(m, far), ground.frame),
    )


def remedies_of(job: Job, plan: JobPlan, shelf: Shelf, terrain: Terrain | None) -> list[RemedyOut]:
    """Return the job as planned and each way to hold its overlaps everywhere, with what it takes: planned in full, nothing is kept."""
    f, ground = fields_of(job), ground_of(fields_of(job))
    w = _mapping(f)
    m = _map_of(job, f, w, plan, terrain, ground)
    rows = [_row("as planned", w, w, m, plan)]
    for make in (more_lines, higher):
        try:
            remedy = make(m, w.height_m, w.side_overlap_frac, w.forward_overlap_frac)
            other = _with(job, remedy)
            planned = plan_job(other, shelf, terrain)
            mine = fields_of(other)
            work = _mapping(mine)
            rows.append(_row(remedy.words, work, w, _map_of(other, mine, work, planned, terrain, ground), planned))
        except CoreError as bad:
            rows.append(RemedyOut(make.__name__.replace("_", " "), bad.message))
    return rows


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
    if job.camera is None:
        raise MissingInput("Choose the camera.", "camera_id")
    if terrain is None or not plan.terrain or f.home is None:
        raise MissingInput("No terrain grid covers this job: without one the ground is taken as level.", "terrain")
    camera = camera_record(job.camera)
    figures = mapping_figures(
        MappingTask(camera, w.height_m, w.side_overlap_frac, w.forward_overlap_frac, w.speed_m_s, w.exposure_s)
    )
    grid = terrain_grid(terrain)
    cells, cell_m = cells_of(ground.area.worked, figures.spacing_m)
    heights = grid.heights_at_m(*ground.frame.degrees_of(cells)) - (grid.height_m(*f.home) or 0.0)
    known = np.isfinite(heights)
    if not known.any():
        raise MissingInput("No terrain grid covers this job: without one the ground is taken as level.", "terrain")
    return overlap_map(heights[known], cells[known], cell_m, _lines(plan, ground), camera, figures.spacing_m, figures.trigger_m)


def _lines(plan: JobPlan, ground: Ground) -> list[FlownLine]:
    """Return the lines of a plan with the heights of the aircraft along them, from the profiles of its sorties."""
    found = []
    for s in plan.sorties:
        path = np.array(ground.frame.to_metres(s.path))
        along = np.concatenate(([0.0], np.cumsum(np.hypot(*np.diff(path, axis=0).T))))
        at = np.array([p[0] for p in s.profile])
        fly = np.array([p[2] for p in s.profile])
        if not at.size:
            continue
        for a, b in s.worked:
            way = LineString(ground.frame.to_metres([a, b]))
            begins_m = _begins_m(path, along, way)
            if way.length <= 0 or begins_m is None:
                continue
            steps = np.linspace(0.0, way.length, max(2, int(way.length / 10) + 1))
            found.append(FlownLine(way, steps, np.interp(begins_m + steps, at, fly)))
    return found


def _begins_m(path: Floats, along: Floats, way: LineString) -> float | None:
    """Return how far along its path a stretch begins: where the path has its two ends one after the other, and not where it crosses it."""
    ends = np.array(way.coords)
    first, last = (np.flatnonzero(np.hypot(*(path - end).T) < _SAME_M) for end in (ends[0], ends[-1]))
    pairs = [(j - i, i) for i in first.tolist() for j in last.tolist() if j > i]
    return float(along[min(pairs)[1]]) if pairs else None


def terrain_share(m: OverlapMap, ground: Ground) -> float:
    """Return the share of the field that terrain and lines tell of. [0 to 1]"""
    return float(min(1.0, len(m.xy) * m.cell_m**2 / max(1.0, ground.area.area_m2)))
