"""What the product begins with where nobody has said otherwise: each figure once, with unit, range and reason.

Thresholds that a company sets for itself are settings (`core/packs/policy.py`, `core/limits/quantities.py`); these are the
figures that new jobs, days, models and calculators begin with. Whoever enters another figure has that.
"""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.base.errors import require_range
from quarry.core.base.sources import ASSUMED, PRACTICE, Source


@dataclass(frozen=True, slots=True)
class Default:
    """A figure to begin with: ``value`` in ``unit`` between ``low`` and ``high``, and why this one."""

    key: str
    words: str
    value: float
    unit: str
    low: float
    high: float
    reason: str
    source: Source = PRACTICE

    def check(self, value: float, field: str = "") -> float:
        """Return a value; raises `OutOfRange` at the field where it cannot be."""
        require_range(value, self.low, self.high, field or self.key.rsplit(".", 1)[-1], self.words, self.unit)
        return value


LANDING = Default("sortie.landing_frac", "Land with at least", 0.30, "", 0.05, 0.9, "nobody knows the last third of a pack well")
FLOOR = Default("sortie.floor_frac", "Never below", 0.20, "", 0.0, 0.8, "below it cells sag without warning")
OVERLAP = Default("sortie.overlap_m", "Overlap where it goes on", 15.0, "m", 0.0, 500.0, "covers the error of a position")
SPARE = Default("sortie.keep_spare_s", "Time margin", 30.0, "s", 0.0, 3600.0, "one missed landing approach")
CLEARANCE = Default(
    "sortie.clearance_m", "Clearance above obstacles", 20.0, "m", 0.0, 500.0, "above the highest thing on the way"
)
PAYLOAD = Default("sortie.load_kg", "Extra payload", 0.0, "kg", 0.0, 500.0, "nothing beyond what the aircraft always carries")

OPENS = Default("day.opens_h", "The day opens at", 8.0, "h", 0.0, 24.0, "packs are charged and the crew is on site", ASSUMED)
CLOSES = Default("day.closes_h", "The day closes at", 17.0, "h", 0.0, 24.0, "time to pack up by daylight", ASSUMED)
SWAP = Default("day.swap_s", "Swap", 240.0, "s", 0.0, 3600.0, "land, change the packs, check, take off", ASSUMED)
REST_AFTER_FLIGHT = Default(
    "day.rest_after_flight_s", "Rest after flight", 600.0, "s", 0.0, 14_400.0, "a warm cell ages on the port"
)
REST_AFTER_CHARGE = Default(
    "day.rest_after_charge_s", "Rest after charge", 300.0, "s", 0.0, 14_400.0, "the voltage settles and can be checked"
)
BENCH = Default("day.bench_c", "Where the packs lie", 18.0, "°C", -30.0, 45.0, "a heated van", ASSUMED)
ELEVATION = Default("day.elevation_m", "Elevation of the site", 0.0, "m", -430.0, 6000.0, "sea level until it is known", ASSUMED)
PACK_START = Default("day.start_frac", "Charge when the day begins", 0.6, "", 0.0, 1.0, "as it is stored", PRACTICE)

WIND_SPEED = Default(
    "wind.speed_m_s", "Assumed wind", 4.0, "m/s", 0.0, 40.0, "a breeze, until a forecast or a measurement is taken", ASSUMED
)
WIND_FROM = Default(
    "wind.from_deg", "Assumed wind from", 240.0, "°", 0.0, 360.0, "any direction serves until one is known", ASSUMED
)
WIND_HEIGHT = Default("wind.height_m", "Height of the assumed wind", 60.0, "m", 0.5, 1000.0, "a usual flying height", ASSUMED)
AIR = Default("wind.air_c", "Air temperature", 15.0, "°C", -50.0, 60.0, "the standard atmosphere at sea level", ASSUMED)

DEFAULTS: tuple[Default, ...] = (
    LANDING,
    FLOOR,
    OVERLAP,
    SPARE,
    CLEARANCE,
    PAYLOAD,
    OPENS,
    CLOSES,
    SWAP,
    REST_AFTER_FLIGHT,
    REST_AFTER_CHARGE,
    BENCH,
    ELEVATION,
    PACK_START,
    WIND_SPEED,
    WIND_FROM,
    WIND_HEIGHT,
    AIR,
)
