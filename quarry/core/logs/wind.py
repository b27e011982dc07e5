"""The wind that a flight met: as the log has it, else from its tilt, else from ground speeds at one air speed; else not at all."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from quarry.core.logs.by_phase import pack_volts
from quarry.core.logs.flight import smooth
from quarry.core.logs.reading import Log

Floats = NDArray[np.float64]
_LEAST_M_S = 3.0
_LEAST_ROWS = 40
_LEAST_ACROSS = 12  # seconds across the commonest direction: fewer do not tell the wind across the lines
_BIN_DEG, _LEAST_IN_BIN = 30.0, 4
_MOST_OFF_M_S = 1.5
_APART_S, _SAME_M_S = 3, 0.9
_EARTH_M = 111_195.0  # one degree of latitude on a sphere of 6371 km
_ALIKE_M_S, _ALIKE_FRAC, _PAIRED_FRAC = 0.6, 0.06, 0.6  # so alike there and back, over so much of the way
_SAME_POWER = 0.04  # at one air speed the draw is the same whichever way it flies
_MOST_WIND_M_S = 20.0
_LEAST_TILT_DEG = 1.0
_TILT_EXPLAINED = 0.8
_DRAG_POWERS = (1.0, 1.5, 2.0)
_STRAIGHT = 0.5  # the mean of directions as vectors: what is straighter than this tells the wind along itself alone


@dataclass(frozen=True, slots=True)
class WindMet:
    """Wind at flying height as it was met, and the air speed held; ``off_m_s`` is how far the rows lie from them.

    ``whole`` is False where lines were flown both ways and in no other direction: then it is the part of the wind along
    the lines, and air speed is at least what is told. ``by``: the log's own wind, its tilt, or its ground speeds.
    """

    wind_m_s: float
    from_deg: float
    air_m_s: float
    off_m_s: float
    rows: int
    whole: bool = True
    by: Literal["column", "tilt", "ground speed"] = "ground speed"


def wind_met(flight: Log) -> WindMet | None:
    """Return the wind of a flight; None where nothing in the log tells it."""
    return _by_column(flight) or _by_tilt(flight) or _by_ground_speed(flight)


def _by_column(flight: Log) -> WindMet | None:
    """Return the mean of the wind that the log tells itself."""
    speed, come = flight.numbers.get("wind_m_s"), flight.numbers.get("wind_from_deg")
    if speed is None or come is None:
        return None
    known = np.isfinite(speed) & np.isfinite(come)
    if known.sum() < _LEAST_ROWS:
        return None
    east = float(np.mean(speed[known] * -np.sin(np.radians(come[known]))))
    north = float(np.mean(speed[known] * -np.cos(np.radians(come[known]))))
    off = float(np.median(np.abs(speed[known] - math.hypot(east, north))))
    return _met(flight, east, north, off, int(known.sum()), "column")


def _met(flight: Log, wind_e: float, wind_n: float, off: float, rows: int, by: Literal["column", "tilt"]) -> WindMet:
    """Return a wind with the air speed that it makes of the ground speeds of the flight."""
    east, north = _ground(flight)
    moving = np.hypot(east, north) > _LEAST_M_S
    air = float(np.median(np.hypot(east - wind_e, north - wind_n)[moving])) if moving.any() else 0.0
    come = math.degrees(math.atan2(-wind_e, -wind_n)) % 360.0
    return WindMet(math.hypot(wind_e, wind_n), come, air, off, rows, by=by)


def _by_tilt(flight: Log) -> WindMet | None:
    """Return the wind from how an aircraft leans: against its drag, which grows with some power of the speed through the air.

    Which way its angles count, the power and the drag itself are not known: all are fitted together with the wind, over
    steady seconds (common practice, no source). A fit that leaves much, or whose tilt is mostly one way, tells nothing.
    """
    angles = [flight.numbers.get(n) for n in ("pitch_deg", "roll_deg", "heading_deg")]
    steady = _steady_seconds(flight)
    if any(a is None for a in angles) or steady is None or steady[0].size < _LEAST_ROWS:
        return None
    seconds, east, north = steady
    t = flight.time_s
    pitch, roll = (smooth(t, np.nan_to_num(a), 2.0) for a in angles[:2] if a is not None)
    head = angles[2]
    turn = np.radians(np.nan_to_num(head)) if head is not None else np.zeros(t.size)
    pitch, roll = np.radians(np.interp(seconds, t, pitch)), np.radians(np.interp(seconds, t, roll))
    sine, cosine = np.interp(seconds, t, np.sin(turn)), np.interp(seconds, t, np.cos(turn))
    best: tuple[float, float, float, float] | None = None
    for forward, right in itertools.product((-1.0, 1.0), repeat=2):
        lean_e = forward * pitch * sine + right * roll * cosine
        lean_n = forward * pitch * cosine - right * roll * sine
        for power in _DRAG_POWERS:
            left, wind_e, wind_n = _leans(east, north, lean_e, lean_n, power)
            if best is None or left < best[0]:
                best = (left, wind_e, wind_n, float(np.degrees(np.sqrt(np.mean(lean_e**2 + lean_n**2)))))
    if best is None or best[0] > 1.0 - _TILT_EXPLAINED or best[3] < _LEAST_TILT_DEG or _straight(east, north):
        return None
    return _met(flight, best[1], best[2], math.sqrt(best[0]), int(seconds.size), "tilt")


def _straight(east: Floats, north: Floats) -> bool:
    """Return whether a flight moved one way alone."""
    speed = np.maximum(np.hypot(east, north), 1e-9)
    return math.hypot(float(np.mean(east / speed)), float(np.mean(north / speed))) > _STRAIGHT


def _leans(east: Floats, north: Floats, lean_e: Floats, lean_n: Floats, power: float) -> tuple[float, float, float]:
    """Return (share of the lean that is left, wind to the east, wind to the north) of the best wind for a drag law."""
    whole = float(np.sum(lean_e**2 + lean_n**2)) or 1e-12
    found = (math.inf, 0.0, 0.0)
    middle_e = middle_n = 0.0
    for reach, step in ((_MOST_WIND_M_S, 2.0), (2.0, 0.5), (0.5, 0.1)):
        grid = np.arange(-reach, reach + step / 2, step)
        for we, wn in itertools.product(middle_e + grid, middle_n + grid):
            ae, an = east - we, north - wn
            drag = np.hypot(ae, an) ** (power - 1.0)
            de, dn = ae * drag, an * drag
            under = float(np.sum(de * de + dn * dn)) or 1e-12
            along = float(np.sum(lean_e * de + lean_n * dn))
            left = 1.0 - along * along / (under * whole) if along > 0 else 1.0
            if left < found[0]:
                found = (left, float(we), float(wn))
        middle_e, middle_n = found[1], found[2]
    return found


def _by_ground_speed(flight: Log) -> WindMet | None:
    """Return the wind of a flight at one air speed; None where it flew too little, one way alone, or as fast there as back.

    Ground velocities at one air speed lie on a circle whose middle is the wind and whose radius is the air speed; the
    circle is fitted by least squares (Kåsa 1976, from memory), twice, the second time without what lies far off. Every
    direction weighs the same, so that a short way home tells as much of the wind across the lines as the lines do along them.
    An aircraft that holds its ground speed works harder into the wind than with it: by its draw it is told from one that
    holds its air speed. Where no draw is logged, one that is as fast there as back tells no wind.
    """
    steady = _steady_seconds(flight)
    if steady is None:
        return None
    seconds, east, north = steady
    speed = np.hypot(east, north)
    keep = speed > _LEAST_M_S
    if keep.sum() < _LEAST_ROWS:
        return None
    heading_deg = np.degrees(np.arctan2(east[keep], north[keep])) % 360.0
    watts = _watts(flight, seconds[keep])
    if _as_fast_back(heading_deg, speed[keep]) if watts is None else not _same_power(heading_deg, watts):
        return None
    if not _across(heading_deg):
        return _both_ways(heading_deg, speed[keep])
    off = math.inf
    for _ in range(2):
        wind_e, wind_n, air = _circle(east[keep], north[keep], _weights(east[keep], north[keep]))
        away = np.abs(np.hypot(east - wind_e, north - wind_n) - air)
        off = float(np.median(away[keep]))
        keep = (speed > _LEAST_M_S) & (away < max(0.5, 3 * off))
    if off > _MOST_OFF_M_S or not math.isfinite(air):
        return None
    blows = math.hypot(wind_e, wind_n)
    come = math.degrees(math.atan2(-wind_e, -wind_n)) % 360.0
    return WindMet(blows, come, air, off, int(keep.sum()))


def _watts(flight: Log, seconds: Floats) -> Floats | None:
    """Return the power drawn in some seconds; None where current or volts are not in the log. [W]"""
    current, volts = flight.numbers.get("current_a"), pack_volts(flight)
    if current is None or volts is None or not (np.isfinite(current) & np.isfinite(volts)).any():
        return None
    known = np.isfinite(current) & np.isfinite(volts)
    power = smooth(flight.time_s[known], np.abs(current[known]) * volts[known], 2.0)
    return np.asarray(np.interp(seconds, flight.time_s[known], power), dtype=np.float64)


def _same_power(told_deg: Floats, watts: Floats) -> bool:
    """Return whether it drew the same in every direction that it flew."""
    means = []
    for middle in np.arange(0.0, 360.0, 20.0):
        here = _apart(told_deg, middle) <= 10.0
        if here.sum() > _LEAST_IN_BIN:
            means.append(float(np.median(watts[here])))
    return not means or max(means) - min(means) < _SAME_POWER * float(np.mean(means))


def _as_fast_back(told_deg: Floats, speed: Floats) -> bool:
    """Return whether most of the way was flown there and back at the same ground speed."""
    paired = 0
    gaps = []
    for middle in np.arange(0.0, 180.0, 20.0):
        there, back = _apart(told_deg, middle) <= 10.0, _apart(told_deg, middle + 180.0) <= 10.0
        if there.sum() <= _LEAST_IN_BIN or back.sum() <= _LEAST_IN_BIN:
            continue
        paired += int(there.sum() + back.sum())
        one, other = float(np.median(speed[there])), float(np.median(speed[back]))
        gaps.append(abs(one - other) - _ALIKE_FRAC * (one + other) / 2)
    return bool(gaps) and max(gaps) < _ALIKE_M_S and paired > _PAIRED_FRAC * speed.size


def _ground(flight: Log) -> tuple[Floats, Floats]:
    """Return ground velocity to the east and north in steady seconds, by track. [m/s]"""
    steady = _steady_seconds(flight)
    return (np.empty(0), np.empty(0)) if steady is None else steady[1:]


def _steady_seconds(flight: Log) -> tuple[Floats, Floats, Floats] | None:
    """Return seconds in which the ground velocity does not change, and it to the east and north. [s, m/s]"""
    lat, lon = flight.numbers.get("lat_deg"), flight.numbers.get("lon_deg")
    if lat is None or lon is None or flight.rows < _LEAST_ROWS:
        return None
    known = np.isfinite(lat) & np.isfinite(lon)
    if known.sum() < _LEAST_ROWS:
        return None
    t = np.arange(0.0, float(flight.time_s[-1]), 1.0)
    north = np.gradient(np.interp(t, flight.time_s[known], lat[known])) * _EARTH_M
    east = (
        np.gradient(np.interp(t, flight.time_s[known], lon[known])) * _EARTH_M * math.cos(math.radians(float(np.nanmedian(lat))))
    )
    north, east = smooth(t, north, 3.0), smooth(t, east, 3.0)
    # What speeds up, slows down or turns holds no air speed; seconds beside it are blurred by the mean.
    wide = _APART_S
    same = np.hypot(north[2 * wide :] - north[: -2 * wide], east[2 * wide :] - east[: -2 * wide]) < _SAME_M_S
    return t[wide:-wide][same], east[wide:-wide][same], north[wide:-wide][same]


def _apart(a_deg: Floats | float, b_deg: float) -> Floats:
    """Return how far directions lie from another, 0 to 180. [°]"""
    return np.abs((np.asarray(a_deg, dtype=float) - b_deg + 180.0) % 360.0 - 180.0)


def _across(told_deg: Floats) -> bool:
    """Return whether directions were flown that are neither along the commonest one nor back along it."""
    main = 10.0 * np.argmax(np.bincount((told_deg // 10.0).astype(int), minlength=36)) + 5.0
    away = _apart(told_deg, main)
    return int(np.sum((away > 40.0) & (away < 140.0))) >= _LEAST_ACROSS


def _both_ways(told_deg: Floats, speed: Floats) -> WindMet | None:
    """Return the part of the wind along lines that were flown both ways: half of what one way is faster than the other."""
    main = 10.0 * np.argmax(np.bincount((told_deg // 10.0).astype(int), minlength=36)) + 5.0
    there, back = _apart(told_deg, main) < 30.0, _apart(told_deg, main + 180.0) < 30.0
    if there.sum() < _LEAST_ROWS / 2 or back.sum() < _LEAST_ROWS / 2:
        return None
    one, other = float(np.median(speed[there])), float(np.median(speed[back]))
    # It comes from where it flew to more slowly.
    into = float(np.median(told_deg[there] if one < other else told_deg[back]))
    off = float(np.median(np.abs(speed[there] - one)) + np.median(np.abs(speed[back] - other))) / 2
    return WindMet(abs(one - other) / 2, into, (one + other) / 2, off, int(there.sum() + back.sum()), whole=False)


def _weights(east: Floats, north: Floats) -> Floats:
    """Return weights by which every direction flown counts alike; one that was hardly flown does not count."""
    bins = ((np.degrees(np.arctan2(east, north)) % 360.0) // _BIN_DEG).astype(int)
    counts = np.bincount(bins, minlength=int(360 // _BIN_DEG))[bins]
    return np.where(counts >= _LEAST_IN_BIN, 1.0 / np.sqrt(counts), 0.0)


def _circle(east: Floats, north: Floats, weights: Floats) -> tuple[float, float, float]:
    """Return the middle and radius of the circle that points lie on."""
    rows = np.column_stack((2 * east, 2 * north, np.ones_like(east))) * weights[:, None]
    (a, b, c), *_ = np.linalg.lstsq(rows, (east**2 + north**2) * weights, rcond=None)
    return float(a), float(b), math.sqrt(max(0.0, float(c + a * a + b * b)))
