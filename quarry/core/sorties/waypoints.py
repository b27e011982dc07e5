"""The waypoints of a sortie, and of what is left of one: numbers, heights, speeds, and what is switched where.

A route begins and ends with a waypoint over home at a safe height, and comes down to the work over its first point.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import MissingInput, OutOfRange
from quarry.core.ground.geodesy import LonLat, distance_m

Kind = Literal["take-off", "safe", "way", "line start", "line end", "line", "bend", "landing"]
Action = Literal["", "start", "stop"]
_PROFILE_M = 1.0  # a waypoint stands wherever the profile leaves a straight climb by more
_BESIDE_M = 15.0  # of a line: what positioning and wind leave
_ALONG = 0.906  # cosine of 25°


@dataclass(frozen=True, slots=True)
class Leg:
    """One leg of the work of a sortie: from place to place, number of the line from 0 or -1 on a transit, when it ends. [°, s]"""

    start: LonLat
    end: LonLat
    line: int
    end_s: float


@dataclass(frozen=True, slots=True)
class Heights:
    """Heights that a sortie is flown at, above home. [m]

    ``profile``: distance along its work, ground, flight; empty where no terrain is known. ``home_sea_m``: of home above
    the sea, None where it is not known; ``ground_known``: else the ground of the profile is an assumption, and not told.
    """

    work_m: float
    return_m: float
    profile: tuple[tuple[float, float, float], ...] = ()
    home_sea_m: float | None = None
    ground_known: bool = True

    def at(self, along_m: float) -> tuple[float, float | None]:
        """Return flight height above home and ground height above home, None where it is not known, at a distance along the work. [m]"""
        if not self.profile:
            return self.work_m, None
        at, ground, fly = (np.array(column) for column in zip(*self.profile, strict=True))
        return float(np.interp(along_m, at, fly)), float(np.interp(along_m, at, ground)) if self.ground_known else None


@dataclass(frozen=True, slots=True)
class Speeds:
    """Speeds: over ground on each line by its number and on transits, through the air on the ways out and home. [m/s]"""

    transit_m_s: float
    cruise_m_s: float
    home_m_s: float
    lines_m_s: dict[int, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class CameraLook:
    """How the camera looks on a line: off straight down, towards a heading or a place, else ahead. [°]"""

    tilt_deg: float
    heading_deg: float | None = None
    toward: LonLat | None = None

    def from_place(self, at: LonLat) -> tuple[float, float | None]:
        """Return how far below the horizon the camera looks from a place, and its heading; None: ahead. [°]"""
        heading = self.heading_deg
        if self.toward is not None:
            east, north = _flat(self.toward, at)
            heading = float(np.degrees(np.arctan2(east, north)) % 360.0)
        return 90.0 - self.tilt_deg, heading


@dataclass(frozen=True, slots=True)
class SortieRoute:
    """A sortie as it is handed out: home, bends on the ways out and home, and the legs of its work, the first from ``begins_s``.

    ``looks``: how the camera looks, by the number of the line from 0, where that is not straight down.
    """

    label: str
    home: LonLat
    way_out: tuple[LonLat, ...]
    legs: tuple[Leg, ...]
    way_home: tuple[LonLat, ...]
    begins_s: float
    time_s: float
    heights: Heights
    speeds: Speeds
    along_m: float = 0.0
    looks: Mapping[int, CameraLook] = field(default_factory=dict)

    @property
    def lengths_m(self) -> list[float]:
        """Length of each leg. [m]"""
        return [distance_m(*leg.start, *leg.end) for leg in self.legs]


@dataclass(frozen=True, slots=True)
class Waypoint:
    """One waypoint: number from 1, place, heights above home, ground and sea, None where not known, speed to the next, what is switched.

    ``line``: number of the line from 1 that it lies on. ``at_s``: after take-off as planned; None in a remainder.
    ``camera_down_deg`` below the horizon and ``camera_deg``, its heading: where the camera does not look straight down.
    """

    number: int
    at: LonLat
    kind: Kind
    over_home_m: float
    over_ground_m: float | None
    over_sea_m: float | None
    speed_m_s: float
    line: int | None = None
    action: Action = ""
    at_s: float | None = None
    camera_down_deg: float | None = None
    camera_deg: float | None = None


class _Listing:
    """Waypoints as they are added, numbered from 1."""

    def __init__(self, heights: Heights, looks: Mapping[int, CameraLook]) -> None:
        self.found: list[Waypoint] = []
        self._heights, self._looks = heights, looks

    def add(
        self,
        at: LonLat,
        kind: Kind,
        heights: tuple[float, float | None],
        speed: float,
        line: int = -1,
        switch: tuple[Action, float] | None = None,
    ) -> None:
        over_home, ground = heights
        sea = self._heights.home_sea_m
        look = self._looks.get(line)
        down, heading = look.from_place(at) if look is not None else (None, None)
        self.found.append(
            Waypoint(
                len(self.found) + 1,
                at,
                kind,
                round(over_home, 1),
                None if ground is None else round(over_home - ground, 1),
                None if sea is None else round(sea + over_home, 1),
                round(speed, 2),
                line + 1 if line >= 0 else None,
                switch[0] if switch else "",
                round(switch[1], 1) if switch else None,
                None if down is None else round(down, 1),
                None if heading is None else round(heading, 1),
            )
        )


def waypoints(route: SortieRoute) -> list[Waypoint]:
    """Return the waypoints of a route, from the one at home to the one at home.

    Where the ground is known, lines have waypoints wherever their profile bends by more than a metre.
    """
    h, cruise, home = route.heights, route.speeds.cruise_m_s, route.speeds.home_m_s
    first_m, first_ground = h.at(route.along_m)
    last_m, last_ground = h.at(route.along_m + sum(route.lengths_m))
    over_first, over_last = max(h.return_m, first_m), max(h.return_m, last_m)
    made = _Listing(h, route.looks)
    made.add(route.home, "take-off", (0.0, 0.0), cruise, switch=("", 0.0))
    made.add(route.home, "safe", (over_first, 0.0), cruise)
    for bend in route.way_out:
        made.add(bend, "way", (over_first, None), cruise)
    made.add(route.legs[0].start, "safe", (over_first, first_ground), cruise)
    _add_work(route, made)
    made.add(route.legs[-1].end, "safe", (over_last, last_ground), home)
    for bend in route.way_home:
        made.add(bend, "way", (over_last, None), home)
    made.add(route.home, "safe", (over_last, 0.0), home)
    made.add(route.home, "landing", (0.0, 0.0), 0.0, switch=("", route.time_s))
    return made.found


def _add_work(route: SortieRoute, made: _Listing) -> None:
    along, now_s = route.along_m, route.begins_s
    legs, transit = route.legs, route.speeds.transit_m_s
    for k, (leg, length) in enumerate(zip(legs, route.lengths_m, strict=True)):
        speed = route.speeds.lines_m_s.get(leg.line, transit) if leg.line >= 0 else transit
        before, after = legs[k - 1].line if k else -1, legs[k + 1].line if k + 1 < len(legs) else -1
        if leg.line >= 0 and before != leg.line:
            made.add(leg.start, "line start", route.heights.at(along), speed, leg.line, ("start", now_s))
        elif k == 0:
            made.add(leg.start, "bend", route.heights.at(along), speed)
        for part in _bends_of_profile(route.heights, along, length):
            at = _between(leg.start, leg.end, part / length)
            made.add(at, "line" if leg.line >= 0 else "way", route.heights.at(along + part), speed, leg.line)
        along, now_s = along + length, leg.end_s
        if leg.line >= 0 and after != leg.line:
            made.add(leg.end, "line end", route.heights.at(along), transit, leg.line, ("stop", now_s))
        elif leg.line >= 0 or after < 0:
            made.add(leg.end, "bend", route.heights.at(along), speed, leg.line)


def _between(a: LonLat, b: LonLat, share: float) -> LonLat:
    east = (b[0] - a[0] + 180.0) % 360.0 - 180.0
    return round(a[0] + east * share, 7), round(a[1] + (b[1] - a[1]) * share, 7)


def _bends_of_profile(heights: Heights, along_m: float, length_m: float) -> list[float]:
    """Return where along a leg the flight height leaves a straight climb. [m]"""
    if not heights.profile or length_m <= 0:
        return []
    inside = [p[0] - along_m for p in heights.profile if along_m < p[0] < along_m + length_m]
    at = np.array([0.0, *inside, length_m])
    fly = np.array([heights.at(along_m + a)[0] for a in at])
    kept: list[int] = []

    def split(a: int, b: int) -> None:
        if b - a < 2:
            return
        straight = fly[a] + (fly[b] - fly[a]) * (at[a + 1 : b] - at[a]) / (at[b] - at[a])
        off = np.abs(fly[a + 1 : b] - straight)
        worst = int(np.argmax(off))
        if off[worst] > _PROFILE_M:
            middle = a + 1 + worst
            split(a, middle)
            kept.append(middle)
            split(middle, b)

    split(0, len(at) - 1)
    return [float(at[k]) for k in kept]


def remainder(route: SortieRoute, done_m: float) -> SortieRoute | None:
    """Return what is left of a route when its work stopped after a distance, or None where nothing is.

    It is entered from home over a safe waypoint, and its first worked point is where work stopped; what was left of a
    transit is not flown again. ``done_m``: along the legs of its work. [m]
    """
    lengths = route.lengths_m
    if not done_m >= 0.0:
        raise OutOfRange("The distance flown cannot be negative.", "done_m")
    along = 0.0
    for k, (leg, length) in enumerate(zip(route.legs, lengths, strict=True)):
        if done_m >= along + length - 0.05 or leg.line < 0:
            along += length
            continue
        share = max(0.0, done_m - along) / length
        at = _between(leg.start, leg.end, share) if share > 0 else leg.start
        rest = (Leg(at, leg.end, leg.line, leg.end_s), *route.legs[k + 1 :])
        last = max(i for i, x in enumerate(rest) if x.line >= 0)
        return SortieRoute(
            f"{route.label} rest",
            route.home,
            (),
            rest[: last + 1],
            route.way_home if last == len(rest) - 1 else (),
            route.begins_s,
            route.time_s,
            route.heights,
            route.speeds,
            route.along_m + along + share * length,
            route.looks,
        )
    return None


def done_at_place(route: SortieRoute, lon_deg: float, lat_deg: float) -> float:
    """Return how far along its work a route passes nearest to a place on one of its lines. [m]"""
    best, along = (float("inf"), 0.0), 0.0
    for leg, length in zip(route.legs, route.lengths_m, strict=True):
        if leg.line >= 0 and length > 0:
            a, b = (_flat(p, (lon_deg, lat_deg)) for p in (leg.start, leg.end))
            d = b - a
            share = float(np.clip(-(a @ d) / max(float(d @ d), 1e-12), 0.0, 1.0))
            away = float(np.hypot(*(a + share * d)))
            if away < best[0]:
                best = (away, along + share * length)
        along += length
    if best[0] == float("inf"):
        raise MissingInput("This sortie has no line.", "sortie")
    return best[1]


def done_on_track(route: SortieRoute, track: Sequence[LonLat]) -> float:
    """Return how far along its work a flown track shows a route done: the farthest place flown along one of its lines. [m]

    A place counts where it lies within 15 m of a line and the track runs along it in its direction, within 25°: crossing
    lines on the way home is not work.

    Raises
    ------
    MissingInput
        The track follows no line of this sortie.
    """
    done, along = -1.0, 0.0
    for leg, length in zip(route.legs, route.lengths_m, strict=True):
        if leg.line >= 0 and length > 0 and len(track) > 1:
            xy = np.array([_flat(p, leg.start) for p in track])
            end = _flat(leg.end, leg.start)
            flat = float(np.hypot(*end))
            ahead = end / flat
            moved = np.diff(xy, axis=0)
            step = np.hypot(moved[:, 0], moved[:, 1])
            runs = (moved @ ahead > _ALONG * step) & (step > 0)
            on = xy @ ahead
            off = np.abs(xy @ np.array([-ahead[1], ahead[0]]))
            beside = (off <= _BESIDE_M) & (on >= -_BESIDE_M) & (on <= length + _BESIDE_M)
            flown = runs & beside[1:] & beside[:-1]
            if flown.any():
                done = max(done, along + length * min(1.0, max(0.0, float(on[1:][flown].max()) / flat)))
        along += length
    if done < 0:
        raise MissingInput(
            f"This flight follows no line of {route.label}. Choose another flight, or say where its work stopped.", "flight_id"
        )
    return done


def _flat(place: LonLat, around: LonLat) -> NDArray[np.float64]:
    east = (place[0] - around[0] + 180.0) % 360.0 - 180.0
    return np.array([east * 111_320.0 * np.cos(np.radians(around[1])), (place[1] - around[1]) * 110_540.0])


def done_at_time(route: SortieRoute, clock_s: float) -> float:
    """Return how far along its work a route is at a time after take-off. [m]"""
    along, before = 0.0, route.begins_s
    for leg, length in zip(route.legs, route.lengths_m, strict=True):
        if clock_s < leg.end_s:
            return along + length * min(1.0, max(0.0, (clock_s - before) / max(leg.end_s - before, 1e-9)))
        along, before = along + length, leg.end_s
    return along


def done_at_waypoint(route: SortieRoute, number: int) -> float:
    """Return how far along its work a route is at one of its waypoints; the last one that was reached. [m]"""
    listed = waypoints(route)
    if not 1 <= number <= len(listed):
        raise OutOfRange(f"{route.label} has waypoints 1 to {len(listed)}.", "waypoint")
    return _along_at(route, listed, number)


def _along_at(route: SortieRoute, listed: Sequence[Waypoint], number: int) -> float:
    first = next(k for k, w in enumerate(listed) if w.kind in ("line start", "bend"))
    along, at = 0.0, route.legs[0].start
    for w in listed[first:number]:
        if w.kind in ("safe", "landing") and w.number > first + 1:
            return sum(route.lengths_m)
        along += distance_m(*at, *w.at)
        at = w.at
    return along if number > first else 0.0
