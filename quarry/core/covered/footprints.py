"""What pictures see of the ground: the corners of each frame carried along their rays to the ground under it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely import Polygon

from quarry.core.covered.track import Floats
from quarry.core.ground.mapping import Camera

_FLATTEST = 0.2  # cosine of the steepest ray that is still taken to meet the ground: beyond it the horizon is near


@dataclass(frozen=True, slots=True)
class Frames:
    """Pictures: where and when they were taken.

    ``t_s`` and ``xy`` as in `Track`; ``height_m`` above the ground; ``heading_deg`` of the top of the picture, clockwise from
    north; ``tilt_deg``: how far the camera looks ahead of straight down, and ``roll_deg`` to the right of it; zero where the
    record is silent.
    """

    t_s: Floats
    xy: Floats
    height_m: Floats
    heading_deg: Floats
    tilt_deg: Floats
    roll_deg: Floats


def footprints(frames: Frames, camera: Camera) -> tuple[list[Polygon], list[int]]:
    """Return the ground that each picture sees on level ground, and which pictures see none: too flat, or no height."""
    x, y = camera.sensor_w_mm / (2 * camera.focal_mm), camera.sensor_h_mm / (2 * camera.focal_mm)
    rays = np.array([(-x, y, 1.0), (x, y, 1.0), (x, -y, 1.0), (-x, -y, 1.0)])  # right, ahead, down
    tilt, roll, turn = (np.radians(v) for v in (frames.tilt_deg, frames.roll_deg, frames.heading_deg))
    right, ahead, down = (np.broadcast_to(rays[:, k], (turn.size, 4)) for k in range(3))
    ahead, down = (
        ahead * np.cos(tilt)[:, None] + down * np.sin(tilt)[:, None],
        down * np.cos(tilt)[:, None] - ahead * np.sin(tilt)[:, None],
    )
    right, down = (
        right * np.cos(roll)[:, None] + down * np.sin(roll)[:, None],
        down * np.cos(roll)[:, None] - right * np.sin(roll)[:, None],
    )
    length = np.sqrt(right**2 + ahead**2 + down**2)
    with np.errstate(divide="ignore", invalid="ignore"):
        scale = frames.height_m[:, None] / down
    east = scale * (right * np.cos(turn)[:, None] + ahead * np.sin(turn)[:, None]) + frames.xy[:, :1]
    north = scale * (ahead * np.cos(turn)[:, None] - right * np.sin(turn)[:, None]) + frames.xy[:, 1:]
    seen = (down / length > _FLATTEST).all(axis=1) & np.isfinite(frames.height_m) & (frames.height_m > 0)
    found = [Polygon(np.column_stack((east[k], north[k]))) for k in np.flatnonzero(seen)]
    return found, np.flatnonzero(~seen).tolist()
