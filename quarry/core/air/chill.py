"""Wind chill: how cold a wind feels on bare skin, and how long a crew may stand in it."""

from __future__ import annotations

import math

from quarry.core.base.sources import CHILL, PRACTICE
from quarry.core.base.units import kmh_from_m_s
from quarry.core.base.working import Step, formula, note_step


@formula(
    "chill = 13.12 + 0.6215 t − 11.37 v^0.16 + 0.3965 t v^0.16, v in km/h at 10 m; the air's own in calm or above 10 °C",
    source=CHILL,
    result="chill_c",
)
def wind_chill_c(air_c: float, wind_m_s: float) -> float:
    """Return the wind chill; the air's own temperature above 10 °C or below 1.3 m/s, where the formula does not hold. [°C]

    Examples
    --------
    >>> round(wind_chill_c(-10.0, 30 / 3.6))
    -20
    """
    if air_c > 10.0 or wind_m_s < 1.34:
        return air_c
    v = math.pow(kmh_from_m_s(wind_m_s), 0.16)
    return min(air_c, 13.12 + 0.6215 * air_c - 11.37 * v + 0.3965 * air_c * v)


def relief_s(chill_c: float) -> float | None:
    """Return after how long a crew outdoors should be relieved to warm up; None where no relief is needed. [s]

    Common practice, no source: an hour and a half below −5, an hour below −15, half an hour below −27.
    """
    steps = ((-27.0, 1800.0), (-15.0, 3600.0), (-5.0, 5400.0))
    found = next((s for limit, s in steps if chill_c <= limit), None)
    if found is not None:
        note_step(Step("relief_s", found, "s", "relief of the crew by wind chill", source=PRACTICE, kind="choice"))
    return found
