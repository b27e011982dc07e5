"""Simulated tracks over random ground with gaps that are known: what the record of a flown field looks like."""

from dataclasses import dataclass

import numpy as np
import shapely
from shapely import LineString, Polygon
from shapely.affinity import rotate
from shapely.ops import substring

SPEED_M_S, STEP_S = 6.0, 0.2


@dataclass
class Flown:
    """A flown field: its outline, the planned lines, the record's columns, and the truth."""

    ground: Polygon
    width_m: float
    lines: list
    t_s: np.ndarray
    xy: np.ndarray
    working: np.ndarray
    most_s: float
    truth: object  # what was covered
    wanted: object  # what would have been covered without the known gaps
    strips: list  # as they were worked


def star(rng, least=70.0, most=220.0):
    """A star-shaped field in metres."""
    n = int(rng.integers(4, 10))
    reach = rng.uniform(least, most, n)
    turn = rng.uniform(0, 2 * np.pi) + 2 * np.pi * np.arange(n) / n
    return Polygon(np.column_stack((reach * np.cos(turn), reach * np.sin(turn))))


def planned(ground, width_m, angle_deg):
    """Parallel lines in a field, back and forth."""
    flat = rotate(ground, -angle_deg, origin=(0, 0))
    west, south, east, north = flat.bounds
    rows = []
    for k, y in enumerate(np.arange(south + width_m / 2, north, width_m)):
        cut = flat.intersection(LineString([(west - 1, y), (east + 1, y)]))
        parts = sorted((p for p in getattr(cut, "geoms", [cut]) if p.length > 2 * width_m), key=lambda p: p.bounds[0])
        parts = [LineString(sorted(p.coords)) for p in parts]
        rows += [LineString(list(p.coords)[::-1]) for p in reversed(parts)] if k % 2 else parts
    return [rotate(line, angle_deg, origin=(0, 0)) for line in rows]


def flown(seed, kinds=("shut", "dropout", "short dropout", "early"), noise_m=0.05):
    """Fly a random field with gaps of the kinds given."""
    rng = np.random.default_rng(seed)
    ground, width = star(rng), float(rng.uniform(3.0, 8.0))
    lines = planned(ground, width, float(rng.uniform(0, 180)))
    most_s = float(rng.uniform(2.0, 5.0))
    t, xy, on, kept = [], [], [], []
    done, whole = [], []
    now, at = 0.0, np.array(lines[0].coords[0])
    for line in lines:
        begin = np.array(line.coords[0])
        way = float(np.hypot(*(begin - at)))
        for s in np.arange(0, way, SPEED_M_S * STEP_S):
            t.append(now)
            xy.append(at + (begin - at) * s / max(way, 1e-9))
            on.append(False)
            kept.append(True)
            now += STEP_S
        kind = str(rng.choice([*kinds, "none"])) if rng.random() < 0.4 and line.length > 40 else "none"
        a = float(rng.uniform(0.1, 0.6)) * line.length
        b = a + float(rng.uniform(12.0, 30.0))
        b = min(b, line.length - 4.0)
        end = line.length
        if kind == "early":
            end = line.length - float(rng.uniform(12.0, 0.5 * line.length))
        if kind == "short dropout":
            b = min(a + 0.6 * most_s * SPEED_M_S, line.length - 1.0)
        if kind == "dropout":
            b = min(a + (most_s + float(rng.uniform(1.0, 4.0))) * SPEED_M_S, line.length - 1.0)
            kind = kind if b - a > (most_s + 0.5) * SPEED_M_S else "none"
        spans = [(0.0, end)]
        if kind in ("shut", "dropout") and b > a + 2:
            spans = [(0.0, a), (b, end)]
        for s in np.arange(0.0, end, SPEED_M_S * STEP_S):
            t.append(now)
            xy.append(np.array(line.interpolate(s).coords[0]))
            on.append(not (kind == "shut" and a <= s < b))
            kept.append(not (kind in ("dropout", "short dropout") and a < s < b))
            now += STEP_S
        at = np.array(line.interpolate(end).coords[0])
        cut = [substring(line, x, y) for x, y in spans if y > x + 0.1]
        done += [c.buffer(width / 2, cap_style="flat") for c in cut]
        whole.append(line.buffer(width / 2, cap_style="flat"))
    keep = np.array(kept)
    places = np.array(xy) + rng.normal(0.0, noise_m, (len(xy), 2))
    return Flown(
        ground,
        width,
        lines,
        np.array(t)[keep],
        places[keep],
        np.array(on)[keep],
        most_s,
        shapely.union_all(done, grid_size=1e-3).intersection(ground),
        shapely.union_all(whole, grid_size=1e-3).intersection(ground),
        done,
    )
