"""What a company says about how covered ground is judged."""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.base.settings import Setting
from quarry.core.base.sources import ASSUMED

SETTINGS: tuple[Setting, ...] = (
    Setting(
        "covered.position_m",
        "As flown",
        "A recorded position may be off by",
        1.0,
        "narrower than this a strip cannot be told from the error of a position: it is no gap",
        "m",
        1.0,
        0.01,
        10.0,
    ),
    Setting(
        "covered.bridged_s",
        "As flown",
        "A straight line bridges a dropout of up to",
        5.0,
        "longer than this nobody knows where the aircraft was: the ground counts as not covered",
        "s",
        1.0,
        0.5,
        60.0,
    ),
    Setting(
        "covered.fall_m_s",
        "As flown",
        "Drops fall at",
        3.0,
        "pushed down by the rotors; without them a drop of a quarter of a millimetre falls at about a third of it and drifts farther",
        "m/s",
        1.0,
        0.05,
        12.0,
        source=ASSUMED,
    ),
)


@dataclass(frozen=True, slots=True)
class CoveredPolicy:
    """How far a recorded position may be off [m], the longest dropout that is bridged [s], and how fast drops fall [m/s]."""

    position_m: float = 1.0
    bridged_s: float = 5.0
    fall_m_s: float = 3.0
