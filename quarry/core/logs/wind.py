"""The wind that a flight met, from its ground speeds in different directions at one air speed."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

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


@dataclass(frozen=True, slots=True)
class WindMet:
    """Wind at flying height as it was met, and the air speed held; ``off_m_s`` is how far the rows lie from them.

    ``whole`` is False where lines were flown both ways and in no other direction: then it is the part of the wind along
    the lines, and air speed is at least what is told.
    """

    wind_m_s: float
    from_deg: float
    air_m_s: float
    off_m_s: float
    rows: int
    whole: bool = True


def wind_met(flight: Log) -> WindMet | None:
    """Return the wind of a flight; None where it flew too little, one way alone, or at changing air speed.

    Ground velocities at one air speed lie on a circle whose middle is the wind and whose radius is the air speed; the
    circle is fitted by least squares (Kåsa 1976, from memory), twice, the second time without what lies far off. Every
    direction weighs the same, so that a short way home tells as much of the wind across the lines as the lines do along them.
    """
    east, north = _ground(flight)
    speed = np.hypot(east, north)
    keep = speed > _LEAST_M_S
    if keep.sum() < _LEAST_ROWS:
        return None
    heading_deg = np.degrees(np.arctan2(east[keep], north[keep])) % 360.0
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


def _ground(flight: Log) -> tuple[Floats, Floats]:
    """Return ground velocity to the east and north, once a second: by track, told speed where there is one. [m/s]"""
    lat, lon = flight.numbers.get("lat_deg"), flight.numbers.get("lon_deg")
    if lat is None or lon is None or flight.rows < _LEAST_ROWS:
        return np.empty(0), np.empty(0)
    known = np.isfinite(lat) & np.isfinite(lon)
    if known.sum() < _LEAST_ROWS:
        return np.empty(0), np.empty(0)
    t = np.arange(0.0, float(flight.time_s[-1]), 1.0)
    north = np.gradient(np.interp(t, flight.time_s[known], lat[known])) * _EARTH_M
    east = (
        np.gradient(np.interp(t, flight.time_s[known], lon[known])) * _EARTH_M * math.cos(math.radians(float(np.nanmedian(lat))))
    )
    north, east = smooth(t, north, 3.0), smooth(t, east, 3.0)
    # What speeds up, slows down or turns holds no air speed; seconds beside it are blurred by the mean.
    wide = _APART_S
    same = np.hypot(north[2 * wide :] - north[: -2 * wide], east[2 * wide :] - east[: -2 * wide]) < _SAME_M_S
    return east[wide:-wide][same], north[wide:-wide][same]


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
