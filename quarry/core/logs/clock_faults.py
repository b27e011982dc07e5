"""What clocks of logs do wrong: set during the log, jumping in flight, running back; mended where the log tells what is right."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.logs.contradictions import Hold

Floats = NDArray[np.float64]
_JUMP_S, _JUMP_TIMES = 60.0, 50.0
_UNSET_S = 1_104_537_600.0  # 2005: a clock that tells an earlier time has not been set (common practice, no source)
_FLIES_FRAC = 0.25  # of the hard draw
_FLIES_M = 2.0
_SAME_FRAC = 0.3  # less than this share of what a gap would have used: the clock jumped, the aircraft did not fly on


@dataclass(frozen=True, slots=True)
class Mended:
    """Times with what could be put right, what was found, and what holds the log because it cannot be told."""

    time_s: Floats
    doubts: tuple[str, ...] = ()
    holds: tuple[Hold, ...] = ()


def mended(time_s: Floats, numbers: Mapping[str, Floats], *, dated: bool) -> Mended:
    """Return the times of rows in order, with jumps of the clock taken out.

    A jump on the ground is a break of the log and stays. One in the air is a gap where about as much charge is gone as the
    time would have used, and a jump of the clock where hardly any is: then the time between is taken out.
    """
    steps = np.diff(time_s)
    if not steps.size:
        return Mended(time_s)
    usual = float(np.median(steps[steps > 0])) if np.any(steps > 0) else 1.0
    jumps = np.flatnonzero(steps > max(_JUMP_S, _JUMP_TIMES * usual))
    made = np.array(time_s)
    doubts: list[str] = []
    holds: list[Hold] = []
    for j in jumps:
        step = float(steps[j])
        if dated and time_s[j] < _UNSET_S <= time_s[j + 1]:
            made[: j + 1] += step - usual
            doubts.append("its clock was set during the log: what came before is set right by it")
        elif _flies(numbers, int(j)) and _flies(numbers, int(j) + 1):
            used = _used_frac_of_expected(time_s, numbers, int(j), jumps)
            if used is None:
                words = f"its clock jumps by {_long(step)} in flight, and nothing tells whether it flew on"
                holds.append(Hold(words, int(j) + 1, splits=True))
            elif used < _SAME_FRAC:
                made[j + 1 :] -= step - usual
                doubts.append(f"its clock jumps by {_long(step)} in flight: the time between is taken out")
    return Mended(made, tuple(doubts), tuple(holds))


def breaks_in(time_s: Floats) -> NDArray[np.int64]:
    """Return the rows, as written, before which a clock goes back, or jumps ahead by more than its rows lie apart."""
    steps = np.diff(time_s)
    if not np.any(steps > 0):
        return np.empty(0, dtype=np.int64)
    usual = float(np.median(steps[steps > 0]))
    far = max(_JUMP_S, _JUMP_TIMES * usual)
    return np.flatnonzero((steps < -_JUMP_S) | (steps > far)) + 1


def _long(seconds: float) -> str:
    return f"{seconds / 3600:.1f} h" if seconds >= 5400 else f"{seconds / 60:.0f} min"


def _flies(numbers: Mapping[str, Floats], at: int) -> bool:
    current = numbers.get("current_a")
    if current is not None and np.isfinite(current).any():
        near = np.abs(current[max(0, at - 3) : at + 4])
        hard = float(np.nanpercentile(np.abs(current), 90))
        if hard > 0 and np.isfinite(near).any():
            return bool(np.nanmean(near) > _FLIES_FRAC * hard)
    height = numbers.get("height_m")
    return height is not None and bool(np.isfinite(height[at])) and float(height[at]) > _FLIES_M


def _used_frac_of_expected(time_s: Floats, numbers: Mapping[str, Floats], j: int, jumps: NDArray[np.int64]) -> float | None:
    """Return the charge that is gone over a jump as a share of what the time would have used; None where no charge is told."""
    whole = float(time_s[-1] - time_s[0] - np.sum(np.diff(time_s)[jumps]))
    for name, sign in (("used_ah", 1.0), ("left_frac", -1.0), ("pack_v", -1.0)):
        values = numbers.get(name)
        if values is None or whole <= 0 or not np.isfinite(values[[j, j + 1]]).all():
            continue
        known = values[np.isfinite(values)]
        moved = sign * float(known[-1] - known[0]) - sum(
            sign * float(values[k + 1] - values[k]) for k in jumps if np.isfinite(values[[k, k + 1]]).all()
        )
        if moved <= 0:
            continue
        expected = moved / whole * float(time_s[j + 1] - time_s[j])
        # Percent comes in whole numbers: less than two of them tell nothing.
        if name == "left_frac" and expected < 0.02:
            continue
        return sign * float(values[j + 1] - values[j]) / expected
    return None
