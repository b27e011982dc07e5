"""Sweep widths to begin with where no trial was flown: guesses that a search says are guesses."""

from __future__ import annotations

from typing import Literal

Sensor = Literal["camera", "thermal", "team", "dog"]
Cover = Literal["open", "scrub", "wood", "water", "rock", "built"]
COVERS: tuple[Cover, ...] = ("open", "scrub", "wood", "water", "rock", "built")
_WIDTHS_M: dict[Sensor, tuple[float, ...]] = {
    "camera": (60.0, 30.0, 12.0, 50.0, 40.0, 30.0),
    "thermal": (80.0, 45.0, 15.0, 60.0, 40.0, 25.0),
    "team": (30.0, 16.0, 12.0, 10.0, 20.0, 15.0),
    "dog": (60.0, 50.0, 45.0, 10.0, 40.0, 20.0),
}


def assumed_width_m(sensor: Sensor, cover: Cover) -> float:
    """Return the sweep width that is assumed for a person on the ground until a trial says better. [m]"""
    return _WIDTHS_M[sensor][COVERS.index(cover)]
