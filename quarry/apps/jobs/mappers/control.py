"""Control and check points of a job: proposed, ordered for walking, and what accuracy to expect."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from quarry.apps.jobs.fields import ControlFields, JobFields
from quarry.apps.jobs.mappers.over_ground import terrain_grid
from quarry.apps.jobs.mappers.work import ground_of
from quarry.apps.jobs.models import Terrain
from quarry.apps.jobs.views import ControlOut, JobPlan
from quarry.apps.workings import to_working
from quarry.core.ground.control import (
    STATED_CHECK,
    ControlPoint,
    expected_accuracy,
    farthest_from_control_m,
    outside,
    place_control,
    walking_order,
)

Floats = NDArray[np.float64]
INSET_M = 12.0


def proposed_control(f: JobFields, terrain: Terrain | None, reach_m: float) -> list[ControlFields]:
    """Return control and check points for a job, in walking order, each with why it is there."""
    ground = ground_of(f)
    grid = terrain_grid(terrain) if terrain is not None else None

    def heights(xy: Floats) -> Floats:
        lon, lat = ground.frame.degrees_of(xy)
        return grid.heights_at_m(lon, lat) if grid is not None else np.full(len(xy), np.nan)

    points = place_control(ground.area.worked, INSET_M, reach_m, f.work.height_m, heights if grid is not None else None)
    home = ground.frame.to_metres([f.home])[0] if f.home else (0.0, 0.0)
    order, _ = walking_order([p.at for p in points], home)
    places = ground.frame.to_degrees([points[k].at for k in order])
    return [
        ControlFields(at=(round(lon, 7), round(lat, 7)), name=points[k].name, check=points[k].check, why=points[k].why)
        for (lon, lat), k in zip(places, order, strict=True)
    ]


def control_view(f: JobFields, plan: JobPlan | None) -> ControlOut:
    """Return what the control points of a job come to: how far the worst place is, how far they are to walk, accuracy to expect."""
    ground = ground_of(f)
    at = ground.frame.to_metres([p.at for p in f.site.control])
    points = [ControlPoint(p.name, xy, p.why, p.check) for p, xy in zip(f.site.control, at, strict=True)]
    home = ground.frame.to_metres([f.home])[0] if f.home else (0.0, 0.0)
    _, walk_m = walking_order(at, home)
    sample = plan.figure("ground_sample_m") if plan is not None else None
    far = farthest_from_control_m(ground.area.worked, points)
    checks = sum(p.check for p in points)
    made = expected_accuracy(sample, len(points) - checks, f.site.correction, f.site.base_m) if sample else None
    return ControlOut(
        control_count=len(points) - checks,
        check_count=checks,
        farthest_m=far if math.isfinite(far) else None,
        walk_m=walk_m,
        plan_m=list(made.plan_m) if made else [],
        height_m=list(made.height_m) if made else [],
        rests_on=made.words if made else "",
        working=to_working(made.working) if made else None,
        outside=outside(ground.area.worked.buffer(1.0), points),
        stated_count=STATED_CHECK,
    )
