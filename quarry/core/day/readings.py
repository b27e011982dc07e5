"""The last readings of an aircraft in the air: what holds for longer than a moment, and how fast the charge falls."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

KEPT_S = 90.0  # readings older than this say nothing of now
_MOST = 120
_NEXT_S = 15.0  # a reading so shortly before the last is asked whether it saw the same


@dataclass(frozen=True, slots=True)
class Sample:
    """One reading: the lowest cell or the mean of all by the total, under load [V], and the charge shown."""

    at_s: float
    cell_v: float | None = None
    left_frac: float | None = None


def keep(samples: Sequence[Sample], newest: Sample) -> tuple[Sample, ...]:
    """Return the readings to keep, the newest last; one that is not newer than the last is passed over."""
    if samples and newest.at_s <= samples[-1].at_s:
        return tuple(samples)
    young = [s for s in samples if newest.at_s - s.at_s <= KEPT_S]
    return (*young, newest)[-_MOST:]


def held_v(samples: Sequence[Sample], hold_s: float) -> float | None:
    """Return the volts that a cell has not been above for some seconds, so that a dip of a moment is none. [V]

    All readings of the last ``hold_s`` count and the one before them, if it is not long ago; a reading that stands alone
    counts by itself.
    """
    seen = [s for s in samples if s.cell_v is not None]
    if not seen:
        return None
    last = seen[-1]
    inside = [s for s in seen if last.at_s - s.at_s <= hold_s]
    before = [s for s in seen if s.at_s < inside[0].at_s and last.at_s - s.at_s <= _NEXT_S]
    return max(s.cell_v or 0.0 for s in (*before[-1:], *inside))


def fall_of(samples: Sequence[Sample], within_s: float) -> tuple[float, float] | None:
    """Return by how much the charge has fallen within some seconds, and in how many; None where too little was read."""
    seen = [(s.at_s, s.left_frac) for s in samples if s.left_frac is not None]
    if len(seen) < 2:
        return None
    at_s, left = seen[-1]
    recent = [(at_s - t, frac - left) for t, frac in seen[:-1] if at_s - t <= within_s]
    if not recent:
        return None
    most = max(drop for _, drop in recent)
    return most, min(s for s, drop in recent if drop == most)


def slope_v_s(samples: Sequence[Sample]) -> float | None:
    """Return how fast a cell falls, by least squares over what is kept; None below three readings or 20 s. [V/s]"""
    seen = [(s.at_s, s.cell_v) for s in samples if s.cell_v is not None]
    if len(seen) < 3 or seen[-1][0] - seen[0][0] < 20.0:
        return None
    mean_t, mean_v = (sum(x[k] for x in seen) / len(seen) for k in (0, 1))
    spread = sum((t - mean_t) ** 2 for t, _ in seen)
    return sum((t - mean_t) * (v - mean_v) for t, v in seen) / spread
