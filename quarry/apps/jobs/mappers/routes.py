"""Sorties of a plan to the routes that are handed out."""

from __future__ import annotations

from itertools import pairwise

from quarry.apps.jobs.fields import JobFields, Place
from quarry.apps.jobs.views import JobPlanOut, SortieOut, Stopped
from quarry.core.base.errors import MissingInput
from quarry.core.sorties.waypoints import (
    CameraLook,
    Heights,
    Leg,
    SortieRoute,
    Speeds,
    done_at_place,
    done_at_time,
    done_at_waypoint,
    done_on_track,
    remainder,
)


def sortie_route(
    f: JobFields, letter: str, plan: JobPlanOut, s: SortieOut, ways_m_s: tuple[float, float], home_sea_m: float | None
) -> SortieRoute:
    """Return one sortie of a plan as a route: the ways out and home apart from its work; ``ways_m_s``: airspeeds out and home."""
    if f.home is None:
        raise MissingInput("Set home first.", "home")
    path = s.path
    first, last = _work_of(s)
    ends = [leg.end_s for leg in s.legs if leg.kind in ("line", "transit")]
    legs = tuple(Leg(a, b, line, end) for (line, (a, b)), end in zip(work_legs(s), ends, strict=True))
    heights = Heights(f.work.height_m, plan.return_m, _from_zero(s.profile), home_sea_m, plan.terrain)
    speeds = Speeds(f.work.speed_m_s, *ways_m_s, {line.number - 1: line.ground_m_s for line in plan.lines})
    begins = next(leg.end_s for leg in s.legs if leg.kind == "out")
    return SortieRoute(
        f"{letter}{s.number}",
        f.home,
        tuple(path[1:first]),
        legs,
        tuple(path[last + 1 : -1]),
        begins,
        s.time_s,
        heights,
        speeds,
        looks={x.number - 1: CameraLook(x.tilt_deg, x.heading_deg, x.toward) for x in plan.lines if x.tilt_deg},
    )


def _work_of(s: SortieOut) -> tuple[int, int]:
    """Return where along its path the work of a sortie begins and ends."""
    first = next(k for k, p in enumerate(s.path) if k > 0 and p == s.entry)
    return first, max(k for k, p in enumerate(s.path[:-1]) if p == s.leave)


def work_legs(s: SortieOut) -> list[tuple[int, tuple[Place, Place]]]:
    """Return the legs of the work of a sortie: number of the line from 0, −1 on a transit, and its two ends."""
    first, last = _work_of(s)
    numbers = [leg.line for leg in s.legs if leg.kind in ("line", "transit")]
    return list(zip(numbers, pairwise(s.path[first : last + 1]), strict=True))


def _from_zero(profile: list[tuple[float, float, float]]) -> tuple[tuple[float, float, float], ...]:
    return tuple((at - profile[0][0], ground, fly) for at, ground, fly in profile)


def _along_m(route: SortieRoute, stopped: Stopped) -> float:
    if stopped.waypoint is not None:
        return done_at_waypoint(route, stopped.waypoint)
    if stopped.place is not None:
        return done_at_place(route, *stopped.place)
    if stopped.clock_s is not None:
        return done_at_time(route, stopped.clock_s)
    if stopped.track is not None:
        return done_on_track(route, stopped.track)
    return stopped.done_m or 0.0


def rest_of(routes: list[SortieRoute], stopped: Stopped) -> list[SortieRoute]:
    """Return what is left of the first route from where its work stopped, and all after it.

    Raises `PlanError` where nothing is left.
    """
    first, *later = routes
    rest = remainder(first, _along_m(first, stopped))
    found = [*([rest] if rest is not None else []), *later]
    if not found:
        raise MissingInput(f"Nothing is left of {first.label} from there: its last line was flown.", "done_m")
    return found
