"""How surely a search that was flown would have seen something: detection falls off sideways of each pass and adds up."""

from __future__ import annotations

import math
from collections.abc import Iterable
from itertools import pairwise

import numpy as np
from shapely import LineString, points
from shapely import distance as apart

from quarry.core.base.sources import KOOPMAN
from quarry.core.base.working import formula
from quarry.core.covered.raster import Grid, Raster
from quarry.core.covered.track import Floats
from quarry.core.ground.search import DetectionLaw

_FAR = 10.0  # sweep widths from a pass beyond which less than one in a thousand is seen: it is left out
_MANY = 200
_FEW = 9  # corners up to which legs by themselves are quicker than a point object for each place


@formula("detection beside a pass = 1 − e^(−sweep width² ÷ (4π × distance²))", source=KOOPMAN, result="detection_frac")
def detection_beside_frac(sweep_width_m: float, distance_m: float) -> float:
    """Return how surely something is seen that lies so far from a single pass, by the inverse-cube law.

    Over all distances it adds up to the sweep width.
    """
    return float(1.0 - math.exp(-(sweep_width_m**2) / (4.0 * math.pi * max(distance_m, 1e-6) ** 2)))


def _beside(distance_m: Floats, sweep_width_m: float, law: DetectionLaw) -> Floats:
    if law == "definite":
        return (distance_m <= sweep_width_m / 2).astype(np.float64)
    return np.asarray(1.0 - np.exp(-(sweep_width_m**2) / (4.0 * math.pi * np.maximum(distance_m, 1e-6) ** 2)))


def _missed(detection: Floats, law: DetectionLaw) -> Floats:
    """Return the share that one pass leaves unseen: passes are independent; under the random law their coverages add up."""
    return np.exp(-detection) if law == "random" else 1.0 - detection


def least_planned_frac(sweep_width_m: float, spacing_m: float, law: DetectionLaw) -> float:
    """Return how surely something is seen midway between two of many parallel passes: the least that the plan gives."""
    sideways = spacing_m * (np.arange(-_MANY, _MANY) + 0.5)
    return float(1.0 - np.prod(_missed(_beside(np.abs(sideways), sweep_width_m, law), law)))


def cumulative_detection(raster: Raster, ways: Iterable[LineString], sweep_width_m: float, law: DetectionLaw) -> Grid:
    """Return for each cell of a raster how surely something in it would have been seen by all passes together. [0 to 1]"""
    rows, columns = raster.inside.shape
    unseen = np.ones((rows, columns))
    for way in ways:
        west, south, east, north = way.buffer(_FAR * sweep_width_m, cap_style="square").bounds
        left = max(0, math.floor((west - raster.west_m) / raster.cell_m))
        right = min(columns, math.ceil((east - raster.west_m) / raster.cell_m))
        top = max(0, math.floor((raster.north_m - north) / raster.cell_m))
        bottom = min(rows, math.ceil((raster.north_m - south) / raster.cell_m))
        if left >= right or top >= bottom:
            continue
        x = raster.west_m + (np.arange(left, right) + 0.5) * raster.cell_m
        y = raster.north_m - (np.arange(top, bottom) + 0.5) * raster.cell_m
        corners = np.array(way.coords)
        if len(corners) == 2:
            missed = _missed_beside_leg(corners[0], corners[1], x, y, sweep_width_m, law)
            unseen[top:bottom, left:right] *= missed
            continue
        j, i = np.nonzero(raster.inside[top:bottom, left:right])
        # Beyond the ends of a pass nothing is searched: only what lies abeam counts.
        beside = _abeam_m(way, np.column_stack((x[i], y[j])))
        unseen[j + top, i + left] *= _missed(_beside(beside, sweep_width_m, law), law)
    return np.where(raster.inside, 1.0 - unseen, 0.0).astype(np.float32)


def _missed_beside_leg(a: Floats, b: Floats, x: Floats, y: Floats, sweep_width_m: float, law: DetectionLaw) -> Floats:
    """Return the share that a straight pass leaves unseen in the cells of a net of columns and rows, shape (rows, columns)."""
    length_m = math.dist(a, b)
    east, north = (b - a) / max(length_m, 1e-12)
    # Both are sums of a part by column and a part by row: no place has to be looked at by itself.
    along = ((x - a[0]) * east)[None, :] + ((y - a[1]) * north)[:, None]
    off = ((x - a[0]) * north)[None, :] - ((y - a[1]) * east)[:, None]
    abeam = (along >= 0.0) & (along <= length_m)
    missed = np.ones(abeam.shape)
    missed[abeam] = _missed(_beside(np.abs(off[abeam]), sweep_width_m, law), law)
    return missed


def _to_leg_m2(a: Floats, b: Floats, xy: Floats) -> Floats:
    """Return the squares of how far places lie from a leg. [m²]"""
    leg, to = b - a, xy - a
    along = np.clip(to @ leg / max(float(leg @ leg), 1e-12), 0.0, 1.0)
    return np.asarray(((to - along[:, None] * leg) ** 2).sum(axis=1))


def _abeam_m(way: LineString, xy: Floats) -> Floats:
    """Return how far places lie from a way, those that lie before its beginning or behind its end infinitely far. [m]"""
    corners = np.array(way.coords)
    if len(corners) <= _FEW:
        found: Floats = np.sqrt(np.minimum.reduce([_to_leg_m2(a, b, xy) for a, b in pairwise(corners)]))
    else:
        found = np.asarray(apart(way, points(xy)), dtype=np.float64)
    for end, inner in ((corners[0], corners[1]), (corners[-1], corners[-2])):
        found[(xy - end) @ (inner - end) < 0] = np.inf
    return found
