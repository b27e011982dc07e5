"""What can be limited: each quantity with its words, unit, which side is dangerous, and how near is too near.

``care`` is the width of the band before a limit in which it is a go with care: in the quantity's unit, or as a share
of the limit for winds, where the policy sets it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import MissingInput

When = Literal["hour", "take-off"]


@dataclass(frozen=True, slots=True)
class Quantity:
    """A limited quantity; shown value = value × ``scale`` in ``unit``.

    ``when``: known for every hour from a forecast, or read before a take-off. ``sides``: which limits make sense.
    ``care_most`` stands for ``care`` on the side of the most where the two differ. ``banded``: bands are shares of the limit. ``low`` and ``high`` bound what can be entered at all.
    ``no_override``: nobody may fly past it.
    """

    key: str
    words: str
    unit: str
    when: When
    sides: Literal["most", "least", "both"]
    low: float
    high: float
    scale: float = 1.0
    care: float = 0.0
    care_most: float | None = None
    banded: bool = False
    no_override: bool = False
    decimals: int = 1
    how: str = ""


QUANTITIES: dict[str, Quantity] = {
    q.key: q
    for q in (
        Quantity("gust_m_s", "Gust at flying height", "m/s", "hour", "most", 0, 60, banded=True),
        Quantity("wind_m_s", "Mean wind at flying height", "m/s", "hour", "most", 0, 60, banded=True),
        Quantity("air_c", "Air temperature", "°C", "hour", "both", -60, 60, care=2.0),
        Quantity(
            "spread_k",
            "Spread to the dew point",
            "K",
            "hour",
            "least",
            0,
            60,
            care=1.0,
            how="small: fog, wet lenses, ice on props",
        ),
        Quantity(
            "humidity_frac",
            "Relative humidity",
            "%",
            "hour",
            "both",
            0,
            1,
            100.0,
            care=0.05,
            decimals=0,
            how="low: droplets dry before they land",
        ),
        Quantity("rain_mm_h", "Rain", "mm/h", "hour", "most", 0, 300, care=0.0),
        Quantity("snow_mm_h", "Snow, as water", "mm/h", "hour", "most", 0, 100, care=0.0),
        Quantity("visibility_m", "Visibility", "m", "hour", "least", 0, 1e5, care=500.0, decimals=0),
        Quantity("ceiling_m", "Cloud base above the ground", "m", "hour", "least", 0, 20_000, care=30.0, decimals=0),
        Quantity(
            "thunder_count",
            "Thunderstorm",
            "",
            "hour",
            "most",
            0,
            1,
            decimals=0,
            how="1 where a thunderstorm is forecast or thunder is heard",
        ),
        Quantity(
            "sun_deg", "Daylight: height of the sun", "°", "hour", "least", -90, 90, care=3.0, how="civil twilight ends at −6°"
        ),
        Quantity(
            "delta_t_k",
            "Delta-T",
            "°C",
            "hour",
            "both",
            0,
            40,
            care=0.0,
            care_most=2.0,
            how="air less wet bulb: how fast droplets dry",
        ),
        Quantity(
            "spray_wind_m_s",
            "Wind at the nozzles",
            "m/s",
            "hour",
            "both",
            0,
            30,
            how="drift above, still air with inversion below",
        ),
        Quantity("chill_c", "Wind chill for people", "°C", "hour", "least", -60, 40, care=8.0, decimals=0),
        Quantity("pack_c", "Pack temperature", "°C", "take-off", "both", -40, 80, care=5.0, no_override=True),
        Quantity("rest_v", "Lowest cell at rest", "V", "take-off", "least", 1, 4.5, care=0.03, decimals=2),
        Quantity("load_v", "Lowest cell under load", "V", "take-off", "least", 1, 4.5, care=0.15, no_override=True, decimals=2),
        Quantity("charge_frac", "Charge before take-off", "%", "take-off", "least", 0, 1, 100.0, care=0.02, decimals=0),
        Quantity("satellites_count", "Satellites", "", "take-off", "least", 0, 60, care=2.0, decimals=0),
        Quantity("controller_frac", "Controller charge", "%", "take-off", "least", 0, 1, 100.0, care=0.15, decimals=0),
        Quantity("tablet_frac", "Tablet charge", "%", "take-off", "least", 0, 1, 100.0, care=0.15, decimals=0),
        Quantity("payload_kg", "Load carried", "kg", "take-off", "most", 0, 200, care=0.0, decimals=2),
        Quantity("height_m", "Height above take-off", "m", "take-off", "most", 0, 1000, care=5.0, decimals=0),
        Quantity("above_crop_m", "Height above the crop when spraying", "m", "take-off", "both", 0, 60, care=0.5, decimals=1),
        Quantity("farthest_m", "Farthest from home", "m", "take-off", "most", 0, 50_000, care=50.0, decimals=0),
        Quantity(
            "return_clear_m", "Return height above ground and obstacles", "m", "take-off", "least", 0, 500, care=5.0, decimals=0
        ),
    )
}


def quantity_of(key: str) -> Quantity:
    """Return a quantity by its key; raises `MissingInput` if there is none."""
    found = QUANTITIES.get(key)
    if found is None:
        raise MissingInput(f"There is nothing called {key} to limit.", key)
    return found


def shown(q: Quantity, value: float) -> str:
    """Return a value as people read it, with its unit."""
    return f"{value * q.scale:.{q.decimals}f}{' ' if q.unit else ''}{q.unit}"
