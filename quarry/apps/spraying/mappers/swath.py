"""Catches of a swath test to the spacing that is even enough."""

from __future__ import annotations

from collections.abc import Sequence

from quarry.core.base.errors import Infeasible, MissingInput, require_range
from quarry.core.spraying.pattern import WAYS, Pattern, evenness, variation_at


def widest_even(catches: Sequence[tuple[float, float]], wanted_frac: float, way: str) -> tuple[float, float]:
    """Return the widest spacing at which passes are even enough the way they are flown, and how even they are there. [m]

    Raises
    ------
    SprayError
        The catches are none, the way is unknown, or no spacing is even enough.
    """
    if way not in WAYS:
        raise MissingInput(f"Choose how passes are flown: {' or '.join(WAYS)}.", "way")
    pattern = Pattern(tuple(at for at, _ in catches), tuple(caught for _, caught in catches))
    best = evenness(pattern, wanted_frac).best_m[way]
    if best is None:
        raise Infeasible(
            f"Flown {way}, no spacing is as even as {wanted_frac:.0%}. Look at the nozzles, or ask for less.", "wanted_frac"
        )
    return best, variation_at(pattern, best, way)


def check_flown(height_m: float, wind_m_s: float | None) -> None:
    """Raise `SprayError` at the figure of how a test was flown that cannot be."""
    require_range(height_m, 0.5, 60.0, "height_m", "Height above the crop", "m")
    if wind_m_s is not None:
        require_range(wind_m_s, 0.0, 30.0, "wind_m_s", "Wind", "m/s")
