"""Ground and flight height along a way: profile, following the terrain with climb and descent limits, clear return."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from quarry.core.base.errors import BadGeometry, require_range
from quarry.core.base.sources import ENTERED
from quarry.core.base.working import Quantity, Step, Working, summed
from quarry.core.ground.geodesy import LocalFrame, Metres
from quarry.core.ground.terrain import TerrainGrid

Floats = NDArray[np.float64]
PITCH_M = 15.0
_MOST_WAYS = 240
_BENT_M = 1.0


@dataclass(frozen=True, slots=True)
class Obstacle:
    """A mast, tree, house or line of poles as a circle: its top above the ground at its foot. [m]"""

    name: str
    at: Metres
    radius_m: float
    top_m: float

    def __post_init__(self) -> None:
        require_range(self.radius_m, 0.5, 2000.0, "obstacles", f"Radius of {self.name or 'the obstacle'}", "m")
        require_range(self.top_m, 1.0, 500.0, "obstacles", f"Height of {self.name or 'the obstacle'}", "m")


@dataclass(frozen=True, slots=True)
class Bend:
    """A stretch of a route on which climb or descent cannot follow the ground; ``most_m``: the most off the wanted height, + above. [m]"""

    from_m: float
    to_m: float
    most_m: float


@dataclass(frozen=True, slots=True)
class RouteRelief:
    """Heights over path distance, shape (n,): ground and flight above home, and metres climbed since the start. [m]

    ``beyond_m``: the most by which the flight leaves the tolerance above the ground, because the slope is too steep.
    ``off_m``, shape (n,): how far the limits of climb and descent bend the flight off its wanted height above the ground,
    positive where it flies higher. ``assumed``: no ground is known, it was taken as level with home.
    """

    at_m: Floats
    ground_m: Floats
    fly_m: Floats
    climbed_m: Floats
    beyond_m: float
    off_m: Floats
    assumed: bool = False

    def bent_between(self, from_m: float, to_m: float) -> list[Bend]:
        """Return the stretches between two path distances that the limits of climb and descent bend by more than a metre."""
        within = np.concatenate([[from_m], self.at_m[(self.at_m > from_m) & (self.at_m < to_m)], [to_m]])
        off = np.interp(within, self.at_m, self.off_m)
        bent = np.abs(off) > _BENT_M
        edges = np.flatnonzero(np.diff(np.concatenate([[False], bent, [False]]).astype(np.int8)))
        return [
            Bend(float(within[a]), float(within[b - 1]), float(off[a:b][np.argmax(np.abs(off[a:b]))]))
            for a, b in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)
            if b - a > 1
        ]

    def fly_at(self, at_m: Floats) -> Floats:
        """Return the flight height above home at path distances. [m]"""
        return np.asarray(np.interp(at_m, self.at_m, self.fly_m))

    def climbed_at(self, at_m: Floats) -> Floats:
        """Return the metres climbed from the start of the route to path distances. [m]"""
        return np.asarray(np.interp(at_m, self.at_m, self.climbed_m))


def sample_way(points: Sequence[Metres] | Floats, pitch_m: float = PITCH_M) -> tuple[Floats, Floats]:
    """Return (path distances, places) along a way: its corners, and places between no farther apart than the pitch."""
    xy = np.asarray(points, dtype=np.float64)
    cum = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))])
    if cum[-1] <= 0:
        return cum, xy
    grid = np.linspace(0.0, cum[-1], max(2, int(np.ceil(cum[-1] / pitch_m)) + 1))
    at = np.union1d(cum, grid)
    keep, first = np.unique(cum, return_index=True)
    return at, np.stack([np.interp(at, keep, xy[first, k]) for k in (0, 1)], axis=1)


def ground_along(grid: TerrainGrid, frame: LocalFrame, xy: Floats) -> Floats:
    """Return the height of the ground at places in local metres; nan outside the grid. [m]"""
    return grid.heights_at_m(*frame.degrees_of(np.asarray(xy, dtype=np.float64)))


def follow(
    at_m: Floats, ground_m: Floats, above_m: float | Floats, tolerance_m: float, climb_slope: float, descent_slope: float
) -> tuple[Floats, float]:
    """Return (flight heights, most metres beyond the tolerance) over ground.

    The flight never sinks below the wanted height less the tolerance: before a steep slope it climbs early and comes
    down late. Where slopes allow, it runs midway between the lowest and the highest that stay inside.

    Parameters
    ----------
    at_m, ground_m : arrays, shape (n,)
        Path distance, rising, and height of the ground. [m] Or time and height, with slopes in metres for each second.
    above_m : float or array, shape (n,)
        Wanted height above the ground. [m]
    tolerance_m : float
        How far it may be off. [m]
    climb_slope, descent_slope : float > 0
        Most metres up or down for each metre of way.
    """
    require_range(tolerance_m, 0.5, 100.0, "work.tolerance_m", "Tolerance above the ground", "m")
    wanted = ground_m + above_m
    low = _at_least(at_m, wanted - tolerance_m, climb_slope, descent_slope)
    high = -_at_least(at_m, -(wanted + tolerance_m), descent_slope, climb_slope)
    fly = np.maximum(low, 0.5 * (low + high))
    beyond = float(np.max(np.abs(fly - wanted)) - tolerance_m)
    return fly, max(0.0, beyond)


def _at_least(at_m: Floats, bound: Floats, climb: float, descent: float) -> Floats:
    """Return the lowest course above a bound that climbs and descends no steeper than allowed."""
    # Before a summit the course must have begun to climb, after it it may only come down so fast.
    ahead = np.maximum.accumulate((bound - climb * at_m)[::-1])[::-1] + climb * at_m
    behind = np.maximum.accumulate(bound + descent * at_m) - descent * at_m
    return np.asarray(np.maximum(ahead, behind))


@dataclass(frozen=True, slots=True)
class Course:
    """How a route is to be flown over ground: height above it and tolerance [m], climb and speed [m/s].

    ``set_m``: path distances and the heights set there, where lines have their own; ``set_m_s``: speed of each leg, NaN: the route's.
    """

    above_m: float
    tolerance_m: float
    climb_m_s: float
    speed_m_s: float
    set_m: tuple[Floats, Floats] | None = None
    set_m_s: Floats | None = None


def route_relief(points: Floats, ground_of: Callable[[Floats], Floats], course: Course, *, assumed: bool = False) -> RouteRelief:
    """Return ground and flight along a route, above home; raises `BadGeometry` where the ground is not known.

    ``ground_of``: height of the ground above home at places, shape (n, 2); NaN where it is not known. [m]
    """
    at, xy = sample_way(points)
    ground = ground_of(xy)
    if np.isnan(ground).any():
        raise BadGeometry("The terrain grid does not cover the whole route. Load a larger one, or fly without it.", "terrain")
    above: float | Floats = course.above_m if course.set_m is None else np.interp(at, *course.set_m)
    along, slope = at, course.climb_m_s / course.speed_m_s
    if course.set_m_s is not None:
        # Where legs have speeds of their own, slopes are even over time alone.
        legs = np.hypot(*np.diff(points, axis=0).T)
        cum_m, cum_s = (
            np.concatenate([[0.0], np.cumsum(v)]) for v in (legs, legs / np.nan_to_num(course.set_m_s, nan=course.speed_m_s))
        )
        along, slope = np.interp(at, cum_m, cum_s), course.climb_m_s
    fly, beyond = follow(along, ground, above, course.tolerance_m, slope, slope)
    climbed = np.concatenate([[0.0], np.cumsum(np.maximum(np.diff(fly), 0.0))])
    return RouteRelief(at, ground, fly, climbed, beyond, fly - ground - above, assumed)


@dataclass(frozen=True, slots=True)
class ClearReturn:
    """The return height above home that clears ground and obstacles on every way home, and what decides it. [m]"""

    needed_m: float
    ground_m: float
    decides: str
    working: Working


def clear_return(
    places: Floats,
    home: Metres,
    clearance_m: float,
    obstacles: Sequence[Obstacle] = (),
    grid: TerrainGrid | None = None,
    frame: LocalFrame | None = None,
) -> ClearReturn:
    """Return the height above home at which all straight ways home from a route clear ground and obstacles.

    ``places``: the route in order, shape (n, 2); an obstacle counts where it stands between home and any part of it.
    """
    require_range(clearance_m, 1.0, 200.0, "sorties.clearance_m", "Clearance on the way home", "m")
    base = _ground_of(grid, frame, [home])[0] if grid is not None else 0.0
    share = np.linspace(0.0, 1.0, 41)
    _, along = sample_way(places, PITCH_M) if len(places) > 1 else (None, places)
    thinned = along[:: max(1, len(along) // _MOST_WAYS)]
    way = np.array(home) + share[None, :, None] * (thinned[:, None, :] - np.array(home))
    highest = 0.0
    if grid is not None and frame is not None:
        seen = ground_along(grid, frame, way.reshape(-1, 2)) - base
        highest = float(np.nanmax(seen)) if not np.isnan(seen).all() else 0.0
    top, decides = highest, "the ground" if grid is not None else "home's own height: no terrain grid"
    steps = [Step("ground_m", highest, "m", "highest ground on a way home, above home", source=ENTERED, kind="input")]
    # All ways home from a leg of the route lie in the triangle of its ends and home.
    legs = places if len(places) > 1 else np.repeat(places, 2, axis=0)
    corners = np.stack([legs[:-1], legs[1:], np.broadcast_to(np.array(home), (len(legs) - 1, 2))], axis=1)
    swept = shapely.convex_hull(shapely.multipoints(corners))
    for o in obstacles:
        if not shapely.dwithin(swept, shapely.Point(o.at), o.radius_m).any():
            continue
        foot = _ground_of(grid, frame, [o.at])[0] - base if grid is not None else 0.0
        height = (0.0 if np.isnan(foot) else foot) + o.top_m
        steps.append(
            Step("obstacle_m", height, "m", f"top of {o.name or 'an obstacle'} above home", source=ENTERED, kind="input")
        )
        if height > top:
            top, decides = height, o.name or "an obstacle"
    needed = top + clearance_m
    steps.append(Step("clearance_m", clearance_m, "m", "kept above it", source=ENTERED, kind="limit"))
    parts = (Quantity("highest_m", top, "m"), Quantity("clearance_m", clearance_m, "m"))
    steps.append(summed("return_m", parts, unit="m", words=f"sum: highest + clearance; {decides} decides"))
    return ClearReturn(needed, highest, decides, Working("Return height", needed, "m", tuple(steps)))


def _ground_of(grid: TerrainGrid | None, frame: LocalFrame | None, at: Sequence[Metres]) -> Floats:
    if grid is None or frame is None:
        return np.zeros(len(at))
    return ground_along(grid, frame, np.array(at, dtype=np.float64))
