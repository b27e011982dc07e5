"""What columns of one log do together: what must agree if they are what they are taken for. Thinned values are enough."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.logs.candidates import Candidate, Sample

Floats = NDArray[np.float64]
FOLLOWS = 0.9  # squared correlation with the charge drawn from which a percent is the pack's
_SUM_FRAC = 0.03
_USUAL_STEPS = 3.0  # a longer step than so many usual ones is a gap: nothing is added up over it
EARTH_M = 111_195.0  # one degree of latitude on a sphere of 6371 km
_FIRMLY, _PLAINLY, _AGAINST = 5.0, 3.0, -4.0
_RISES = 0.03
_OVER_S = 2.5  # slopes are taken over so long: shorter ones are noise
_LEAST_ROWS = 20


@dataclass(frozen=True, slots=True)
class Facts:
    """What is settled before the rest, thinned: seconds, what the cells add up to, and where it is; None where there is none."""

    seconds: Floats | None = None
    cells_sum_v: Floats | None = None
    east_m: Floats | None = None
    north_m: Floats | None = None

    def steps_s(self) -> Floats | None:
        """Return the steps of the clock, 0 over gaps and back; None without a clock."""
        if self.seconds is None or self.seconds.size < _LEAST_ROWS:
            return None
        steps = np.nan_to_num(np.diff(self.seconds))
        usual = float(np.median(steps[steps > 0])) if np.any(steps > 0) else 0.0
        return np.where((steps > 0) & (steps <= _USUAL_STEPS * usual), steps, 0.0)

    def rows_in(self, over_s: float) -> int:
        """Return how many steps make up a time."""
        steps = self.steps_s()
        usual = 1.0 if steps is None or not np.any(steps > 0) else float(np.median(steps[steps > 0]))
        return int(np.clip(round(over_s / usual), 2, 60))


def same_volts(pack_v: Floats, cells_sum_v: Floats) -> float:
    """Return what it says for volts of the pack that cells add up to them, or do not."""
    both = np.isfinite(pack_v) & np.isfinite(cells_sum_v) & (pack_v > 1)
    if both.sum() < _LEAST_ROWS:
        return 0.0
    off = float(np.median(np.abs(cells_sum_v[both] / pack_v[both] - 1.0)))
    return _FIRMLY if off <= _SUM_FRAC else 0.0


def drawn(quantity: str, values: Floats, facts: Facts) -> Floats:
    """Return what grows as a pack is emptied: charge drawn, else current added up, else how far the volts have fallen."""
    if quantity == "used_ah":
        return values
    if quantity == "current_a":
        amps = np.abs(np.nan_to_num(values))
        if facts.seconds is None or facts.seconds.size != amps.size:
            return np.cumsum(amps)
        # Over a gap the current of its ends is taken: what is compared is how much, not exactly when.
        seconds = np.clip(np.nan_to_num(np.diff(facts.seconds)), 0.0, 120.0)
        return np.concatenate(([0.0], np.cumsum((amps[1:] + amps[:-1]) / 2 * seconds)))
    return -values


def falls_with(left: Floats, grown: Floats) -> float:
    """Return how well a column falls as charge is drawn: the squared correlation, within stretches where it does not rise."""
    both = np.isfinite(left) & np.isfinite(grown)
    a, b = left[both], grown[both]
    if a.size < _LEAST_ROWS:
        return 0.0
    wide = max(1e-12, float(np.ptp(a)))
    rises = np.flatnonzero(np.diff(a) > _RISES * max(wide, float(np.max(np.abs(a)))))
    ends = [0, *(rises + 1).tolist(), a.size]
    shares = []
    for i, j in zip(ends, ends[1:], strict=False):
        x, y = a[i:j], b[i:j]
        if x.size < _LEAST_ROWS or np.ptp(x) == 0 or np.ptp(y) == 0:
            continue
        r = float(np.corrcoef(x, y)[0, 1])
        shares.append((x.size, r * r if r < 0 else 0.0))
    rows = sum(n for n, _ in shares)
    return sum(n * r for n, r in shares) / rows if rows >= 0.3 * a.size else 0.0


def _charge_adds_up(amps: Floats, used_ah: Floats, facts: Facts) -> float:
    """Return what it says for current and charge drawn that the one adds up to the other."""
    steps = facts.steps_s()
    if steps is None or steps.size + 1 != amps.size:
        return 0.0
    gained = np.diff(used_ah)
    keep = (steps > 0) & np.isfinite(gained) & np.isfinite(amps[1:]) & np.isfinite(amps[:-1]) & (gained >= 0)
    if keep.sum() < _LEAST_ROWS:
        return 0.0
    added = float(np.sum((np.abs(amps[1:]) + np.abs(amps[:-1]))[keep] / 2 * steps[keep])) / 3600.0
    stated = float(np.sum(gained[keep]))
    if stated <= 0 or added <= 0:
        return 0.0
    ratio = added / stated
    if 0.85 <= ratio <= 1.18:
        return _FIRMLY
    return _AGAINST if not 0.5 <= ratio <= 2.0 else 0.0


def _percent_falls(left: Floats, grown: Floats) -> float:
    known = left[np.isfinite(left)]
    if known.size < _LEAST_ROWS or np.ptp(known) < 0.03:
        return 0.0
    follows = falls_with(left, grown)
    if follows >= FOLLOWS:
        return _PLAINLY * follows
    return _AGAINST if follows < 0.5 else 0.0


def _moved_and_said(said: Floats, places: Sequence[Floats], facts: Facts) -> tuple[list[Floats], Floats] | None:
    """Return by how much places change a second, over stretches without a gap, and the mean of a said speed; None if too few."""
    steps = facts.steps_s()
    wide = facts.rows_in(_OVER_S)
    if steps is None or steps.size + 1 != said.size or said.size < 4 * wide:
        return None
    each = np.ones(wide)
    seconds = np.convolve(steps, each, "valid")
    slopes = [np.convolve(np.diff(p), each, "valid") / np.maximum(seconds, 1e-9) for p in places]
    mean = np.convolve((said[1:] + said[:-1]) / 2, each / wide, "valid")
    keep = (np.convolve(steps == 0, each, "valid") == 0) & np.isfinite(np.sum([*slopes, mean], axis=0))
    return ([slope[keep] for slope in slopes], mean[keep]) if keep.sum() >= _LEAST_ROWS else None


def _rises_at(climb: Floats, height: Floats, facts: Facts) -> float:
    """Return what it says for vertical speed that it is the slope of the height, counted the same way round."""
    found = _moved_and_said(climb, (height,), facts)
    if found is None or np.ptp(found[0][0]) < 0.8:
        return 0.0
    (slope,), said = found
    if float(np.std(said)) == 0:
        return _AGAINST
    ratio = float(np.dot(slope, said)) / float(np.dot(said, said))
    alike = float(np.corrcoef(slope, said)[0, 1])
    return _FIRMLY if alike > 0.7 and 0.55 <= ratio <= 1.7 else _AGAINST


def _moves_at(speed: Floats, east_m: Floats, north_m: Floats, facts: Facts) -> float:
    """Return what it says for ground speed that the position moves by it."""
    found = _moved_and_said(speed, (east_m, north_m), facts)
    if found is None:
        return 0.0
    (east, north), said = found
    moved = np.hypot(east, north)
    fast = moved > 2.0
    if fast.sum() < _LEAST_ROWS:
        return 0.0
    ratio = float(np.median(said[fast] / moved[fast]))
    return _FIRMLY if 0.85 <= ratio <= 1.18 else _AGAINST


def _warms_with(pack_c: Floats, amps: Floats, facts: Facts) -> float:
    """Return what it says for a temperature that it follows the heat of the current slowly, as a pack does."""
    if facts.seconds is None:
        return 0.0
    keep = np.isfinite(pack_c) & np.isfinite(amps) & np.isfinite(facts.seconds)
    if keep.sum() < 60:
        return 0.0
    seconds, heat, warm = facts.seconds[keep], np.square(amps[keep]), pack_c[keep]
    best = {}
    for name, over_s in (("fast", 20.0), ("slow", 300.0)):
        share = 1.0 - np.exp(-np.clip(np.diff(seconds, prepend=seconds[:1]), 0.0, 600.0) / over_s)
        level = np.empty_like(heat)
        at = 0.0
        for k in range(heat.size):
            at += share[k] * (heat[k] - at)
            level[k] = at
        best[name] = float(np.corrcoef(level, warm)[0, 1]) if np.ptp(warm) > 0 and np.ptp(level) > 0 else 0.0
    return float(np.clip(2.0 * (best["slow"] - best["fast"]), -1.5, 1.5))


class Agreement:
    """How well candidates agree with what is settled, and two by two; each is worked out once."""

    def __init__(self, samples: Sequence[Sample], facts: Facts) -> None:
        self._samples, self._facts = samples, facts
        self._alone: dict[tuple[int, str, str], float] = {}
        self._pairs: dict[tuple[int, str, str, int, str, str], float] = {}

    def _values(self, k: int, c: Candidate) -> Floats:
        return self._samples[k].canonical(c.unit)

    def alone(self, k: int, c: Candidate) -> float:
        """Return what speaks for a candidate by what is settled."""
        key = (k, c.quantity, c.unit.name)
        if key not in self._alone:
            self._alone[key] = self._by_settled(k, c)
        return self._alone[key]

    def _by_settled(self, k: int, c: Candidate) -> float:
        cells = self._facts.cells_sum_v
        if c.quantity == "pack_v" and cells is not None:
            return same_volts(self._values(k, c), cells)
        if c.quantity == "left_frac" and cells is not None:
            return 0.3 * _percent_falls(self._values(k, c), -cells)
        east, north = self._facts.east_m, self._facts.north_m
        if c.quantity == "speed_m_s" and east is not None and north is not None:
            return _moves_at(self._values(k, c), east, north, self._facts)
        return 0.0

    def pair(self, k: int, c: Candidate, other: int, d: Candidate) -> float:
        """Return what speaks for two candidates together."""
        if (c.quantity, d.quantity) in _PAIRS:
            key = (k, c.quantity, c.unit.name, other, d.quantity, d.unit.name)
            if key not in self._pairs:
                self._pairs[key] = self._both(c.quantity, d.quantity, self._values(k, c), self._values(other, d))
            return self._pairs[key]
        if (d.quantity, c.quantity) in _PAIRS:
            return self.pair(other, d, k, c)
        return 0.0

    def _both(self, one: str, two: str, a: Floats, b: Floats) -> float:
        facts = self._facts
        if (one, two) == ("current_a", "used_ah"):
            return _charge_adds_up(a, b, facts)
        if one == "left_frac":
            weight = {"used_ah": 1.0, "current_a": 1.0, "pack_v": 0.3}[two]
            return weight * _percent_falls(a, drawn(two, b, facts))
        if one == "climb_m_s":
            return _rises_at(a, b, facts)
        if (one, two) == ("pack_c", "current_a"):
            return _warms_with(a, b, facts)
        if (one, two) == ("cell_high_v", "cell_low_v"):
            return _PLAINLY if float(np.nanmean(a >= b)) > 0.98 else _AGAINST
        raise AssertionError(f"{one} and {two} are no pair")


_PAIRS = {
    ("current_a", "used_ah"),
    ("left_frac", "used_ah"),
    ("left_frac", "current_a"),
    ("left_frac", "pack_v"),
    ("climb_m_s", "height_m"),
    ("climb_m_s", "altitude_m"),
    ("pack_c", "current_a"),
    ("cell_high_v", "cell_low_v"),
}
