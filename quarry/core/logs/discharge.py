"""What a flight says of its pack: minutes and percent, draw, the knee, drops, warnings, cells under load, resistance."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.sources import ALGEBRA
from quarry.core.base.working import Step, Working
from quarry.core.cells.resistance import resistance_at_25_ohm
from quarry.core.logs.by_phase import pack_volts
from quarry.core.logs.flight import blocked, distance_flown_m, smooth, thinned
from quarry.core.logs.lexicon import level_of
from quarry.core.logs.reading import Log

Floats = NDArray[np.float64]
_KNEE_GAIN = 0.35  # two straight pieces must leave a third less than one does, before a knee is believed
_KNEE_STEEPER, _KNEE_POINTS = 1.25, 240
_DROP_FRAC, _DROP_S = 0.02, 3.0
_LOW_RUN = (0.3, 0.1)
_STEP_A, _STEP_FRAC = 5.0, 0.2  # steps of current that tell resistance
_MIDDLE = (0.1, 0.8)  # of a flight: at its ends cells behave otherwise
_LOCAL_S, _LEAST_ROWS = 30.0, 120
_LEAST_SWING, _MOST_ERROR = 0.01, 0.08  # of the mean current; of the resistance, as one standard error
_SETTLED_S = 120.0
_CLIMB_S, _CLIMB_TIMES, _CLIMB_M_S = 4.0, 1.4, 0.8  # a hard climb: so long, so many times the usual draw, while it rises
_PLATEAU = 0.92


@dataclass(frozen=True, slots=True)
class Discharge:
    """A flight as its pack saw it; what the log does not tell is None. Shares in 0 to 1, temperatures in °C.

    ``low_run_s``: from 30 to 10 % left; ``knee_frac``: from where the charge falls faster, ``knee_s`` when; minutes for each
    percent ``above_knee_min`` and ``below_knee_min``; ``drops``: sudden falls as (time, by how much);
    ``warned_s``: when the first warning came, ``in_warning_s`` how long warnings stood, ``critical_at_s`` and ``critical_s``
    when the last stage of them came and how long it stood;
    ``resistance_ohm`` of the whole pack at ``resistance_c``, brought to 25 °C in ``resistance_25_ohm``, from ``steps`` steps of current with the share of their
    scatter that it explains.
    """

    length_s: float
    from_frac: float | None = None
    to_frac: float | None = None
    min_per_percent: float | None = None
    above_knee_min: float | None = None
    below_knee_min: float | None = None
    low_run_s: float | None = None
    knee_frac: float | None = None
    knee_s: float | None = None
    drops: tuple[tuple[float, float], ...] = ()
    mean_a: float | None = None
    hard_a: float | None = None
    mean_w: float | None = None
    used_ah: float | None = None
    used_wh: float | None = None
    ah_per_min: float | None = None
    wh_per_km: float | None = None
    lowest_v: float | None = None
    lowest_cell: int | None = None
    spread_v: float | None = None
    resistance_ohm: float | None = None
    resistance_c: float | None = None
    resistance_r2: float | None = None
    resistance_25_ohm: float | None = None
    steps: int = 0
    from_c: float | None = None
    to_c: float | None = None
    most_c: float | None = None
    settled_c: float | None = None
    distance_m: float | None = None
    warned_s: float | None = None
    warned_frac: float | None = None
    in_warning_s: float | None = None
    critical_at_s: float | None = None
    critical_s: float | None = None
    working: Working | None = None


def discharge_of(flight: Log) -> Discharge:
    """Return what a flight says of its pack; ``flight`` holds the rows from take-off to landing."""
    t, n = flight.time_s, flight.numbers
    length = float(t[-1] - t[0])
    figures: dict[str, object] = {"distance_m": distance_flown_m(flight)}
    steps = [Step("length_s", length, "s", "from take-off to landing", source=ALGEBRA)]
    slow = thinned(flight)  # what changes over seconds is looked at twice a second
    figures |= _percent(slow.time_s, slow.numbers.get("left_frac"), steps)
    figures |= _draw(t, n.get("current_a"), pack_volts(flight), n.get("used_ah"), n.get("height_m"), figures["distance_m"], steps)
    figures |= _cells(flight)
    figures |= _resistance(slow.time_s, slow.numbers.get("current_a"), pack_volts(slow), slow.numbers.get("pack_c"))
    figures |= _warmth(slow.time_s, slow.numbers.get("pack_c"))
    figures |= _warnings(t, n.get("left_frac"), flight.marks.get("warning", ()))
    return Discharge(length, **figures, working=Working("Flight", length, "s", tuple(steps)))  # type: ignore[arg-type]


def _ends(values: Floats) -> tuple[float, float]:
    known = values[np.isfinite(values)]
    return float(known[0]), float(known[-1])


def _percent(t: Floats, left: Floats | None, steps: list[Step]) -> dict[str, object]:
    if left is None or np.isfinite(left).sum() < 3:
        return {}
    first, last = _ends(left)
    used = first - last
    found: dict[str, object] = {"from_frac": first, "to_frac": last}
    steps.append(Step("used_frac", used, "", "charge at take-off less charge at landing", source=ALGEBRA))
    if used > 0.02:
        each = (t[-1] - t[0]) / 60.0 / (100.0 * used)
        found["min_per_percent"] = float(each)
        steps.append(Step("min_per_percent", float(each), "min", "length ÷ percent used", source=ALGEBRA))
    known = np.isfinite(left)
    found |= knee_of(t[known], left[known])
    found["drops"] = _drops(t[known], left[known])
    if first >= _LOW_RUN[0] and last <= _LOW_RUN[1]:
        starts, ends = (float(t[known][int(np.argmax(left[known] <= share))]) for share in _LOW_RUN)
        found["low_run_s"] = ends - starts
    return found


def _drops(t: Floats, left: Floats) -> tuple[tuple[float, float], ...]:
    """Return sudden falls as (moment, by how much): a fall within seconds that is many times the usual one, where it is steepest."""
    step = float(np.median(np.diff(t))) if t.size > 1 else 1.0
    wide = max(1, round(_DROP_S / max(step, 1e-3)))
    if left.size <= wide:
        return ()
    falls = left[:-wide] - left[wide:]
    usual = float(np.median(falls))
    at = np.flatnonzero(falls > max(_DROP_FRAC, 6 * usual))
    kept = at[np.concatenate(([True], np.diff(at) > wide))] if at.size else at
    found = []
    for k in kept:
        inside = left[k : k + 2 * wide + 1]
        deepest = int(np.argmin(np.diff(inside)))
        found.append((float(t[k + deepest + 1]), round(float(falls[k : k + wide].max()), 4)))
    return tuple(found)


def knee_of(t: Floats, left: Floats) -> dict[str, object]:
    """Return where the charge begins to fall faster: the break of two straight pieces that fit best; nothing if one does.

    How much steeper follows from the middle of the falls within each piece, so that a single jump is no knee.
    """
    if t.size < 30 or left[0] - left[-1] < 0.2:
        return {}
    grid = np.linspace(t[0], t[-1], _KNEE_POINTS)
    y = np.interp(grid, t, left)
    before, after = _rests(grid, y), _rests(grid[::-1], y[::-1])[::-1]
    edge = _KNEE_POINTS // 10
    both = before[edge - 1 : -edge - 1] + after[edge:-edge]
    at = int(np.argmin(both)) + edge
    if both.min() > (1.0 - _KNEE_GAIN) ** 2 * before[-1]:
        return {}
    first, then = (_fall(part) for part in (y[: at + 1], y[at:]))
    if first <= 0 or then < _KNEE_STEEPER * first:
        return {}
    each_min = float(grid[1] - grid[0]) / 60.0 / 100.0
    return {
        "knee_frac": float(y[at]),
        "knee_s": float(grid[at]),
        "above_knee_min": each_min / first,
        "below_knee_min": each_min / then,
    }


def _fall(y: Floats) -> float:
    """Return how much a piece falls from point to point: the middle over a quarter of it, as percent comes in whole numbers."""
    wide = max(1, y.size // 4)
    return float(np.median(y[:-wide] - y[wide:])) / wide


def _rests(x: Floats, y: Floats) -> Floats:
    """Return for each beginning of a curve the squares that its own straight line leaves, by running sums."""
    x = x - x[0]
    n = np.arange(1.0, x.size + 1)
    sx, sy, sxx, sxy, syy = (np.cumsum(v) for v in (x, y, x * x, x * y, y * y))
    wide = np.maximum(sxx - sx * sx / n, 1e-12)
    shared = sxy - sx * sy / n
    return np.maximum(syy - sy * sy / n - shared * shared / wide, 0.0)


def _draw(
    t: Floats,
    current: Floats | None,
    volts: Floats | None,
    used: Floats | None,
    height: Floats | None,
    distance: object,
    steps: list[Step],
) -> dict[str, object]:
    found: dict[str, object] = {}
    minutes = (t[-1] - t[0]) / 60.0
    if current is not None and np.isfinite(current).sum() > 2:
        i = np.abs(np.nan_to_num(current))
        ah = float(np.trapezoid(i, t)) / 3600.0
        found |= {
            "mean_a": ah * 60.0 / minutes,
            "used_ah": ah,
        }
        hard = _hard_climb_a(t, i, height)
        if hard is not None:
            found["hard_a"] = hard
        steps.append(Step("used_ah", ah, "Ah", "current summed over the flight", source=ALGEBRA))
        if volts is not None and np.isfinite(volts).sum() > 2:
            wh = float(np.trapezoid(i * np.nan_to_num(volts), t)) / 3600.0
            found |= {"mean_w": wh * 60.0 / minutes, "used_wh": wh}
            if isinstance(distance, float) and distance > 100.0:
                found["wh_per_km"] = wh / distance * 1000.0
    if used is not None and np.isfinite(used).sum() > 2:
        first, last = _ends(used)
        found["used_ah"] = last - first  # what the pack counts itself goes before what is summed here
        steps.append(Step("used_ah", last - first, "Ah", "the pack's own count at landing less at take-off", source=ALGEBRA))
    if "used_ah" in found and minutes > 0:
        found["ah_per_min"] = float(found["used_ah"]) / minutes  # type: ignore[arg-type]
    return found


def _hard_climb_a(t: Floats, amps: Floats, height: Floats | None) -> float | None:
    """Return the mean current of the steady part of the fullest climb of at least four seconds; None where there is none. [A]

    A climb is hard where it draws well above what is usual in the flight. Where no height is told, the current alone tells it.
    """
    seconds = np.arange(float(t[0]), float(t[-1]), 0.5)
    if seconds.size < 20:
        return None
    i = smooth(seconds, np.interp(seconds, t, amps), 1.0)
    hard = i > _CLIMB_TIMES * float(np.median(i))
    if height is not None and np.isfinite(height).any():
        known = np.isfinite(height)
        rises = np.gradient(smooth(seconds, np.interp(seconds, t[known], height[known]), 2.0), seconds)
        hard &= rises > _CLIMB_M_S
    edges = np.flatnonzero(np.diff(np.concatenate(([0], hard.astype(int), [0]))))
    spans = [(a, b) for a, b in zip(edges[::2], edges[1::2], strict=True) if (b - a) * 0.5 >= _CLIMB_S]
    if not spans:
        return None
    a, b = max(spans, key=lambda s: float(np.mean(i[s[0] : s[1]])))
    full = float(np.percentile(i[a:b], 80))
    return float(np.mean(i[a:b][i[a:b] >= _PLATEAU * full]))


def _cells(flight: Log) -> dict[str, object]:
    if flight.cells_v is None:
        lowest_only, highest = flight.numbers.get("cell_low_v"), flight.numbers.get("cell_high_v")
        if lowest_only is None or not np.isfinite(lowest_only).any():
            return {}
        found: dict[str, object] = {"lowest_v": float(np.nanmin(blocked(flight.time_s, lowest_only, 1.0)))}
        if highest is not None and np.isfinite(highest).any():
            found["spread_v"] = float(np.nanpercentile(highest - lowest_only, 95))
        return found
    cells = np.stack([blocked(flight.time_s, c, 1.0) for c in flight.cells_v.T])
    cells = cells[:, np.isfinite(cells).all(axis=0)]
    if not cells.size:
        return {}
    lowest = cells.min(axis=1)
    column = int(np.argmin(lowest))
    spread = cells.max(axis=0) - cells.min(axis=0)
    return {
        "lowest_v": float(lowest[column]),
        "lowest_cell": column + 1,
        "spread_v": float(np.percentile(spread, 95)),
    }


def _resistance(t: Floats, current: Floats | None, volts: Floats | None, warm: Floats | None) -> dict[str, object]:
    """Return the pack's resistance from how its volts answer to its current; nothing where they tell too little.

    Both less their running means over half a minute, so that the fall of the volts with the charge, and the current that an
    aircraft of constant power draws more as they fall, stay out of it; then the slope of the one on the other, by least squares.
    """
    if current is None or volts is None or t.size < 30:
        return {}
    span = t[-1] - t[0]
    grid = np.arange(t[0] + _MIDDLE[0] * span, t[0] + _MIDDLE[1] * span, 1.0)
    if grid.size < _LEAST_ROWS:
        return {}
    known = np.isfinite(current) & np.isfinite(volts)
    i, v = np.interp(grid, t[known], np.abs(current[known])), np.interp(grid, t[known], volts[known])
    di, dv = i - smooth(grid, i, _LOCAL_S), v - smooth(grid, v, _LOCAL_S)
    wide = float(np.dot(di, di))
    if math.sqrt(wide / grid.size) < _LEAST_SWING * float(i.mean()):
        return {}
    ohm = -float(np.dot(di, dv)) / wide
    explained = ohm**2 * wide / max(1e-12, float(np.dot(dv, dv)))
    error = math.sqrt(max(0.0, 1.0 - explained) / max(explained, 1e-9) / grid.size)
    if ohm <= 0 or error > _MOST_ERROR:
        return {}
    steps = int(np.sum(np.abs(np.diff(i)) >= max(_STEP_A, _STEP_FRAC * float(i.mean()))))
    found: dict[str, object] = {"resistance_ohm": ohm, "resistance_r2": explained, "steps": steps}
    if warm is not None and np.isfinite(warm).any():
        middle_c = float(np.nanmedian(np.interp(grid, t, warm)))
        found |= {"resistance_c": middle_c, "resistance_25_ohm": resistance_at_25_ohm(ohm, middle_c)}
    return found


def _warmth(t: Floats, warm: Floats | None) -> dict[str, object]:
    if warm is None or np.isfinite(warm).sum() < 3:
        return {}
    first, last = _ends(warm)
    late = warm[t >= t[-1] - _SETTLED_S]
    settled = float(np.nanmean(late)) if t[-1] - t[0] > 2 * _SETTLED_S and np.nanmax(late) - np.nanmin(late) < 1.5 else None
    return {"from_c": first, "to_c": last, "most_c": float(np.nanmax(warm)), "settled_c": settled}


def _warnings(t: Floats, left: Floats | None, marks: tuple[tuple[float, str], ...]) -> dict[str, object]:
    """Return when the first warning came, at which charge, how long warnings stood, and how long the critical stage.

    What a word means is known, or follows from when it comes: what stands from the beginning is calm, what comes first after
    it is the first stage, what comes after that and with less charge the critical one.
    """
    ends = [*(a for a, _ in marks[1:]), float(t[-1])]
    level = levels_of([w for _, w in marks])
    spans = [(a, b, level[w]) for (a, w), b in zip(marks, ends[: len(marks)], strict=True)]
    warned = [(a, b, n) for a, b, n in spans if n > 0]
    if not warned:
        return {}
    found: dict[str, object] = {"warned_s": warned[0][0], "in_warning_s": sum(b - a for a, b, _ in warned)}
    critical = [(a, b) for a, b, n in warned if n > 1]
    if critical:
        found |= {"critical_at_s": critical[0][0], "critical_s": sum(b - a for a, b in critical)}
    if left is not None and np.isfinite(left).any():
        known = np.isfinite(left)
        found["warned_frac"] = float(np.interp(warned[0][0], t[known], left[known]))
    return found


def warnings_by_percent(flight: Log, low_frac: float | None, critical_frac: float | None) -> dict[str, float]:
    """Return when a log that logs no warnings must have had them: by the percents at which its aircraft warns.

    Percent as aircraft show it, rounded to whole numbers, at or below the threshold. Empty where none came.
    """
    left = flight.numbers.get("left_frac")
    if left is None or not np.isfinite(left).any():
        return {}
    known = np.isfinite(left)
    t, shown = flight.time_s[known], np.round(100.0 * left[known])
    end = float(flight.time_s[-1])
    found: dict[str, float] = {}
    for share, first in ((low_frac, True), (critical_frac, False)):
        below = shown <= round(100.0 * share) if share is not None else np.zeros(shown.size, dtype=bool)
        if not below.any():
            continue
        came = float(t[int(np.argmax(below))])
        if first:
            found |= {"warned_s": came, "in_warning_s": end - came, "warned_frac": float(left[known][int(np.argmax(below))])}
        else:
            found |= {"critical_at_s": came, "critical_s": end - came}
    return found


def minutes_to(figures: Mapping[str, float | None], left_frac: float) -> float | None:
    """Return minutes from full to so much charge left, as a flight draws it: slower above its knee than below. [min]

    None where a flight tells no percent.
    """
    each, knee = figures.get("min_per_percent"), figures.get("knee_frac")
    above, below = figures.get("above_knee_min"), figures.get("below_knee_min")
    if knee is None or above is None or below is None:
        return None if each is None else 100.0 * each * (1.0 - left_frac)
    turn = max(knee, left_frac)
    return 100.0 * (above * (1.0 - turn) + below * (turn - left_frac))


def levels_of(words: Sequence[str]) -> dict[str, int]:
    """Return how bad each word of warning is: 0 calm, 1 a first warning, 2 critical."""
    found: dict[str, int] = {}
    for place, word in enumerate(words):
        if word in found:
            continue
        known = level_of(word)
        if known is None:
            known = 0 if place == 0 else min(2, 1 + max((n for n in found.values()), default=0))
        found[word] = known
    return found
