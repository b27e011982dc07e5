"""How far a sortie is, by the clock while it is in the air, and with what charge it is to land."""

from __future__ import annotations

import math

from quarry.core.day.remainder import takes_frac
from quarry.core.day.state import DayState, Frame


def done_frac(frame: Frame, state: DayState, flight: str, now_s: float) -> float | None:
    """Return the share of its lines that a sortie has done: by the clock while it is in the air and works, as recorded after it.

    None where it has not begun, or where it landed with nothing left undone.
    """
    f = state.flights[flight]
    if f.word == "landed":
        return f.done_frac if f.done_frac < 1.0 else None
    if f.word != "airborne":
        return None
    until_s = f.homing_s if math.isfinite(f.homing_s) else now_s
    return frame.done_by_clock(flight, state.sorties[flight].flight_s, until_s - f.takeoff_s)


def expected_frac(frame: Frame, state: DayState, flight: str) -> float | None:
    """Return with what share a sortie in the air is to land: what its weakest pack took up less what it takes."""
    f = state.flights[flight]
    if f.word != "airborne":
        return None
    up = min(state.packs[name].frac for name in frame.members[f.set])
    return max(0.0, up - takes_frac(frame, state, f))
