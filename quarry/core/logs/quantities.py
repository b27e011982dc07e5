"""What a flight log may hold: each quantity with its units, and where its values lie.

What names them stands in `words.py`. Ranges only tell one unit from another, and a percent from a share: they are common
practice, with no source, and refuse nothing.
"""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.logs.lexicon import DIMENSION, UNITS, Unit


@dataclass(frozen=True, slots=True)
class Quantity:
    """One thing that a log may hold; ``low`` to ``high`` is where nearly all values of a flight lie, in its first unit.

    ``essential``: a person is asked where it is unsure which column holds it. ``of_pack``: it is the pack's own.
    """

    name: str
    low: float = 0.0
    high: float = 0.0
    essential: bool = False
    of_pack: bool = False

    @property
    def dimension(self) -> str:
        """Return what it is measured in."""
        return DIMENSION[self.name]

    @property
    def units(self) -> tuple[Unit, ...]:
        """Return the units that it may come in, the canonical one first."""
        return UNITS[self.dimension]

    @property
    def text(self) -> bool:
        """Return whether it is words and no number."""
        return self.dimension == "text"


QUANTITIES: tuple[Quantity, ...] = (
    Quantity("time_s", 0.0, 4e9, essential=True),
    Quantity("date_s", 0.0, 4e9, essential=True),
    Quantity("left_frac", 0.0, 1.005, essential=True, of_pack=True),
    Quantity("cell_v", 2.4, 4.5, essential=True, of_pack=True),
    Quantity("cell_low_v", 2.4, 4.5, of_pack=True),
    Quantity("cell_high_v", 2.4, 4.5, of_pack=True),
    Quantity("pack_v", 5.0, 70.0, essential=True, of_pack=True),
    Quantity("current_a", -300.0, 300.0, essential=True, of_pack=True),
    Quantity("used_ah", 0.0, 100.0, of_pack=True),
    Quantity("pack_c", -40.0, 90.0, of_pack=True),
    Quantity("air_c", -50.0, 60.0),
    Quantity("height_m", -300.0, 6000.0),
    Quantity("altitude_m", -500.0, 9000.0),
    Quantity("climb_m_s", -25.0, 25.0),
    Quantity("speed_m_s", 0.0, 45.0),
    Quantity("lat_deg", -90.0, 90.0, essential=True),
    Quantity("lon_deg", -180.0, 180.0, essential=True),
    Quantity("pitch_deg", -90.0, 90.0),
    Quantity("roll_deg", -180.0, 180.0),
    Quantity("heading_deg", -180.0, 360.0),
    Quantity("camera_pitch_deg", -120.0, 60.0),
    Quantity("wind_m_s", 0.0, 40.0),
    Quantity("wind_from_deg", -180.0, 360.0),
    Quantity("throttle_frac", 0.0, 1.005),
    Quantity("satellites", 0.0, 60.0),
    Quantity("flow_l_min", 0.0, 60.0),
    Quantity("sprays", 0.0, 100.0),
    Quantity("photos", 0.0, 50_000.0),
    Quantity("mode"),
    Quantity("warning"),
    Quantity("firmware"),
    Quantity("serial", essential=True, of_pack=True),
    Quantity("airframe"),
)
BY_NAME = {q.name: q for q in QUANTITIES}
