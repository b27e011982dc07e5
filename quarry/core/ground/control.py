"""Ground control and check points: how many, where, and in which order they are walked.

Control ties pictures to the ground; check points are held back and tell how well that went. How many and where is common
practice, with no source: corners and middle, high and low ground, no place far from the nearest. That a statement of accuracy needs at
least thirty check points is in the ASPRS Positional Accuracy Standards for Digital Geospatial Data, edition 2 (2023), from memory.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Point, Polygon
from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import BadGeometry, require_range
from quarry.core.base.sources import ALGEBRA, PRACTICE
from quarry.core.base.working import Step, Working, explain, formula
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.tour import best_tour

Floats = NDArray[np.float64]
Correction = Literal["none", "base", "network"]
LEAST_CONTROL, LEAST_CHECK, STATED_CHECK = 5, 3, 30
_MOST = 60
_GRID = 900
_SPREAD_FRAC = 0.1  # of the flying height: relief beyond it bends the model, and wants control high and low
_VARIANTS = 4


@dataclass(frozen=True, slots=True)
class ControlPoint:
    """A point on the ground: its name, its place [m], why there, and whether it is held back as a check."""

    name: str
    at: Metres
    why: str
    check: bool = False


@formula("accuracy = error in pixels × ground sample", source=PRACTICE, result="accuracy_m")
def accuracy_m(ground_sample_m: float, error_px: float) -> float:
    """Return the accuracy to expect of so many pixels. [m]

    Rule of thumb, common practice with no source: with control well placed one to two pixels lie between map and ground, up
    and down one and a half to three.
    """
    return ground_sample_m * error_px


@formula("positions = 10 mm + a millionth of the distance to the base", source=PRACTICE, result="positions_m")
def corrected_m(base_m: float) -> float:
    """Return the error of positions that a base or a network corrects, in plan; up and down half as much again. [m]

    Examples
    --------
    >>> corrected_m(5000.0)
    0.015
    """
    return 0.010 + 1e-6 * base_m


@formula("accuracy = √(pictures² + positions²)", source=ALGEBRA, result="together_m")
def together_m(accuracy_m: float, positions_m: float) -> float:
    """Return errors of pictures and of the positions that tie them to the ground, which do not depend on one another, as one. [m]"""
    return math.hypot(accuracy_m, positions_m)


PLAN_PX, HEIGHT_PX = (1.0, 2.0), (1.5, 3.0)
_ALONE_M, _ALONE_HEIGHT_M = (2.0, 5.0), (3.0, 10.0)
_HEIGHT_OVER_PLAN = 1.5


@dataclass(frozen=True, slots=True)
class Expected:
    """The accuracy to expect of a map in plan and in height, from and to [m], what it rests on, and the working of the largest in plan."""

    plan_m: tuple[float, float]
    height_m: tuple[float, float]
    words: str
    working: Working


def expected_accuracy(ground_sample_m: float, controls: int, correction: Correction, base_m: float | None) -> Expected:
    """Return the accuracy to expect: a rule of thumb, common practice with no source.

    Pictures give so many pixels. What ties them to the ground adds its own error: control points surveyed with corrected
    positions, or corrected positions of the aircraft; with neither, the metres of a receiver on its own.
    """
    if controls < LEAST_CONTROL and correction == "none":
        step = Step("plan_m", _ALONE_M[1], "m", "positions of a receiver on its own, at worst", source=PRACTICE, kind="input")
        words = "positions as a receiver has them on its own, no control: the map fits in itself, not where it lies"
        return Expected(_ALONE_M, _ALONE_HEIGHT_M, words, Working("Accuracy in plan", _ALONE_M[1], "m", (step,)))
    positions = explain(corrected_m, base_m or 0.0)
    by = {"none": "as surveyed with a corrected receiver", "base": "corrected by a base", "network": "corrected by a network"}[
        correction
    ]
    by += f", {base_m / 1000:.1f} km away" if base_m else ""
    words = (
        f"{controls} control points, {by}"
        if controls >= LEAST_CONTROL
        else f"positions of the aircraft {by}, no control to hold them"
    )
    worst = explain(accuracy_m, ground_sample_m, PLAN_PX[1])
    both = explain(together_m, worst.value, positions.value)
    plan = (together_m(accuracy_m(ground_sample_m, PLAN_PX[0]), positions.value), both.value)
    up = _HEIGHT_OVER_PLAN * positions.value
    height = tuple(together_m(accuracy_m(ground_sample_m, px), up) for px in HEIGHT_PX)
    steps = (*worst.steps, *positions.steps, *both.steps)
    return Expected(plan, (height[0], height[1]), words, Working("Accuracy in plan", both.value, "m", steps))


def place_control(
    field: BaseGeometry, inset_m: float, reach_m: float, fly_m: float, height_m: Callable[[Floats], Floats] | None = None
) -> list[ControlPoint]:
    """Return control and check points over a field.

    Parameters
    ----------
    field : geometry
        What is mapped. [m]
    inset_m : float
        How far inside the edge they lie, so that enough pictures see them.
    reach_m : float
        No place of the field may be farther from the nearest control point.
    fly_m : float
        Height above ground that is flown.
    height_m : callable, optional
        Heights of the ground at places, shape (n, 2); NaN where they are not known.

    Raises
    ------
    BadGeometry
        The field is too small to place points in.
    """
    require_range(reach_m, 20.0, 5000.0, "reach_m", "Farthest from control", "m")
    inner = _inner(field, inset_m)
    cells = _grid(inner)
    if len(cells) < LEAST_CONTROL + LEAST_CHECK:
        raise BadGeometry("The field is too small to spread control points over it.", "areas")
    chosen: list[tuple[Metres, str]] = [(at, "corner") for at in _corners(inner)]
    middle = inner.centroid if inner.contains(inner.centroid) else inner.representative_point()
    chosen.append(((middle.x, middle.y), "middle"))
    chosen = _apart(chosen, 0.15 * math.sqrt(inner.area))
    if height_m is not None:
        heights = height_m(cells)
        if np.isfinite(heights).any() and np.nanmax(heights) - np.nanmin(heights) > _SPREAD_FRAC * fly_m:
            for k, why in ((int(np.nanargmax(heights)), "highest ground"), (int(np.nanargmin(heights)), "lowest ground")):
                at = (float(cells[k, 0]), float(cells[k, 1]))
                if _farthest(np.array([at]), chosen)[1] > 0.1 * math.sqrt(inner.area):
                    chosen.append((at, why))
    while len(chosen) < _MOST:
        k, away = _farthest(cells, chosen)
        if len(chosen) >= LEAST_CONTROL and away <= reach_m:
            break
        chosen.append(((float(cells[k, 0]), float(cells[k, 1])), "far from the others"))
    checks: list[tuple[Metres, str]] = []
    for _ in range(max(LEAST_CHECK, len(chosen) // 2)):
        k, _ = _farthest(cells, [*chosen, *checks])
        checks.append(((float(cells[k, 0]), float(cells[k, 1])), "between control"))
    points = [ControlPoint(f"G{n}", at, why) for n, (at, why) in enumerate(chosen, start=1)]
    return points + [ControlPoint(f"K{n}", at, why, check=True) for n, (at, why) in enumerate(checks, start=1)]


def _inner(field: BaseGeometry, inset_m: float) -> BaseGeometry:
    for share in (1.0, 0.5, 0.25, 0.0):
        inner = field.buffer(-inset_m * share)
        if not inner.is_empty and inner.area > 0.3 * field.area:
            return inner
    return field


def _grid(field: BaseGeometry) -> Floats:
    west, south, east, north = field.bounds
    step = math.sqrt(max(field.area, 1.0) / _GRID)
    x, y = np.meshgrid(np.arange(west, east + step, step), np.arange(south, north + step, step))
    cells = np.column_stack((x.ravel(), y.ravel()))
    return np.asarray(cells[shapely.contains_xy(field, cells[:, 0], cells[:, 1])])


def _corners(field: BaseGeometry) -> list[Metres]:
    """Return the places of a field nearest to the corners of the smallest rectangle around it."""
    box = field.minimum_rotated_rectangle
    corners = list(box.exterior.coords)[:4] if isinstance(box, Polygon) else list(box.coords)
    edge = shapely.segmentize(field.boundary, max(1.0, field.boundary.length / 400))
    places = shapely.get_coordinates(edge)
    return [tuple(places[int(np.argmin(np.hypot(*(places - c[:2]).T)))].tolist()) for c in corners]


def _apart(points: Sequence[tuple[Metres, str]], least_m: float) -> list[tuple[Metres, str]]:
    found: list[tuple[Metres, str]] = []
    for at, why in points:
        if all(math.dist(at, other) >= least_m for other, _ in found):
            found.append((at, why))
    return found


def _farthest(cells: Floats, chosen: Sequence[tuple[Metres, str]]) -> tuple[int, float]:
    """Return which cell lies farthest from all points, and how far. [m]"""
    places = np.array([at for at, _ in chosen])
    apart = np.hypot(cells[:, None, 0] - places[None, :, 0], cells[:, None, 1] - places[None, :, 1]).min(axis=1)
    k = int(np.argmax(apart))
    return k, float(apart[k])


def walking_order(places: Sequence[Metres], home: Metres) -> tuple[list[int], float]:
    """Return in which order to walk places from home and back, and how far that is as the crow flies. [m]"""
    if not places:
        return [], 0.0
    xy, n = np.array(places), len(places)
    apart = np.hypot(xy[:, None, 0] - xy[None, :, 0], xy[:, None, 1] - xy[None, :, 1])
    to_home = np.hypot(*(xy - np.array(home)).T)
    wide = np.repeat(np.repeat(apart, _VARIANTS, axis=0), _VARIANTS, axis=1)
    ends = np.repeat(to_home, _VARIANTS)
    order = [cell for cell, _ in best_tour(np.zeros((n, _VARIANTS)), wide, ends, ends)]
    walked = to_home[order[0]] + sum(apart[a, b] for a, b in zip(order, order[1:], strict=False)) + to_home[order[-1]]
    return order, float(walked)


def farthest_from_control_m(field: BaseGeometry, points: Sequence[ControlPoint]) -> float:
    """Return how far the place of a field that is worst off lies from the nearest control point. [m]"""
    control = [(p.at, "") for p in points if not p.check]
    cells = _grid(field)
    if not control or not len(cells):
        return math.inf
    return _farthest(cells, control)[1]


def outside(field: BaseGeometry, points: Sequence[ControlPoint]) -> list[str]:
    """Return the names of points that lie outside a field."""
    return [p.name for p in points if not field.covers(Point(p.at))]
