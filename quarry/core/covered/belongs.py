"""Whether a track is of this ground and this hour: told before it is laid over the plan, never put right in silence."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from quarry.core.base.units import S_PER_H
from quarry.core.covered.track import Track

_NEAR_M = 300.0  # of the ground: home, the ways out and turns lie within it
_SAME_S = 2.0
_ZONE_S = 900.0  # clocks of time zones differ by quarters of an hour
_ZONE_OFF_S = 120.0
_LONGEST_ZONE_H = 14.0


@dataclass(frozen=True, slots=True)
class Belongs:
    """How a track lies to the ground: share of its samples near it, and how far its nearest one is off. [0 to 1, m]"""

    near_frac: float
    away_m: float

    @property
    def here(self) -> bool:
        """Whether any of it is near enough to have worked there."""
        return self.near_frac > 0.0

    def words(self) -> str:
        """Return what is said where it does not belong."""
        away = f"{self.away_m / 1000:,.1f} km" if self.away_m >= 1000 else f"{self.away_m:.0f} m"
        return f"its track lies {away} off this field at its nearest: it is of another field, and was not taken in"


def belongs_to(track: Track, ground: BaseGeometry) -> Belongs:
    """Return how a track lies to the ground."""
    apart = shapely.distance(ground, shapely.points(track.xy))
    return Belongs(float((apart <= _NEAR_M).mean()), float(np.min(apart)))


def clock_words(ahead_s: float) -> str:
    """Return what is said of a clock that is ahead of the day's by so long, or behind; empty where they agree."""
    if abs(ahead_s) < _SAME_S:
        return ""
    way = "ahead of" if ahead_s > 0 else "behind"
    zone_s = round(ahead_s / _ZONE_S) * _ZONE_S
    if zone_s and abs(ahead_s - zone_s) <= _ZONE_OFF_S and abs(zone_s) <= _LONGEST_ZONE_H * S_PER_H:
        hours = abs(zone_s) / S_PER_H
        rest = ahead_s - zone_s
        more = f" and {abs(rest):.0f} s" if abs(rest) >= _SAME_S else ""
        return f"its clock is {hours:g} h{more} {way} the day's, as one of another time zone is: its times were set right by it"
    if abs(ahead_s) > _LONGEST_ZONE_H * S_PER_H:
        days, hours = divmod(round(abs(ahead_s) / S_PER_H), 24)
        long = " and ".join(f"{n} {word}" for n, word in ((days, "d"), (hours, "h")) if n)
        return f"its clock is {long} {way} the day's: make sure that it is of this flight; its times were set right by it"
    minutes, seconds = divmod(round(abs(ahead_s)), 60)
    long = f"{minutes} min {seconds:02d} s" if minutes else f"{seconds} s"
    return f"its clock is {long} {way} the day's: its times were set right by it"


def clock_off_s(began_s: float, took_off_s: float) -> float:
    """Return by how much a log's clock is ahead, from its take-off and the one that was told. [s]"""
    return began_s - took_off_s if math.isfinite(began_s) and math.isfinite(took_off_s) else 0.0
