"""As flown: random grounds with known gaps, the raster of a large ground, and a day of sorties at ten samples a second."""

from __future__ import annotations

import os
import time
from concurrent.futures import ProcessPoolExecutor

import numpy as np
import shapely
from shapely import LineString, Polygon, box

from bench.clock import ms, show
from quarry.core.covered.gaps import Course, cover_of
from quarry.core.covered.raster import raster_over, shares, times_covered
from quarry.core.covered.strips import end_error_m, longer, passes, strips
from quarry.core.covered.track import dropouts, track_of, usual_step_s
from tests.core.flown_grounds import flown

CASES = 300
_TOLERANCE_M, _POSITION_M = 0.25, 0.15
_EDGE_M = 1.0


def tried(seed: int) -> tuple[float, float, int, int]:
    """Return (error of the covered area by polygons, by the raster, gaps, those that are none) of a random ground."""
    f = flown(seed)
    track, _ = track_of(f.t_s, f.xy, working=f.working)
    ways = passes(track, f.most_s, _TOLERANCE_M)
    worked = strips(ways, f.width_m)
    lost = dropouts(track, usual_step_s(track), f.most_s)
    course = Course((track,), ways, lost, f.lines, Polygon(), f.width_m)
    reaches = strips([longer(w, end_error_m(track)) for w in ways], f.width_m)
    cover = cover_of(f.ground, worked, _POSITION_M + _TOLERANCE_M, course, reaches)
    raster = raster_over(f.ground, f.width_m)
    counted = shares(raster, times_covered(raster, worked))["covered"]
    missed = shapely.difference(f.ground, f.truth, grid_size=1e-3).buffer(_EDGE_M)
    none = sum(g.ground.intersection(missed).area < 0.95 * g.area_m2 for g in cover.gaps)
    area = f.ground.area
    return abs(cover.covered_m2 - f.truth.area) / area, abs(counted - f.truth.area / area), len(cover.gaps), none


def _field(
    lines: int, length_m: float, spacing_m: float, speed_m_s: float, hertz: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return (times, places, whether it works) of a plain field flown back and forth."""
    step = speed_m_s / hertz
    along = np.arange(0, length_m, step)
    xy = np.concatenate(
        [np.column_stack((along if k % 2 == 0 else length_m - along, np.full(along.size, k * spacing_m))) for k in range(lines)]
    )
    on = np.ones(len(xy), dtype=bool)
    on[:: along.size] = False
    rng = np.random.default_rng(4)
    return np.arange(len(xy)) / hertz, xy + rng.normal(0, 0.05, xy.shape), on


def _large() -> tuple[str, ...]:
    side = 3163.0  # 1,000 ha
    spacing = 20.0
    t, xy, on = _field(int(side / spacing), side, spacing, 12.0, 1.0)
    track, _ = track_of(t, xy, working=on)
    worked = strips(passes(track, 5.0, _TOLERANCE_M), spacing)
    began = time.perf_counter()
    raster = raster_over(box(0, 0, side, side), spacing)
    found = shares(raster, times_covered(raster, worked))
    return (
        "raster of 1,000 ha",
        f"{raster.inside.size:,} cells",
        ms(time.perf_counter() - began),
        f"{found['covered']:.2%} covered",
    )


def _day() -> tuple[str, ...]:
    began = time.perf_counter()
    samples, covered = 0, []
    for k in range(12):
        t, xy, on = _field(20, 450.0, 6.0, 6.0, 10.0)
        xy = xy + np.array([0.0, 130.0 * k])
        track, _ = track_of(t, xy, working=on)
        ways = passes(track, 5.0, _TOLERANCE_M)
        lines = [LineString([(0, 130.0 * k + 6 * n), (450, 130.0 * k + 6 * n)]) for n in range(20)]
        ground = box(0, 130.0 * k - 3, 450, 130.0 * k + 117)
        course = Course((track,), ways, dropouts(track, usual_step_s(track), 5.0), lines, Polygon(), 6.0)
        covered.append(cover_of(ground, strips(ways, 6.0), 0.5, course).covered_frac)
        samples += len(track)
    return (
        "a day of 12 sorties at 10 Hz",
        f"{samples:,} samples",
        ms(time.perf_counter() - began),
        f"{np.mean(covered):.2%} covered",
    )


def table(cases: int = CASES) -> None:
    """Print how near the covered ground is to the truth, and what it takes."""
    with ProcessPoolExecutor(max(1, os.cpu_count() or 1)) as pool:
        found = np.array(list(pool.map(tried, range(cases), chunksize=10)))
    polygons, cells, gaps, none = found.T
    show(
        "as flown: random grounds with known gaps",
        ["grounds", "area off, worst", "by raster", "gaps found", "of these none"],
        [[f"{cases}", f"{polygons.max():.2%}", f"{cells.max():.2%}", f"{int(gaps.sum()):,}", f"{int(none.sum())}"]],
    )
    show("as flown: how long it takes", ["what", "size", "time", ""], [_large(), _day()])


if __name__ == "__main__":
    table()
