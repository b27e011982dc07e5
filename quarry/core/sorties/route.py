"""A route in order, and where along it a sortie may begin or end."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import Infeasible
from quarry.core.flight.wind import HeldSpeed, Wind, held_speeds_m_s, track_of
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.lines import Coverage, speeds_set_m_s

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Route:
    """A way in legs.

    ``line``: number of the line a leg lies on, −1 on a transit. ``turn_s``: time charged when the
    end of a leg is reached. A sortie may be broken on lines and at route points, not in a transit.
    ``set_m_s``: speed set on each leg where lines have their own, NaN where it is the job's; None: the job's on all.
    """

    points: Floats
    line: NDArray[np.int64]
    turn_s: Floats
    set_m_s: Floats | None = None

    @property
    def cumulative_m(self) -> Floats:
        """Path distance of each route point, shape (n,). [m]"""
        return np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(self.points, axis=0).T))])


def route_of(coverage: Coverage, turn_s: float) -> Route:
    """Return the route of a coverage: one turn after each line but the last, none where a line bends or goes on beyond a gap."""
    line = np.array(coverage.path_line, dtype=np.int64)
    on_line = np.flatnonzero(line >= 0)
    changes = on_line[:-1][line[on_line[1:]] != line[on_line[:-1]]]
    turns = np.zeros(len(line))
    turns[changes] = turn_s
    return Route(np.array(coverage.path), line, turns, speeds_set_m_s(coverage))


def plain_route(points: list[Metres], turn_s: float) -> Route:
    """Return a route whose every leg is a line with a turn at its end."""
    legs = len(points) - 1
    return Route(np.array(points, dtype=float), np.arange(legs, dtype=np.int64), np.full(legs, turn_s))


@dataclass(frozen=True, slots=True)
class Stations:
    """Places along a route where it may be broken, shape (n,) each.

    ``at_m`` path distance, ``xy`` place, ``elapsed_s`` route time from the first point with all
    turns reached, ``worked_m`` length flown on lines; ``leg`` it lies on, and the ``share`` of that leg behind it.
    """

    at_m: Floats
    xy: Floats
    elapsed_s: Floats
    worked_m: Floats
    leg: NDArray[np.int64]
    share: Floats

    def sum_along(self, per_leg: Floats) -> Floats:
        """Return what has come together by each station of something that grows evenly along each leg."""
        before = np.concatenate([[0.0], np.cumsum(per_leg)])
        return np.asarray(before[self.leg] + self.share * per_leg[self.leg])


@dataclass(frozen=True, slots=True)
class LegSpeeds:
    """How each leg of a route is flown, shape (n,) each: over ground, through the air, and how long it takes.

    ``least_air_m_s``: the least airspeed that holds its speed in any wind from calm to this one, of its direction.
    """

    ground_m_s: Floats
    air_m_s: Floats
    least_air_m_s: Floats
    times_s: Floats


def leg_speeds(route: Route, held: HeldSpeed, wind: Wind) -> LegSpeeds:
    """Return how each leg is flown; raises `Infeasible` naming the first leg that cannot be flown."""
    d = np.diff(route.points, axis=0)
    ground, air = held_speeds_m_s(d[:, 0], d[:, 1], held, wind)
    own = route.set_m_s if route.set_m_s is not None else np.full(len(d), np.nan)
    for speed in np.unique(own[np.isfinite(own)]).tolist():
        slow = replace(held, set_m_s=speed, most_air_m_s=max(held.most_air_m_s, speed))
        at = own == speed
        ground[at], air[at] = held_speeds_m_s(d[at, 0], d[at, 1], slow, wind)
    bad = np.flatnonzero(ground <= 0)
    if bad.size:
        k = int(bad[0])
        track = track_of(float(d[k, 0]), float(d[k, 1]))
        name = f"line {route.line[k] + 1}" if route.line[k] >= 0 else f"the transit before line {next_line(route, k)}"
        raise Infeasible(
            f"On {name}, track {track:.0f}°, the wind of {wind.speed_m_s:.1f} m/s from {wind.from_deg:.0f}° cannot be flown against "
            f"at {held.words}. Wait for less wind, fly faster, or turn the lines.",
            "wind.speed_m_s",
        )
    length = np.hypot(d[:, 0], d[:, 1])
    return LegSpeeds(ground, air, air if held.holds == "air" else _least_air(d, length, ground, wind), length / ground)


def _least_air(d: Floats, length: Floats, ground_m_s: Floats, wind: Wind) -> Floats:
    over_ground = d / np.where(length > 0, length, 1.0)[:, None] * ground_m_s[:, None]
    if wind.speed_m_s == 0:
        return ground_m_s
    blows = np.array(wind.towards) / wind.speed_m_s
    lull = np.clip(over_ground @ blows, 0.0, wind.speed_m_s)
    return np.asarray(np.hypot(*(over_ground - lull[:, None] * blows).T))


def next_line(route: Route, leg: int) -> int:
    """Return the number, from 1, of the first line at or after a leg."""
    later = route.line[leg:]
    return int(later[later >= 0][0]) + 1 if (later >= 0).any() else int(route.line.max()) + 1


def place_stations(route: Route, legs_s: Floats, step_m: float, *, ends_only: bool) -> Stations:
    """Return the stations of a route: its points, and with a step the places between on lines."""
    cum = route.cumulative_m
    at = cum
    if not ends_only:
        grid = np.arange(0.0, cum[-1], step_m)
        leg = np.clip(np.searchsorted(cum, grid, side="right") - 1, 0, len(route.line) - 1)
        at = np.union1d(cum, grid[route.line[leg] >= 0])
        at = at[np.concatenate([[True], np.diff(at) > 1e-6])]
    return stations_at(route, legs_s, at)


def stations_at(route: Route, legs_s: Floats, at_m: Floats) -> Stations:
    """Return stations at given path distances."""
    cum = route.cumulative_m
    done = np.searchsorted(cum, at_m + 1e-6, side="right") - 1
    leg = np.clip(done, 0, len(legs_s) - 1)
    length = np.diff(cum)
    share = np.where(done < len(legs_s), np.clip((at_m - cum[leg]) / np.where(length[leg] > 0, length[leg], 1.0), 0.0, 1.0), 1.0)
    share = np.where((at_m - cum[leg]) < 1e-6, 0.0, share)
    xy = route.points[leg] + share[:, None] * (route.points[leg + 1] - route.points[leg])
    full = np.concatenate([[0.0], np.cumsum(legs_s + route.turn_s)])
    elapsed = np.where(done < len(legs_s), full[leg] + share * legs_s[leg], full[-1])
    on_line = np.where(route.line >= 0, length, 0.0)
    worked_before = np.concatenate([[0.0], np.cumsum(on_line)])
    worked = np.where(done < len(legs_s), worked_before[leg] + share * on_line[leg], worked_before[-1])
    return Stations(at_m, xy, elapsed, worked, leg, share)
