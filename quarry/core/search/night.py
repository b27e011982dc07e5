"""When a thermal camera sees people, and when eyes do: by the sun and the warmth of air and ground.

Common practice, no source: contrast is what counts. Ground and rock keep the sun's heat into the evening; in warm air over warm
ground a person stands out little; wet ground and fog hide warmth.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

_BODY_C = 30.0  # clothed surface of a person, about
_LITTLE_K = 6.0
_KEPT_S = 2 * 3600.0  # ground gives the sun's heat back for about so long after sunset


@dataclass(frozen=True, slots=True)
class ThermalHour:
    """Whether a thermal camera helps at a moment: good, fair or poor, and why."""

    word: Literal["good", "fair", "poor"]
    why: str


def thermal_hour(around_c: float | None, since_sunset_s: float | None, *, sun_up: bool) -> ThermalHour:
    """Return how well a thermal camera sees a person.

    Parameters
    ----------
    around_c : float or None
        Temperature of ground, or of air where none is known. [°C]
    since_sunset_s : float or None
        Time since the sun went down; None by day and where it does not set. [s]
    sun_up : bool
        Whether the sun heats ground and rock now.
    """
    if around_c is not None and abs(_BODY_C - around_c) < _LITTLE_K:
        return ThermalHour("poor", f"{around_c:.0f} °C round about is nearly as warm as a person: eyes see more")
    if sun_up:
        return ThermalHour("fair", "the sun heats rock and ground: many warm spots are none")
    if since_sunset_s is not None and since_sunset_s < _KEPT_S:
        return ThermalHour("fair", "rock still gives back the day's heat; it is better later in the night")
    return ThermalHour("good", "ground has cooled: until the sun is up a person stands out best")
