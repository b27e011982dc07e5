"""What each part of a flight drew: hover, climb, lines, turns, ways out and home."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.logs.flight import Span
from quarry.core.logs.reading import Log

Floats = NDArray[np.float64]
ORDER = ("hover", "climb", "sink", "line", "turn", "transit")


@dataclass(frozen=True, slots=True)
class PhaseDraw:
    """All stretches of one kind in a flight: how long, and the mean draw; None where the log tells no current or volts."""

    name: str
    length_s: float
    mean_a: float | None
    mean_w: float | None
    wh: float | None


def draw_by_phase(flight: Log, phases: Sequence[Span]) -> tuple[PhaseDraw, ...]:
    """Return the draw of each kind of stretch, in the order of `ORDER`; kinds that were not flown are left out."""
    t = flight.time_s
    current, volts = flight.numbers.get("current_a"), pack_volts(flight)
    amps = _summed(t, np.abs(current)) if current is not None else None
    watts = _summed(t, np.abs(current) * volts) if current is not None and volts is not None else None
    found = []
    for name in ORDER:
        of_name = [p for p in phases if p.name == name]
        length = sum(p.length_s for p in of_name)
        if length <= 0:
            continue
        ah = _within(t, amps, of_name)
        wh = _within(t, watts, of_name)
        found.append(
            PhaseDraw(
                name,
                length,
                ah * 3600.0 / length if ah is not None else None,
                wh * 3600.0 / length if wh is not None else None,
                wh,
            )
        )
    return tuple(found)


def pack_volts(flight: Log) -> Floats | None:
    """Return the volts of the pack: told, or the sum of its cells. [V]"""
    volts = flight.numbers.get("pack_v")
    if volts is not None:
        return volts
    return flight.cells_v.sum(axis=1) if flight.cells_v is not None else None


def _summed(t: Floats, values: Floats) -> Floats:
    """Return the running integral over time, in units of the values × hours."""
    filled = np.nan_to_num(values)
    return np.concatenate(([0.0], np.cumsum((filled[1:] + filled[:-1]) / 2 * np.diff(t)))) / 3600.0


def _within(t: Floats, summed: Floats | None, spans: Sequence[Span]) -> float | None:
    if summed is None:
        return None
    edges = np.array([[p.start_s, p.end_s] for p in spans])
    return float(np.sum(np.interp(edges[:, 1], t, summed) - np.interp(edges[:, 0], t, summed)))
