"""The strips that a spraying job leaves for the wind's sake, as a job of their own for another wind."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from shapely import make_valid

from quarry.apps.jobs.fields import AreaFields, JobFields, KeepOutFields, SprayingWork
from quarry.apps.jobs.mappers.rings import polygons
from quarry.apps.jobs.mappers.work import ground_of, sensitive_places
from quarry.core.base.errors import Infeasible
from quarry.core.base.shapes import plain
from quarry.core.ground.joining import joined
from quarry.core.ground.outline import LEAST_AREA_M2
from quarry.core.spraying.kept_clear import NO_DIRECTION_M_S, free_winds, kept_clear, middle_of


def strips_of(f: JobFields) -> Any:
    """Return what differs in a job of the strips that another leaves: its areas, keep-outs, and a wind that it may be flown in.

    Raises
    ------
    PlanError
        Nothing is left for the wind's sake, or there is no wind in which the strips need not be kept clear.
    """
    whole = ground_of(replace(f, site=replace(f.site, sensitive=[])))
    places = sensitive_places(f, whole.frame)
    by_wind = [p for p in places if p.rule == "wind"]
    half_m = f.work.swath_m / 2 if isinstance(f.work, SprayingWork) else 0.0
    left = [k.ground for k in kept_clear(whole.area.worked, by_wind, f.wind.speed_m_s, f.wind.from_deg)]
    if not left:
        raise Infeasible("In the wind of this plan nothing is left out for the wind's sake.", "site.sensitive")
    always = [p for p in places if p.rule == "always"]
    never = [k.ground.buffer(half_m) for k in kept_clear(whole.area.worked, always, 1.0, 0.0)]
    strips = joined([g.buffer(half_m) for g in left]).intersection(whole.area.worked)
    strips = make_valid(strips.difference(joined(never)) if never else strips)
    rings = polygons(strips, whole.frame, LEAST_AREA_M2)
    if not rings:
        raise Infeasible("What is left out is too narrow to be sprayed as a job of its own.", "site.sensitive")
    speed = max(f.wind.speed_m_s, 2 * NO_DIRECTION_M_S)
    free = free_winds(strips, by_wind, speed)
    if not free:
        raise Infeasible("In every wind some of these strips would have to be kept clear. Check the distances.", "site.sensitive")
    keep_outs = [*f.keep_outs, *(KeepOutFields(list(hole), "unworked") for r in rings for hole in r[1:])]
    wind = replace(f.wind, speed_m_s=speed, from_deg=middle_of(free), assumed=True, origin="assumed", words="", at=None)
    return {
        "areas": [plain(AreaFields(list(r[0]), f"strip {k}")) for k, r in enumerate(rings, start=1)],
        "keep_outs": [plain(k) for k in keep_outs],
        "wind": plain(wind),
    }
