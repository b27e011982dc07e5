"""What lines over an area are asked to be, and what they are once laid and ordered.

Angles are degrees counter-clockwise from east, modulo 180; `bearing_of` gives the true bearing that people read.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from quarry.core.flight.wind import CALM, HeldSpeed, Holds, Wind, held_speeds_m_s, held_times_s
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.rows import Ends

Floats = NDArray[np.float64]
MOST_LEFT_FRAC = 0.003


@dataclass(frozen=True, slots=True)
class LineTask:
    """How lines are to be laid and flown; ``speed_m_s`` is held over ground, or through the air (see `HeldSpeed`).

    ``angle_deg`` None lets the sweep choose. ``step_deg`` is the pitch of the sweep, ``refine``
    how many of its best directions are planned in full, ``keep`` how many of these are handed on to be cut.
    ``in_order``: blocks one after the other as they are given. ``most_left_frac``: of the ground may lie farther than half
    a spacing from each line; where it would be more, short lines are added.
    """

    spacing_m: float
    speed_m_s: float
    turn_s: float
    wind: Wind = CALM
    ends: Ends = "cover"
    angle_deg: float | None = None
    home: Metres | None = None
    step_deg: float = 3.0
    refine: int = 4
    keep: int = 1
    holds: Holds = "ground"
    most_air_m_s: float = math.inf
    in_order: bool = False
    most_left_frac: float = MOST_LEFT_FRAC

    @property
    def held(self) -> HeldSpeed:
        """The speed on the lines, and what it is held over."""
        return HeldSpeed(self.speed_m_s, self.holds, self.most_air_m_s)


@dataclass(frozen=True, slots=True)
class LineAs:
    """How a line is flown where that is not as the job says.

    ``part``: 0 over the ground, from 1 for each further pass in its order. ``above_m`` the ground and ``speed_m_s``: None as the
    job says. ``tilt_deg``: how far the camera looks off straight down, 90 level; towards ``heading_deg``, clockwise from north,
    or towards a place, else ahead. [m, m/s, °]
    """

    part: int = 0
    above_m: float | None = None
    speed_m_s: float | None = None
    tilt_deg: float = 0.0
    heading_deg: float | None = None
    toward: Metres | None = None


AS_THE_JOB_SAYS = LineAs()


@dataclass(frozen=True, slots=True)
class Coverage:
    """Lines over an area in the order and sense flown.

    ``path``: the whole way, transits included; ``path_line``: for each leg of the path the number of the line it belongs
    to, or −1 on a transit. A line has several legs where it bends, or goes on beyond a gap. ``angle_deg``: of most lines;
    ``along_bend``: they follow the bend of a strip instead. ``flown_as``: how each line is flown; empty: all as the job says.
    ``laid_as``: the pattern that they make, in words, where they are no lines side by side.
    """

    angle_deg: float
    path: tuple[Metres, ...]
    path_line: tuple[int, ...]
    rows: int
    cells: int
    on_line_m: float
    time_s: float
    uncovered_frac: float
    along_bend: bool = False
    flown_as: tuple[LineAs, ...] = ()
    laid_as: str = ""

    def line_as(self, line: int) -> LineAs:
        """Return how a line, numbered from 0, is flown."""
        return self.flown_as[line] if self.flown_as else AS_THE_JOB_SAYS

    @property
    def one_way(self) -> bool:
        """Whether it is flown in this order only: a pattern, or lines over the ground that further passes follow."""
        return bool(self.laid_as) or any(x.part for x in self.flown_as)

    @property
    def words(self) -> str:
        """How its lines lie, to be read."""
        return self.laid_as or f"lines at {bearing_of(self.angle_deg):.0f}°"

    @property
    def lines(self) -> tuple[tuple[float, float, float, float], ...]:
        """The legs on lines, as flown: x1, y1, x2, y2 of each."""
        return tuple((*p, *q) for (p, q), line in zip(pairwise(self.path), self.path_line, strict=True) if line >= 0)

    @property
    def spans(self) -> tuple[tuple[float, float, float, float], ...]:
        """Each line from its one end to the other, gaps included: x1, y1, x2, y2."""
        owner = np.array(self.path_line)
        first, last = (np.full(self.line_count, -1) for _ in range(2))
        for leg in np.flatnonzero(owner >= 0).tolist():
            first[owner[leg]] = leg if first[owner[leg]] < 0 else first[owner[leg]]
            last[owner[leg]] = leg
        return tuple((*self.path[a], *self.path[b + 1]) for a, b in zip(first.tolist(), last.tolist(), strict=True))

    @property
    def line_count(self) -> int:
        """How many lines there are."""
        return max(self.path_line) + 1

    @property
    def line_lengths_m(self) -> Floats:
        """Length of each line, gaps left out, shape (n,). [m]"""
        legs = np.hypot(*np.diff(np.array(self.path), axis=0).T)
        owner = np.array(self.path_line)
        return np.asarray(np.bincount(owner[owner >= 0], weights=legs[owner >= 0], minlength=self.line_count), dtype=np.float64)


def bearing_of(angle_deg: float) -> float:
    """Return the true bearing, 0 to 180, of lines at an angle counter-clockwise from east."""
    return (90.0 - angle_deg) % 180.0


def angle_of(bearing_deg: float) -> float:
    """Return the angle counter-clockwise from east, 0 to 180, of lines at a true bearing."""
    return (90.0 - bearing_deg) % 180.0


def way_time_s(way: Floats, task: LineTask) -> float:
    """Return the time over a way, shape (n, 2), in the wind, turns left out; inf where it cannot be flown. [s]"""
    d = np.diff(way, axis=0)
    return float(held_times_s(d[:, 0], d[:, 1], task.held, task.wind).sum())


def reversed_coverage(c: Coverage, task: LineTask) -> Coverage:
    """Return the same lines flown from the other end."""
    last = c.line_count - 1
    owner = tuple(last - k if k >= 0 else -1 for k in reversed(c.path_line))
    path = tuple(reversed(c.path))
    time_s = way_time_s(np.array(path), task) + task.turn_s * last
    return replace(c, path=path, path_line=owner, time_s=time_s, flown_as=c.flown_as[::-1])


def speeds_set_m_s(c: Coverage) -> Floats | None:
    """Return the speed set on each leg of the path, NaN where it is the job's; None where no line has its own. [m/s]"""
    own = np.array([np.nan if x.speed_m_s is None else x.speed_m_s for x in c.flown_as])
    if not np.isfinite(own).any():
        return None
    owner = np.array(c.path_line)
    return np.asarray(np.where(owner >= 0, own[np.maximum(owner, 0)], np.nan))


def heights_set_m(c: Coverage, above_m: float) -> tuple[Floats, Floats] | None:
    """Return path distances and heights above the ground that are set there, as corners of a course; None where all are the job's. [m]

    Between two lines at different heights the course goes straight from the one to the other.
    """
    if all(x.above_m is None for x in c.flown_as):
        return None
    cum = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(np.array(c.path), axis=0).T))])
    on = np.flatnonzero(np.array(c.path_line) >= 0)
    set_m = np.array([above_m if (x := c.line_as(c.path_line[k]).above_m) is None else x for k in on.tolist()])
    return np.column_stack((cum[on], cum[on + 1])).ravel(), np.repeat(set_m, 2)


def speeds_on(c: Coverage, task: LineTask) -> tuple[Floats, Floats]:
    """Return length and speed over ground of each leg on a line that can be flown. [m, m/s]"""
    d = np.array([(x2 - x1, y2 - y1) for x1, y1, x2, y2 in c.lines]).reshape(-1, 2)
    ground, _ = held_speeds_m_s(d[:, 0], d[:, 1], task.held, task.wind)
    length = np.hypot(d[:, 0], d[:, 1])
    able = (ground > 0) & (length > 0)
    return length[able], ground[able]
