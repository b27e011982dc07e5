"""The nearest place to land: home, or a fallback that was chosen before take-off."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from quarry.core.ground.geodesy import distance_m

Spot = tuple[str, float, float]


@dataclass(frozen=True, slots=True)
class Nearest:
    """A place by its name, and how far it is. [m]"""

    name: str
    away_m: float

    def words(self) -> str:
        """Return it as it is read out."""
        return f"{self.name}, {self.away_m:.0f} m"


def nearest(lon_deg: float, lat_deg: float, spots: Iterable[Spot]) -> Nearest | None:
    """Return the nearest of some places as (name, longitude, latitude); None where there is none."""
    found = [Nearest(name, distance_m(lon_deg, lat_deg, lon, lat)) for name, lon, lat in spots]
    return min(found, key=lambda n: n.away_m, default=None)
