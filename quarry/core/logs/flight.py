"""The flight inside a log: when it took off and landed, and what it did in between."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import BadReading
from quarry.core.logs.reading import Log

WGS84_A_M, WGS84_E2 = 6_378_137.0, 6.69437999014e-3  # NIMA TR8350.2, third edition
Floats = NDArray[np.float64]
PhaseName = Literal["hover", "climb", "sink", "line", "turn", "transit"]
_UP_M, _DOWN_M = 1.5, 0.7
_UP_A = 0.25  # of the hard draw: what flies draws more than this
_MOVES_M_S, _CLIMBS_M_S = 1.0, 0.6
_TURNS_DEG_S = 8.0
_SHORTEST_S = 15.0
_OFF_LINES_DEG, _LINES_FRAC = 20.0, 0.35
_SMOOTH_S = 3.0
_PHASE_STEP_S = 0.5


@dataclass(frozen=True, slots=True)
class Span:
    """A stretch of a log, by time from its first row. [s]"""

    start_s: float
    end_s: float
    name: str = ""

    @property
    def length_s(self) -> float:
        """Return its length. [s]"""
        return self.end_s - self.start_s


def flights_in(log: Log) -> tuple[Span, ...]:
    """Return the flights in a log, from take-off to landing: by height where it is told, else by current, else by speed.

    Raises
    ------
    BadReading
        Nothing in the log tells whether it flies.
    """
    up = _flies(log)
    edges = np.flatnonzero(np.diff(np.concatenate(([0], up.astype(int), [0]))))
    spans = [
        Span(float(log.time_s[a]), float(log.time_s[min(b, log.rows - 1)])) for a, b in zip(edges[::2], edges[1::2], strict=True)
    ]
    joined: list[Span] = []
    for span in spans:
        # A touch of the ground, or a dropout of a few seconds, is one flight and not two.
        if joined and span.start_s - joined[-1].end_s < _SHORTEST_S / 3:
            joined[-1] = Span(joined[-1].start_s, span.end_s)
        else:
            joined.append(span)
    return tuple(span for span in joined if span.length_s >= _SHORTEST_S)


def _flies(log: Log) -> NDArray[np.bool_]:
    height = log.numbers.get("height_m")
    current = log.numbers.get("current_a")
    draws = draws_not = None
    if current is not None and np.isfinite(current).mean() > 0.5:
        i = smooth(log.time_s, np.abs(np.nan_to_num(current)), _SMOOTH_S)
        hard = float(np.percentile(i, 90))
        draws, draws_not = i > _UP_A * hard, i < 0.6 * _UP_A * hard
    if height is not None and np.isfinite(height).mean() > 0.5:
        ground = float(np.nanmin(smooth(log.time_s, height[np.isfinite(height)][: log.rows], 1.0)))
        h = np.nan_to_num(height - ground)
        # Near the ground and drawing is flying still: a dip over a hill is no landing, and a log may begin in the air.
        down = h < _DOWN_M if draws_not is None else (h < _DOWN_M) & draws_not
        up = h > _UP_M if draws is None or draws_not is None else (h > _UP_M) & ~draws_not | (h > _DOWN_M) & draws
        return _latched(up, down)
    if draws is not None and draws_not is not None:
        return _latched(draws, draws_not)
    speed = log.numbers.get("speed_m_s")
    if speed is not None and np.isfinite(speed).mean() > 0.5:
        v = np.nan_to_num(speed)
        return _latched(v > _MOVES_M_S, v < 0.3)
    raise BadReading("Neither height, current nor speed is in this log: it does not tell when it flies.", "height_m")


def _latched(on: NDArray[np.bool_], off: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return a state that is set by ``on`` and stays until ``off``."""
    mark = np.where(on, 1, np.where(off, -1, 0))
    last = np.maximum.accumulate(np.where(mark != 0, np.arange(mark.size), -1))
    return np.where(last >= 0, mark[np.maximum(last, 0)] == 1, False)


def smooth(time_s: Floats, values: Floats, over_s: float) -> Floats:
    """Return a running mean over a time, whatever the step of the rows."""
    step = float(np.median(np.diff(time_s))) if time_s.size > 1 else 1.0
    width = max(1, round(over_s / max(step, 1e-3)))
    if width == 1 or values.size < width:
        return values
    padded = np.concatenate((np.full(width // 2, values[0]), values, np.full(width - 1 - width // 2, values[-1])))
    sums = np.cumsum(padded)
    return np.concatenate((sums[width - 1 : width], sums[width:] - sums[:-width])) / width


def blocked(time_s: Floats, values: Floats, over_s: float) -> Floats:
    """Return the means of stretches, one after the other, each as long as a time; NaN where one holds a gap."""
    step = float(np.median(np.diff(time_s[:2000]))) if time_s.size > 1 else 1.0
    width = max(1, round(over_s / max(step, 1e-3)))
    if width == 1 or values.size < width:
        return values
    means: Floats = values[: values.size // width * width].reshape(-1, width).mean(axis=1)
    return means


def part(log: Log, span: Span) -> Log:
    """Return the rows of a span, its time counted from the span's start."""
    keep = slice(int(np.searchsorted(log.time_s, span.start_s)), int(np.searchsorted(log.time_s, span.end_s, side="right")))
    began_s = log.began_s + span.start_s if math.isfinite(log.began_s) else log.began_s
    return Log(
        log.time_s[keep] - span.start_s,
        {k: v[keep] for k, v in log.numbers.items()},
        log.cells_v[keep] if log.cells_v is not None else None,
        log.words,
        began_s,
        {k: _from(v, span) for k, v in log.marks.items()},
    )


def _from(marks: tuple[tuple[float, str], ...], span: Span) -> tuple[tuple[float, str], ...]:
    """Return the changes within a span, with what stood when it began_s."""
    before = [w for t, w in marks if t <= span.start_s][-1:]
    inside = [(t - span.start_s, w) for t, w in marks if span.start_s < t <= span.end_s]
    return (*((0.0, w) for w in before), *inside)


def thinned(log: Log, step_s: float = _PHASE_STEP_S) -> Log:
    """Return a log with rows no closer than a step; one that is no closer comes back as it is."""
    usual = float(np.median(np.diff(log.time_s[:2000]))) if log.rows > 2 else step_s
    every = int(step_s // usual) if usual > 0 else 1
    if every < 2:
        return log
    cells = log.cells_v[::every] if log.cells_v is not None else None
    return replace(log, time_s=log.time_s[::every], numbers={k: v[::every] for k, v in log.numbers.items()}, cells_v=cells)


def phases_of(flight: Log) -> tuple[Span, ...]:
    """Return what a flight did, stretch by stretch; judged by height, speed and track.

    Lines lie along one axis, flown both ways: where more than a third of the way does, what lies off it is transit.
    """
    flight = thinned(flight)
    t = flight.time_s
    if t.size < 3:
        return ()
    step = max(1e-3, float(np.median(np.diff(t))))
    still = np.zeros(t.size)
    height = smooth(t, np.nan_to_num(flight.numbers.get("height_m", still)), _SMOOTH_S)
    speed = smooth(t, np.nan_to_num(flight.numbers.get("speed_m_s", still)), _SMOOTH_S)
    rises = np.gradient(height, t) if np.any(height) else still
    turns = smooth(t, _turning(flight), _SMOOTH_S)
    names = np.full(t.size, "hover", dtype=object)
    names[speed > _MOVES_M_S] = "line"
    names[(speed > _MOVES_M_S) & _off_the_lines(flight, speed)] = "transit"
    names[(speed > _MOVES_M_S) & (np.abs(turns) > _TURNS_DEG_S)] = "turn"
    names[rises > _CLIMBS_M_S] = "climb"
    names[rises < -_CLIMBS_M_S] = "sink"
    edges = np.flatnonzero(names[1:] != names[:-1]) + 1
    found: list[Span] = []
    for a, b in zip(np.concatenate(([0], edges)), np.concatenate((edges, [t.size])), strict=True):
        start, end = float(t[a]), float(t[b - 1] + step)
        if found and (end - start < _SMOOTH_S or found[-1].name == names[a]):
            found[-1] = Span(found[-1].start_s, end, found[-1].name)
        else:
            found.append(Span(start, end, str(names[a])))
    return tuple(found)


def _off_the_lines(flight: Log, speed: Floats) -> NDArray[np.bool_]:
    """Return where the track does not lie along the axis of the lines; nowhere if there is no such axis."""
    track = _track(flight)
    moving = speed > _MOVES_M_S
    if track is None or moving.sum() < 20:
        return np.zeros(flight.rows, dtype=bool)
    axis = np.degrees(track) % 180.0
    counts = np.bincount((axis[moving] // 10.0).astype(int), minlength=18)
    pairs = counts + np.roll(counts, -1)
    main = (10.0 * int(np.argmax(pairs)) + 10.0) % 180.0
    away = np.abs((axis - main + 90.0) % 180.0 - 90.0)
    on = away <= _OFF_LINES_DEG
    if np.mean(on[moving]) < _LINES_FRAC:
        return np.zeros(flight.rows, dtype=bool)
    return ~on


def _track(flight: Log) -> Floats | None:
    lat, lon = flight.numbers.get("lat_deg"), flight.numbers.get("lon_deg")
    if lat is None or lon is None or flight.rows < 3:
        return None
    north = smooth(flight.time_s, np.gradient(np.nan_to_num(lat), flight.time_s), _SMOOTH_S)
    east = smooth(
        flight.time_s,
        np.gradient(np.nan_to_num(lon) * math.cos(math.radians(float(np.nanmedian(lat)))), flight.time_s),
        _SMOOTH_S,
    )
    return np.arctan2(east, north)


def _turning(flight: Log) -> Floats:
    lat, lon = flight.numbers.get("lat_deg"), flight.numbers.get("lon_deg")
    if lat is None or lon is None:
        return np.zeros(flight.rows)
    north = np.gradient(np.nan_to_num(lat), flight.time_s)
    east = np.gradient(np.nan_to_num(lon) * math.cos(math.radians(float(np.nanmedian(lat)))), flight.time_s)
    track = np.unwrap(np.arctan2(east, north))
    return np.asarray(np.degrees(np.gradient(track, flight.time_s)), dtype=np.float64)


def _short_ways_m(lon: Floats, lat: Floats) -> Floats:
    """Return the ways between places some metres apart, by the radii of curvature of WGS 84 at their middle latitude. [m]"""
    if lat.size < 2:
        return np.zeros(0)
    phi = math.radians(float(np.median(lat)))
    bend = 1.0 - WGS84_E2 * math.sin(phi) ** 2
    north_m = WGS84_A_M * (1.0 - WGS84_E2) / bend**1.5 * math.radians(1.0)
    east_m = WGS84_A_M / math.sqrt(bend) * math.cos(phi) * math.radians(1.0)
    return np.asarray(np.hypot(np.diff(lon) * east_m, np.diff(lat) * north_m), dtype=np.float64)


def distance_flown_m(flight: Log) -> float | None:
    """Return how far it flew: along its track, or by its speed; None where neither is told. [m]"""
    lat, lon = flight.numbers.get("lat_deg"), flight.numbers.get("lon_deg")
    if lat is not None and lon is not None:
        keep = np.flatnonzero(np.isfinite(lat) & np.isfinite(lon))
        # Once a second is enough of a track, and keeps the noise of standing still out of it.
        rows = np.searchsorted(flight.time_s[keep], np.arange(0.0, float(flight.time_s[-1]) + 1.0, 1.0)).clip(0, keep.size - 1)
        keep = keep[rows[np.concatenate(([True], rows[1:] != rows[:-1]))]]
        steps = _short_ways_m(lon[keep], lat[keep])
        return float(steps[steps > 0.3].sum())
    speed = flight.numbers.get("speed_m_s")
    if speed is None:
        return None
    return float(np.trapezoid(np.nan_to_num(speed), flight.time_s))
