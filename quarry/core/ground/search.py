"""Searching: sweep width and wanted coverage to spacing and probability of detection.

Sweep width belongs to the site, the sensor and the thing sought; measure it, do not trust a table.
Three laws: *random* (lower bound, the usual planning value), *inverse cube* (ideal parallel
sweeps) and *definite range* (upper bound).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.special import erf  # type: ignore[import-untyped]

from quarry.core.base.errors import require_range
from quarry.core.base.sources import IAMSAR, KOOPMAN
from quarry.core.base.working import formula

DetectionLaw = Literal["random", "inverse_cube", "definite"]


@formula("detection = 1 − e^(−coverage)", source=KOOPMAN, result="detection_frac")
def detection_random_frac(coverage: float) -> float:
    """Return the probability of detection of random search.

    Examples
    --------
    >>> round(detection_random_frac(1.0), 4)
    0.6321
    """
    return 1 - math.exp(-coverage)


@formula("detection = erf(√π ÷ 2 × coverage)", source=KOOPMAN, result="detection_frac")
def detection_inverse_cube_frac(coverage: float) -> float:
    """Return the probability of detection of parallel sweeps under the inverse-cube law."""
    return math.erf(math.sqrt(math.pi) / 2 * coverage)


@formula("detection = least of 1 and coverage", source=KOOPMAN, result="detection_frac")
def detection_definite_frac(coverage: float) -> float:
    """Return the probability of detection if all within half a sweep width is seen and nothing beyond."""
    return min(1.0, coverage)


_LAWS = {
    "random": detection_random_frac,
    "inverse_cube": detection_inverse_cube_frac,
    "definite": detection_definite_frac,
}


def detection_frac(coverage: float, law: DetectionLaw) -> float:
    """Return the probability of detection that a law gives to a coverage."""
    return _LAWS[law](coverage)


def detections_frac(coverages: NDArray[np.float64], law: DetectionLaw) -> NDArray[np.float64]:
    """Return the probabilities of detection that a law gives to many coverages."""
    if law == "random":
        return np.asarray(-np.expm1(-coverages))
    return np.asarray(np.minimum(1.0, coverages) if law == "definite" else erf(math.sqrt(math.pi) / 2 * coverages))


def coverage_for_detection(target_frac: float, law: DetectionLaw) -> float:
    """Return the coverage that reaches a wanted probability of detection."""
    require_range(target_frac, 0.01, 0.999, "work.detection_frac", "Wanted detection", "")
    if law == "random":
        return -math.log(1 - target_frac)
    if law == "definite":
        return target_frac
    inverse_erf = NormalDist().inv_cdf((target_frac + 1) / 2) / math.sqrt(2)
    return 2 / math.sqrt(math.pi) * inverse_erf


@formula("spacing = sweep width ÷ coverage", source=IAMSAR, result="spacing_m")
def track_spacing_m(sweep_width_m: float, coverage: float) -> float:
    """Return the spacing of parallel tracks. [m]"""
    return sweep_width_m / coverage


@formula("track length = area ÷ spacing", source=IAMSAR, result="track_m")
def track_length_m(area_m2: float, spacing_m: float) -> float:
    """Return the track that an area takes, turns left out. [m]"""
    return area_m2 / spacing_m


@formula("coverage = sweep width × track ÷ area", source=KOOPMAN, result="coverage_frac")
def laid_coverage(sweep_width_m: float, track_m: float, area_m2: float) -> float:
    """Return the coverage that a track of some length gives to an area."""
    return sweep_width_m * track_m / area_m2


@formula("time on scene = area ÷ (spacing × speed × units)", source=IAMSAR, result="on_scene_s")
def time_on_scene_s(area_m2: float, spacing_m: float, speed_m_s: float, units_count: int) -> float:
    """Return the time that so many equal aircraft need, turns left out. [s]"""
    return area_m2 / (spacing_m * speed_m_s * units_count)


def cumulative_detection_frac(coverages: Sequence[float], law: DetectionLaw) -> float:
    """Return the probability of detection after independent passes."""
    missed = 1.0
    for c in coverages:
        missed *= 1 - _LAWS[law](c)
    return 1 - missed


def after_a_miss(containment_frac: float, detection_frac: float) -> tuple[float, float]:
    """Return (probability of success, probability that it is there although not found)."""
    success = containment_frac * detection_frac
    return success, containment_frac * (1 - detection_frac) / (1 - success)


@dataclass(frozen=True, slots=True)
class SearchTask:
    """What a search asks for: sweep width, wanted coverage, law, speed over ground and height."""

    sweep_width_m: float
    coverage: float
    law: DetectionLaw
    speed_m_s: float
    height_m: float

    def __post_init__(self) -> None:
        require_range(self.sweep_width_m, 1.0, 2000.0, "work.sweep_width_m", "Sweep width", "m")
        require_range(self.coverage, 0.05, 5.0, "work.coverage", "Coverage", "")
        require_range(self.speed_m_s, 0.5, 40.0, "work.speed_m_s", "Speed on the lines", "m/s")
        require_range(self.height_m, 2.0, 1000.0, "work.height_m", "Height above ground", "m")


@dataclass(frozen=True, slots=True)
class SearchFigures:
    """Figures that follow from a `SearchTask` and the area."""

    spacing_m: float
    detection_frac: float
    track_m: float
    on_scene_s: float


def search_figures(task: SearchTask, area_m2: float) -> SearchFigures:
    """Return spacing, detection and time for an area and one aircraft."""
    spacing = track_spacing_m(task.sweep_width_m, task.coverage)
    return SearchFigures(
        spacing,
        _LAWS[task.law](task.coverage),
        track_length_m(area_m2, spacing),
        time_on_scene_s(area_m2, spacing, task.speed_m_s, 1),
    )
