"""How far a sortie is, by the clock while it is in the air, and with what charge it is to land."""

from __future__ import annotations

from quarry.core.day.state import DayState, Frame

UNKNOWN_FIXED_FRAC = 0.25  # of a sortie, where the way out and home is not known
MOST_FIXED_FRAC = 0.9


def fixed_part_s(frame: Frame, flight: str, whole_s: float) -> float:
    """Return what a sortie takes however little it works: out, home and landing. [s]"""
    return min(frame.fixed_s.get(flight.rstrip("+"), UNKNOWN_FIXED_FRAC * whole_s), MOST_FIXED_FRAC * whole_s)


def done_frac(frame: Frame, state: DayState, flight: str, now_s: float) -> float | None:
    """Return the share of its lines that a sortie has done: by the clock while it is in the air, as recorded after it.

    None where it has not begun, or where it landed with nothing left undone.
    """
    f = state.flights[flight]
    if f.word == "landed":
        return f.done_frac if f.done_frac < 1.0 else None
    if f.word != "airborne":
        return None
    whole_s = state.sorties[flight].flight_s
    fixed_s = fixed_part_s(frame, flight, whole_s)
    return min(1.0, max(0.0, (now_s - f.takeoff_s - fixed_s / 2) / (whole_s - fixed_s)))


def expected_frac(frame: Frame, state: DayState, flight: str) -> float | None:
    """Return with what share a sortie in the air is to land: what its weakest pack took up less what it takes."""
    f = state.flights[flight]
    if f.word != "airborne":
        return None
    up = min(state.packs[name].frac for name in frame.members[f.set])
    return max(0.0, up - state.sorties[flight].energy_frac)
