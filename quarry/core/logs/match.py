"""Which recorded flight a log belongs to: by time, length, the pack's number and what charge it used; doubt is said."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

_NEAR_S = 900.0  # clocks of aircraft and crew differ by some minutes
_ZONES_S = 14 * 3600.0
_STEP_S = 900.0  # clocks of the world differ by whole quarters of an hour
_SURE, _RIVAL, _RIVAL_OFF = 0.6, 0.35, 0.1


@dataclass(frozen=True, slots=True)
class Flown:
    """A flight that somebody recorded. Times are seconds since 1970, shares 0 to 1; NaN where they were not told."""

    key: str
    serials: tuple[str, ...]
    start_s: float
    length_s: float
    from_frac: float = math.nan
    to_frac: float = math.nan


@dataclass(frozen=True, slots=True)
class Match:
    """A recorded flight that a log may be of, how well it fits (0 to 1), how far its clock would be off, and why."""

    key: str
    score_frac: float
    off_s: float
    why: str


def matches_of(
    began_s: float, length_s: float, serial: str, recorded: Sequence[Flown], *, zoned: bool, to_frac: float = math.nan
) -> tuple[tuple[Match, ...], bool]:
    """Return the recorded flights that a log may be of, best first, and whether the first is sure.

    Parameters
    ----------
    began_s, length_s : float
        Take-off of the log as its clock tells it, and how long it flew. [s]
    serial : str
        Number of the pack that the log tells, or nothing.
    recorded : sequence of Flown
    zoned : bool
        Its clock is known to be UTC; else it may be off by whole quarters of an hour.
    """
    found = []
    for f in recorded:
        off = f.start_s - began_s
        whole = 0.0 if zoned else _STEP_S * round(off / _STEP_S)
        if abs(whole) > _ZONES_S or abs(off - whole) > _NEAR_S:
            continue
        found.append(_one(f, off, whole, length_s, serial, to_frac))
    found.sort(key=lambda m: -m.score_frac)
    best = tuple(m for m in found if m.score_frac > 0.15)[:5]
    sure = (
        bool(best)
        and best[0].score_frac >= _SURE
        and all(m.score_frac < best[0].score_frac - _apart(best[0], m) for m in best[1:])
    )
    return best, sure


def _apart(best: Match, other: Match) -> float:
    """Return how far a rival must lie behind: one that needs the clock to be wrong is none beside one that does not."""
    return _RIVAL_OFF if best.off_s == 0 and other.off_s != 0 else _RIVAL


def _one(f: Flown, off: float, whole: float, length_s: float, serial: str, to_frac: float) -> Match:
    near = 1.0 - abs(off - whole) / _NEAR_S
    longer = abs(math.log(max(20.0, f.length_s) / max(20.0, length_s)))
    alike = max(0.0, 1.0 - longer / 0.5)
    score = 0.55 * near + 0.45 * alike
    words = [f"take-off {abs(off - whole) / 60:.0f} min apart", f"{f.length_s / 60:.1f} against {length_s / 60:.1f} min"]
    if serial and f.serials:
        if serial.lower() in {s.lower() for s in f.serials}:
            score = 0.35 + 0.65 * score
            words.append(f"the pack says {serial}")
        else:
            score *= 0.3
            words.append(f"the log names pack {serial}, not {' or '.join(f.serials)}")
    if math.isfinite(to_frac) and math.isfinite(f.to_frac) and abs(to_frac - f.to_frac) > 0.12:
        score *= 0.7
        words.append(f"landed with {to_frac:.0%}, not {f.to_frac:.0%}")
    if whole:
        known = bool(serial) and serial.lower() in {s.lower() for s in f.serials}
        score *= 0.75 if known else 0.6
        words.append(f"if its clock is {whole / 3600:+g} h off")
    return Match(f.key, min(1.0, max(0.0, score)), whole, ", ".join(words))
