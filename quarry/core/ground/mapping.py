"""Line spacing for mapping: camera, height and overlap (vertical photographs, flat ground).

Left out: relief. For rolling ground take the highest point for overlap and the lowest for the
ground sample distance.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from quarry.core.base.errors import require_range
from quarry.core.base.settings import Setting
from quarry.core.base.sources import ALGEBRA, PHOTOGRAMMETRY
from quarry.core.base.working import formula

SETTINGS: tuple[Setting, ...] = (
    Setting(
        "mapping.blur_px",
        "Mapping",
        "A picture may be blurred by",
        0.5,
        "what moves by less than half a pixel while the shutter is open stays sharp",
        "px",
        1.0,
        0.1,
        5.0,
    ),
    Setting(
        "mapping.sun_deg",
        "Mapping",
        "Pictures are taken while the sun stands at least",
        30.0,
        "lower, shadows are longer than what casts them is high, by three quarters and more, and move between two lines",
        "°",
        1.0,
        0.0,
        80.0,
    ),
)


@dataclass(frozen=True, slots=True)
class MappingPolicy:
    """The blur that a picture may have [px], and how high the sun is to stand [°]."""

    blur_px: float = 0.5
    sun_deg: float = 30.0


@dataclass(frozen=True, slots=True)
class Camera:
    """A frame camera; the long side of the sensor lies across the track."""

    name: str
    sensor_w_mm: float
    sensor_h_mm: float
    focal_mm: float
    image_w_px: int
    image_h_px: int

    def __post_init__(self) -> None:
        require_range(self.sensor_w_mm, 1.0, 120.0, "camera.sensor_w_mm", "Sensor width", "mm")
        require_range(self.sensor_h_mm, 1.0, 120.0, "camera.sensor_h_mm", "Sensor height", "mm")
        require_range(self.focal_mm, 1.0, 600.0, "camera.focal_mm", "Focal length", "mm")
        require_range(self.image_w_px, 100, 40_000, "camera.image_w_px", "Image width", "px")
        require_range(self.image_h_px, 100, 40_000, "camera.image_h_px", "Image height", "px")


@formula("ground sample = height × sensor width ÷ (focal length × pixels)", source=PHOTOGRAMMETRY, result="ground_sample_m")
def ground_sample_m(height_m: float, sensor_w_mm: float, focal_mm: float, image_w_px: int) -> float:
    """Return the ground length of one pixel. [m]

    Examples
    --------
    >>> round(ground_sample_m(100, 13.2, 8.8, 5472), 5)
    0.02741
    """
    return height_m * sensor_w_mm / (focal_mm * image_w_px)


@formula("footprint = height × sensor side ÷ focal length", source=PHOTOGRAMMETRY, result="footprint_m")
def footprint_m(height_m: float, sensor_side_mm: float, focal_mm: float) -> float:
    """Return the ground length that one side of the sensor sees. [m]"""
    return height_m * sensor_side_mm / focal_mm


@formula("step = footprint × (1 − overlap)", source=PHOTOGRAMMETRY, result="step_m")
def step_m(footprint_m: float, overlap_frac: float) -> float:
    """Return the spacing of lines (side overlap) or of pictures (forward overlap). [m]"""
    return footprint_m * (1 - overlap_frac)


@formula("interval = trigger distance ÷ ground speed", source=PHOTOGRAMMETRY, result="interval_s")
def interval_s(trigger_m: float, ground_speed_m_s: float) -> float:
    """Return the time between two pictures. [s]"""
    return trigger_m / ground_speed_m_s


@formula("blur = ground speed × exposure ÷ ground sample", source=PHOTOGRAMMETRY, result="blur_px")
def blur_px(ground_speed_m_s: float, exposure_s: float, ground_sample_m: float) -> float:
    """Return the motion blur. [px]"""
    return ground_speed_m_s * exposure_s / ground_sample_m


@formula("longest exposure = allowed blur × ground sample ÷ ground speed", source=PHOTOGRAMMETRY, result="exposure_s")
def longest_exposure_s(blur_px: float, ground_sample_m: float, ground_speed_m_s: float) -> float:
    """Return the exposure that keeps the blur within so many pixels. [s]"""
    return blur_px * ground_sample_m / ground_speed_m_s


@formula("space = pictures × size of one", source=ALGEBRA, result="space_gb")
def space_gb(pictures_count: int, image_mb: float) -> float:
    """Return what pictures take on a card, in decimal gigabytes as cards are sold. [GB]

    Examples
    --------
    >>> space_gb(3000, 12.0)
    36.0
    """
    return pictures_count * image_mb / 1000.0


@formula("height = ground sample × focal length × pixels ÷ sensor width", source=PHOTOGRAMMETRY, result="height_m")
def height_for_sample_m(ground_sample_m: float, focal_mm: float, image_w_px: int, sensor_w_mm: float) -> float:
    """Return the height above ground that gives a wanted ground sample. [m]"""
    return ground_sample_m * focal_mm * image_w_px / sensor_w_mm


def exposures_block(along_m: float, across_m: float, spacing_m: float, trigger_m: float) -> tuple[int, int]:
    """Return lines and pictures of a rectangle with a line on both edges (one extra line and picture)."""
    lines = _ceil(across_m / spacing_m) + 1
    return lines, lines * (_ceil(along_m / trigger_m) + 1)


def exposures_block_minimal(
    along_m: float, across_m: float, spacing_m: float, trigger_m: float, foot_w_m: float, foot_h_m: float
) -> tuple[int, int]:
    """Return lines and pictures that just cover a rectangle, footprints touching its edges."""
    lines = max(1, _ceil((across_m - foot_w_m) / spacing_m) + 1)
    return lines, lines * max(1, _ceil((along_m - foot_h_m) / trigger_m) + 1)


def _ceil(x: float) -> int:
    # An exact multiple must not gain a line from rounding.
    return math.ceil(x - 1e-9)


@dataclass(frozen=True, slots=True)
class MappingTask:
    """What the pictures must show: camera, height above ground, overlaps, exposure, speed over ground."""

    camera: Camera
    height_m: float
    side_overlap_frac: float
    forward_overlap_frac: float
    speed_m_s: float
    exposure_s: float = 1 / 1000

    def __post_init__(self) -> None:
        require_range(self.height_m, 5.0, 1000.0, "work.height_m", "Height above ground", "m")
        require_range(self.side_overlap_frac, 0.0, 0.95, "work.side_overlap_frac", "Side overlap", "")
        require_range(self.forward_overlap_frac, 0.0, 0.98, "work.forward_overlap_frac", "Forward overlap", "")
        require_range(self.speed_m_s, 0.5, 40.0, "work.speed_m_s", "Speed on the lines", "m/s")
        require_range(self.exposure_s, 1e-5, 1.0, "work.exposure_s", "Exposure", "s")


@dataclass(frozen=True, slots=True)
class MappingFigures:
    """Figures that follow from a `MappingTask`."""

    ground_sample_m: float
    footprint_w_m: float
    footprint_h_m: float
    spacing_m: float
    trigger_m: float
    interval_s: float
    blur_px: float


def mapping_figures(task: MappingTask) -> MappingFigures:
    """Return spacing, trigger distance and the other figures of a mapping task."""
    c = task.camera
    across = footprint_m(task.height_m, c.sensor_w_mm, c.focal_mm)
    along = footprint_m(task.height_m, c.sensor_h_mm, c.focal_mm)
    sample = ground_sample_m(task.height_m, c.sensor_w_mm, c.focal_mm, c.image_w_px)
    spacing = step_m(across, task.side_overlap_frac)
    trigger = step_m(along, task.forward_overlap_frac)
    return MappingFigures(
        sample,
        across,
        along,
        spacing,
        trigger,
        interval_s(trigger, task.speed_m_s),
        blur_px(task.speed_m_s, task.exposure_s, sample),
    )
