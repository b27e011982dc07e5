"""What a sortie covered of which only take-off, landing and how much was done are known: stretches of its lines, an estimate."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from shapely import LineString
from shapely.ops import substring

from quarry.core.covered.strips import Pass
from quarry.core.covered.track import Flags, Floats


def told_ways(
    lines: Sequence[LineString], from_frac: float, to_frac: float, takeoff_s: float, landing_s: float
) -> tuple[Pass, ...]:
    """Return the stretches of a sortie's lines between two shares of their length, in order.

    Its time is spread evenly over them: when each was flown is an estimate too.
    """
    whole = sum(line.length for line in lines)
    begin, end = max(0.0, from_frac) * whole, min(1.0, to_frac) * whole
    if end <= begin:
        return ()
    found: list[Pass] = []
    behind = 0.0
    for line in lines:
        a, b = max(begin, behind), min(end, behind + line.length)
        if b - a > 1e-6:
            piece = substring(line, a - behind, b - behind)
            times = [takeoff_s + (landing_s - takeoff_s) * (x - begin) / (end - begin) for x in (a, b)]
            found.append(Pass(shapely.get_coordinates(piece), times[0], times[1], math.nan))
        behind += line.length
    return tuple(found)


def pictures_at(count: Floats) -> Flags:
    """Return at which samples a picture was taken: where a counter grows, or a shutter goes from shut to open."""
    known = np.isfinite(count)
    held = count.copy()
    last = np.maximum.accumulate(np.where(known, np.arange(count.size), -1))
    held = np.where(last >= 0, count[np.maximum(last, 0)], np.nan)
    grows = np.zeros(count.size, dtype=np.bool_)
    grows[1:] = np.nan_to_num(np.diff(held)) > 0
    return grows


def sprays_at(on: Floats | None, flow_l_min: Floats | None) -> Flags | None:
    """Return at which samples nozzles are open: by what says so, else by the flow; None where the record holds neither.

    A flow below a twentieth of what is usual while it flows is what a meter shows of nozzles that are shut.
    """
    if on is not None and np.isfinite(on).any():
        return np.asarray(np.nan_to_num(on) > 0)
    if flow_l_min is None or not np.isfinite(flow_l_min).any():
        return None
    flow = np.nan_to_num(flow_l_min)
    flowing = flow[flow > 0]
    if not flowing.size:
        return np.zeros(flow.size, dtype=np.bool_)
    return np.asarray(flow > 0.05 * float(np.percentile(flowing, 90)))
