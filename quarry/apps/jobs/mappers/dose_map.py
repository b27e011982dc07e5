"""What each strip of a spraying plan gets, as ground in degrees."""

from __future__ import annotations

import math

from shapely import LineString

from quarry.apps.jobs.fields import JobFields
from quarry.apps.jobs.mappers.rings import polygons
from quarry.apps.jobs.views import DoseStrip, JobPlanOut, Place
from quarry.core.ground.geodesy import LocalFrame


def dose_strips(f: JobFields, plan: JobPlanOut, letter: str) -> list[DoseStrip]:
    """Return the strips of a plan as wide as its swath, each with what it gets; what is flown again on resuming is not sprayed again."""
    swath_m = plan.figure("spacing_m") or 0.0
    frame = LocalFrame.around([p for a in f.taken for p in a.ring])
    lines = {x.number: x for x in plan.lines}
    found = []
    for s in plan.sorties:
        on_lines = [leg for leg in s.legs if leg.kind == "line"]
        opened = s.tank[::2]
        for leg, (a, b), row, shut in zip(on_lines, s.worked, opened, s.tank[1::2], strict=True):
            line = lines[leg.line + 1]
            (ax, ay), (bx, by) = frame.to_metres([a, b])
            length = math.hypot(bx - ax, by - ay)
            share = (row[0] - leg.start_s) * line.ground_m_s / length if length else 1.0
            begin: Place = (ax + (bx - ax) * share, ay + (by - ay) * share)
            if share >= 1.0 or begin == (bx, by):
                continue
            ground = LineString([begin, (bx, by)]).buffer(swath_m / 2, cap_style="flat")
            ring = polygons(ground, frame)[0][0]
            found.append(
                DoseStrip(
                    f"{letter}{s.number}", line.number, ring, line.dose_l_ha or 0.0, row[2], row[1] - shut[1], line.ground_m_s
                )
            )
    return found
