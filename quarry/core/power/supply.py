"""What a supply can give to chargers: continuous rating less headroom."""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.base.errors import require_range
from quarry.core.base.sources import PRACTICE
from quarry.core.base.working import formula
from quarry.core.power.generator import generator_w

STANDARD_AIR_C = 15.0


@dataclass(frozen=True, slots=True)
class Supply:
    """A generator, mains outlet or vehicle as its plate says."""

    name: str
    rated_w: float
    headroom_frac: float = 0.2

    def __post_init__(self) -> None:
        require_range(self.rated_w, 50.0, 500_000.0, "supply.rated_w", "Continuous rating", "W")
        require_range(self.headroom_frac, 0.0, 0.6, "supply.headroom_frac", "Headroom", "")


@formula("can give = continuous rating × (1 − headroom)", source=PRACTICE, result="can_give_w")
def can_give_w(rated_w: float, headroom_frac: float) -> float:
    """Return what may be drawn steadily. [W]

    Examples
    --------
    >>> can_give_w(2000.0, 0.25)
    1500.0
    """
    return rated_w * (1.0 - headroom_frac)


def supply_watts(
    rated_w: float, headroom_frac: float, *, generator: bool, elevation_m: float = 0.0, air_c: float = STANDARD_AIR_C
) -> float:
    """Return what a supply can give after headroom; a generator less in thin or hot air. [W]"""
    plate = Supply("supply", rated_w, headroom_frac)
    return can_give_w(generator_w(plate.rated_w, elevation_m, air_c) if generator else plate.rated_w, plate.headroom_frac)
