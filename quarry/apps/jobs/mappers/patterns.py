"""The pattern of a search: its place and bearing from the job, its lines over the ground, and how surely it finds."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from shapely import LineString

from quarry.apps.jobs.fields import JobFields, SearchWork
from quarry.apps.jobs.mappers.over_ground import grid_of
from quarry.apps.jobs.mappers.work import Ground, WorkAsked
from quarry.apps.jobs.models import Terrain
from quarry.apps.jobs.views import FigureOut
from quarry.core.base.sources import IAMSAR, KOOPMAN
from quarry.core.base.working import Quantity, Step, Working
from quarry.core.covered.detection import cumulative_detection
from quarry.core.covered.raster import raster_over
from quarry.core.ground.coverage import CoveragePlan, plan_coverage
from quarry.core.ground.lines import Coverage, LineTask
from quarry.core.ground.patterns import Pattern, plan_pattern
from quarry.core.ground.search import laid_coverage

_CELLS = 40_000


def covered(f: JobFields, ground: Ground, lines: LineTask, terrain: Terrain | None) -> CoveragePlan:
    """Return the lines of a job: side by side, or as the pattern of a search lies."""
    pattern = pattern_of(f, ground, lines)
    if pattern is None:
        return plan_coverage(ground.area, lines)
    grid = grid_of(terrain)
    heights = None if grid is None else lambda xy: grid.heights_at_m(*ground.frame.degrees_of(xy))
    return plan_pattern(ground.area, lines, pattern, heights)


def pattern_of(f: JobFields, ground: Ground, lines: LineTask) -> Pattern | None:
    """Return the pattern of a search job, None where its lines lie side by side.

    Where no place is set it begins in the middle of the ground; where no bearing is set, a square lies along the ground's
    own sides, and sectors begin with the way from home.
    """
    if not isinstance(f.work, SearchWork) or f.work.pattern == "parallel":
        return None
    middle = ground.area.worked.representative_point()
    centre = ground.area.worked.centroid
    if ground.area.worked.covers(centre):
        middle = centre
    at = ground.frame.to_metres([f.site.datum])[0] if f.site.datum else (middle.x, middle.y)
    bearing = f.lines.bearing_deg
    if bearing is None and f.work.pattern == "sector" and lines.home is not None:
        bearing = math.degrees(math.atan2(at[0] - lines.home[0], at[1] - lines.home[1])) % 360
    if bearing is None and f.work.pattern == "square":
        corners = np.array(ground.area.worked.minimum_rotated_rectangle.exterior.coords)
        east, north = corners[1] - corners[0]
        bearing = math.degrees(math.atan2(east, north)) % 90
    return Pattern(f.work.pattern, at, bearing or 0.0)


def as_laid(f: JobFields, ground: Ground, coverage: Coverage, work: WorkAsked) -> WorkAsked:
    """Return the figures of a search with what its pattern gives: coverage and POD of the lines as they lie.

    Legs of a pattern are not evenly apart: POD is that of each place, in the mean.
    """
    if not coverage.laid_as or not isinstance(f.work, SearchWork):
        return work
    w, area_m2 = f.work, ground.area.area_m2
    legs = [LineString([(x1, y1), (x2, y2)]) for x1, y1, x2, y2 in coverage.lines]
    raster = raster_over(ground.area.worked, w.sweep_width_m, _CELLS)
    found = cumulative_detection(raster, legs, w.sweep_width_m, w.law)[raster.inside]
    detection = float(found.mean()) if found.size else 0.0
    laid = laid_coverage(w.sweep_width_m, coverage.on_line_m, area_m2)
    inputs = (Quantity("sweep_width_m", w.sweep_width_m, "m"), Quantity("area_m2", area_m2, "m²"))
    track = Step(
        "track_m", coverage.on_line_m, "m", f"legs of the pattern ({coverage.laid_as}), ways between left out", kind="run"
    )
    cover = Step(
        "coverage",
        laid,
        "",
        "coverage = sweep width × track ÷ area",
        (*inputs, Quantity("track_m", coverage.on_line_m, "m")),
        IAMSAR,
        uses=("track_m",),
    )
    mean = Step(
        "detection_frac",
        detection,
        "",
        "POD at each place from its distances to all legs, in the mean over the ground",
        source=KOOPMAN,
        kind="run",
        note=f"from {float(found.min()):.0%} to {float(found.max()):.0%} by place" if found.size else "",
    )
    figures = [x for x in work.figures if x.key not in ("detection_frac", "track_m")]
    figures += [FigureOut("detection_frac", detection), FigureOut("track_m", coverage.on_line_m)]
    workings = {
        **work.workings,
        "detection_frac": Working("detection_frac", detection, "", (track, cover, mean)),
        "track_m": Working("track_m", coverage.on_line_m, "m", (track,)),
    }
    return replace(work, figures=figures, workings=workings)
