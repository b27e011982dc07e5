"""Rings of a file made sound: what is safe is done and told, what is not is refused where it lies."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import LineString, Polygon
from shapely.validation import explain_validity

from quarry.apps.jobs.formats.boundary.shapes import FormatError, Ring, Shapes
from quarry.core.ground.geodesy import LocalFrame
from quarry.core.ground.outline import LEAST_AREA_M2

Floats = NDArray[np.float64]
MOST_READ = 300_000
_PLENTY = 1_000
_TOLERANCE_M = 0.5
_SMOOTH_M = (1.0, 2.0, 4.0, 8.0)
_MOST_CROSSINGS = 3_000
_SAMPLE = 80
_LOOPS_FRAC = 0.02
_MOST_PIECES = 8
_SPIKE_M = 0.05


@dataclass(frozen=True, slots=True)
class Problem:
    """Why a ring cannot be used, and where in degrees."""

    words: str
    at: tuple[float, float] | None = None


def tidy_ring(ring: Ring, what: str, shapes: Shapes, frame: LocalFrame | None = None) -> list[Ring] | Problem:
    """Return the sound rings that a ring of degrees stands for, usually one, or why there is none.

    What is done to it is noted: points that stand twice, spikes, thinning with its tolerance, loops left out, pieces
    that an outline through itself falls into. ``frame``: of a shape beside it, where that is at hand.
    """
    if len(ring) > MOST_READ:
        raise FormatError(
            f"{what} has {len(ring):,} points; the most is {MOST_READ:,}. Simplify it to half a metre and drop it again.", "file"
        )
    open_ring = ring[:-1] if len(ring) > 1 and ring[0] == ring[-1] else ring
    if len({(x, y) for x, y in open_ring}) < 3:
        few = len({(x, y) for x, y in open_ring})
        return Problem(f"{what} has {few} corner{'s' if few != 1 else ''}: too few, at least three are needed.", _first(ring))
    frame = frame or LocalFrame.around([(x, y) for x, y in open_ring])
    xy = np.array(frame.to_metres([(x, y) for x, y in open_ring]))
    xy = _without_doubles(xy, what, shapes)
    read = len(xy)
    xy = _thinned(xy, what, read, shapes) if read > _PLENTY else _without_spikes(xy, what, frame, shapes)
    if len(xy) < 3:
        return Problem(f"{what} encloses nothing: it goes out and back on itself.", _first(ring))
    polygon = Polygon(xy)
    if not polygon.is_valid:
        return _untangled(xy, what, frame, shapes)
    if polygon.area < LEAST_AREA_M2:
        return Problem(f"{what} encloses {polygon.area:.1f} m²; the least is {LEAST_AREA_M2:.0f} m².", _first(ring))
    return [_degrees(xy, frame) if len(xy) != len(open_ring) else [list(p) for p in open_ring]]


def _first(ring: Ring) -> tuple[float, float] | None:
    return (ring[0][0], ring[0][1]) if ring else None


def _degrees(xy: Floats, frame: LocalFrame) -> Ring:
    return [[round(lon, 8), round(lat, 8)] for lon, lat in frame.to_degrees([(float(x), float(y)) for x, y in xy])]


def _without_doubles(xy: Floats, what: str, shapes: Shapes) -> Floats:
    same = np.hypot(*(xy - np.roll(xy, 1, axis=0)).T) < 1e-3
    if same.any():
        shapes.note("repaired", f"{what}: {int(same.sum())} point{'s' if same.sum() > 1 else ''} standing twice taken out.")
    return np.asarray(xy[~same])


def _without_spikes(xy: Floats, what: str, frame: LocalFrame, shapes: Shapes) -> Floats:
    """Return a ring without corners at which it runs out and back on itself."""
    taken = 0
    k = 0
    while len(xy) > 3 and k < len(xy):
        before, here, after = xy[k - 1], xy[k], xy[(k + 1) % len(xy)]
        out, back = here - before, after - here
        across = abs(out[0] * back[1] - out[1] * back[0])
        longer = max(float(np.hypot(*out)), float(np.hypot(*back)))
        if out @ back < 0 and longer > 1.0 and across / longer < _SPIKE_M and min(np.hypot(*out), np.hypot(*back)) > 1.0:
            at = _degrees(here[None], frame)[0]
            shapes.note("repaired", f"{what}: a spike at corner {k + 1 + taken} taken out.", (at[0], at[1]))
            xy, taken = np.delete(xy, k, axis=0), taken + 1
            if len(xy) > 3 and np.hypot(*(xy[k - 1] - xy[k % len(xy)])) < 1e-3:
                xy = np.delete(xy, k % len(xy), axis=0)
            k = max(0, k - 2)
        else:
            k += 1
    return xy


def _simplified(xy: Floats, tolerance_m: float) -> Floats:
    line = LineString(np.vstack([xy, xy[:1]]))
    return np.asarray(shapely.get_coordinates(shapely.simplify(line, tolerance_m, preserve_topology=False))[:-1])


def _thinned(xy: Floats, what: str, read: int, shapes: Shapes) -> Floats:
    """Return a ring with fewer points, within half a metre; where the points jitter, smoothed along the way before."""
    thin = _simplified(xy, _TOLERANCE_M)
    if len(thin) <= _PLENTY:
        shapes.note("thinned", f"{what}: simplified from {read:,} points to {len(thin):,}, within {_TOLERANCE_M:g} m.")
        return thin
    for half_m in _SMOOTH_M:
        smooth = _running_mean(xy, half_m)
        thin = _simplified(smooth, _TOLERANCE_M)
        if len(thin) <= _PLENTY // 4 and Polygon(thin).is_valid:
            break
    if len(thin) > 4 * _PLENTY:
        thin = _simplified(xy, _TOLERANCE_M)
        shapes.note("thinned", f"{what}: simplified from {read:,} points to {len(thin):,}, within {_TOLERANCE_M:g} m.")
        return thin
    moved = float(
        shapely.distance(shapely.points(smooth[:: max(1, len(smooth) // 2000)]), LineString(np.vstack([thin, thin[:1]]))).max()
    )
    rough = float(np.sqrt(np.mean(np.sum((smooth - xy) ** 2, axis=1))))
    shapes.note(
        "thinned",
        f"{what}: {read:,} points that jitter by about {rough:.1f} m were smoothed over {2 * half_m:g} m of the way and "
        f"simplified to {len(thin):,}, within {max(moved, 0.1):.1f} m of the smoothed line.",
    )
    return thin


def _running_mean(xy: Floats, half_m: float) -> Floats:
    """Return each point as the mean of those within a distance along the way, the jitter itself not counted as way."""
    n = len(xy)
    coarse = xy[:: max(1, n // 400)]
    length = float(np.hypot(*(coarse - np.roll(coarse, 1, axis=0)).T).sum())
    half = int(np.clip(round(half_m / max(length / n, 1e-6)), 1, n // 4))
    round_twice = np.vstack([xy[-half:], xy, xy[:half]])
    sums = np.cumsum(np.vstack([np.zeros((1, 2)), round_twice]), axis=0)
    return np.asarray((sums[2 * half + 1 :] - sums[: -2 * half - 1]) / (2 * half + 1))


def _untangled(xy: Floats, what: str, frame: LocalFrame, shapes: Shapes) -> list[Ring] | Problem:
    """Return the pieces of an outline that crosses itself, if it plainly falls into few; small loops are left out."""
    at = _where(xy, frame)
    if _crossings(xy) > _MOST_CROSSINGS:
        return Problem(
            f"{what} crosses itself over and over: it is not a simple outline. Walk or draw its edge once around and drop it again.",
            at,
        )
    parts = [p for p in shapely.get_parts(shapely.make_valid(Polygon(xy))) if p.geom_type == "Polygon"]
    parts = sorted((Polygon(p.exterior) for p in parts), key=lambda p: -p.area)
    whole = sum(p.area for p in parts)
    if not parts or whole < LEAST_AREA_M2:
        return Problem(f"{what} crosses itself and encloses nothing. Draw it anew.", at)
    loops = [p for p in parts[1:] if p.area < max(_LOOPS_FRAC * whole, LEAST_AREA_M2)]
    kept = [p for p in parts if not any(p is x for x in loops)]
    if len(kept) > _MOST_PIECES or sum(p.area for p in loops) > _LOOPS_FRAC * whole:
        return Problem(f"{what} crosses itself near corner {_corner(xy)}: move a corner so that its sides do not cross.", at)
    if loops or len(kept) == 1:
        count = max(len(loops), 1)
        shapes.note(
            "repaired",
            f"{what} crossed itself: {count} small loop{'s' if count > 1 else ''} of {sum(p.area for p in loops):,.1f} m² in all taken off.",
            at,
        )
    if len(kept) > 1:
        shapes.note("repaired", f"{what} crossed itself and was split there into {len(kept)} areas: check each.", at)
    return [_degrees(shapely.get_coordinates(p.exterior)[:-1], frame) for p in kept]


def _crossings(xy: Floats) -> float:
    """Return about how often the sides of a ring cross one another, from some of them."""
    sides = shapely.linestrings(np.stack([xy, np.roll(xy, -1, axis=0)], axis=1))
    some = np.unique(np.linspace(0, len(sides) - 1, min(len(sides), _SAMPLE)).astype(int))
    hits = shapely.STRtree(sides).query(sides[some], predicate="intersects")
    return float((hits.shape[1] / len(some) - 3.0) * len(sides) / 2)


def _place(xy: Floats) -> tuple[float, float] | None:
    words = explain_validity(Polygon(xy))
    start = words.find("[")
    if start < 0:
        return None
    x, y = words[start + 1 : -1].split()[:2]
    return float(x), float(y)


def _where(xy: Floats, frame: LocalFrame) -> tuple[float, float] | None:
    at = _place(xy)
    return frame.to_degrees([at])[0] if at is not None else None


def _corner(xy: Floats) -> int:
    at = _place(xy) or (float(xy[0, 0]), float(xy[0, 1]))
    return int(np.argmin(np.hypot(*(xy - np.array(at)).T))) + 1
