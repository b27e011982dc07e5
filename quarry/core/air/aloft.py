"""Wind at flying height: from a reading near the ground by a law, or from a profile; gusts.

Neither law holds in a still night or within a few heights of trees and houses: a reading at height stands above both.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import MissingInput, OutOfRange, require_range
from quarry.core.base.sources import EUROCODE, MANWELL, PRACTICE, WMO_306, Source
from quarry.core.base.working import Step, formula, note_step

Law = Literal["power", "log"]
LEAST_HEIGHT_M = 0.5
PEAK_FACTOR = 3.5
USUAL_GUST_FACTOR = 1.5  # where a report names no gust, it only says that the gust is less than 5 m/s above the mean


@dataclass(frozen=True, slots=True)
class Cover:
    """What stands on the ground: exponent of the power law, roughness length and displacement of the log law. [m]"""

    key: str
    words: str
    alpha: float
    rough_m: float
    lift_m: float = 0.0
    source: Source = MANWELL


COVERS = {
    c.key: c
    for c in (
        Cover("water", "open water or snow", 0.11, 0.002),
        Cover("grass", "open grass", 1 / 7, 0.03),
        Cover("crops", "low crops, few hedges", 0.18, 0.1),
        Cover("hedges", "many hedges, scattered trees", 0.22, 0.3),
        Cover("wood", "wood or village", 0.28, 0.8, 2.0),
    )
}


def cover_of(key: str) -> Cover:
    """Return a ground cover by its key; raises `MissingInput` naming those known."""
    found = COVERS.get(key)
    if found is None:
        raise MissingInput(f"There is no ground cover called {key}. Choose one of: {', '.join(COVERS)}.", "cover")
    return found


@formula("wind = reading × (height ÷ height of the reading)^α", source=MANWELL, result="wind_m_s")
def wind_by_power_law_m_s(reading_m_s: float, reading_height_m: float, height_m: float, alpha: float) -> float:
    """Return the wind at a height by the power law. [m/s]

    Examples
    --------
    >>> round(wind_by_power_law_m_s(5.0, 10.0, 60.0, 1 / 7), 2)
    6.46
    """
    return reading_m_s * math.pow(height_m / reading_height_m, alpha)


@formula("wind = reading × ln((height − d) ÷ z0) ÷ ln((height of the reading − d) ÷ z0)", source=MANWELL, result="wind_m_s")
def wind_by_log_law_m_s(
    reading_m_s: float, reading_height_m: float, height_m: float, rough_m: float, lift_m: float = 0.0
) -> float:
    """Return the wind at a height by the log law; raises `OutOfRange` where a height lies among the obstacles. [m/s]"""
    if min(reading_height_m, height_m) - lift_m <= rough_m:
        raise OutOfRange(
            f"At {min(reading_height_m, height_m):g} m the log law does not hold over this ground. "
            f"Measure above {lift_m + 2 * rough_m:.1f} m, or use the power law.",
            "reading_height_m",
        )
    return reading_m_s * math.log((height_m - lift_m) / rough_m) / math.log((reading_height_m - lift_m) / rough_m)


@formula("turbulence = 1 ÷ ln(height ÷ z0)", source=EUROCODE, result="turbulence_frac")
def turbulence_frac(height_m: float, rough_m: float) -> float:
    """Return the turbulence intensity over flat ground in neutral air."""
    return 1.0 / math.log(height_m / rough_m)


@formula("gust factor = 1 + peak factor × turbulence", source=EUROCODE, result="gust_factor")
def gust_factor(turbulence_frac: float, peak_factor: float = PEAK_FACTOR) -> float:
    """Return the ratio of a gust of three seconds to the mean of ten minutes."""
    return 1.0 + peak_factor * turbulence_frac


@formula("gust = mean × gust factor", source=PRACTICE, result="gust_m_s")
def gust_m_s(mean_m_s: float, gust_factor: float) -> float:
    """Return the gust that goes with a mean wind. [m/s]"""
    return mean_m_s * gust_factor


@formula("Beaufort: code table 1100, from the mean at 10 m", source=WMO_306, result="beaufort")
def beaufort(mean_m_s: float) -> int:
    """Return the force on the Beaufort scale."""
    bounds = (0.3, 1.6, 3.4, 5.5, 8.0, 10.8, 13.9, 17.2, 20.8, 24.5, 28.5, 32.7)
    return sum(mean_m_s >= b for b in bounds)


@dataclass(frozen=True, slots=True)
class Level:
    """Wind at one height of a profile: mean, bearing it blows from, gust if known."""

    height_m: float
    wind_m_s: float
    from_deg: float
    gust_m_s: float | None = None


@dataclass(frozen=True, slots=True)
class WindAt:
    """Wind at flying height; ``gust_assumed`` says that no gust was given and the usual factor stands in."""

    height_m: float
    wind_m_s: float
    from_deg: float
    gust_m_s: float
    gust_assumed: bool
    how: str


def wind_aloft(levels: Sequence[Level], height_m: float, cover: Cover, law: Law = "power") -> WindAt:
    """Return the wind at a height from a profile or one reading.

    Between two levels the vector is taken linear in the logarithm of height; above the highest and below the lowest
    the law of the ground cover carries the nearest level. Gusts go the same way.

    Raises
    ------
    MissingInput
        There is no level at all.
    OutOfRange
        A height or a speed makes no sense.
    """
    if not levels:
        raise MissingInput("There is no wind for this hour. Enter a reading, or paste a report.", "wind")
    require_range(height_m, LEAST_HEIGHT_M, 1000.0, "height_m", "Flying height", "m")
    known = sorted(levels, key=lambda x: x.height_m)
    for x in known:
        require_range(x.height_m, LEAST_HEIGHT_M, 2000.0, "wind.height_m", "Height of the wind", "m")
        require_range(x.wind_m_s, 0.0, 60.0, "wind.speed_m_s", "Wind speed", "m/s")
    below = [x for x in known if x.height_m <= height_m]
    above = [x for x in known if x.height_m >= height_m]
    if below and above:
        return _between(below[-1], above[0], height_m)
    near = below[-1] if below else above[0]
    note_step(Step("cover", cover.words, "", "what stands on the ground", kind="choice", source=cover.source))
    if law == "log":
        mean = wind_by_log_law_m_s(near.wind_m_s, near.height_m, height_m, cover.rough_m, cover.lift_m)
    else:
        mean = wind_by_power_law_m_s(near.wind_m_s, near.height_m, height_m, cover.alpha)
    ratio = mean / near.wind_m_s if near.wind_m_s > 0 else 1.0
    how = f"from {near.height_m:g} m by the {law} law over {cover.words}"
    return _with_gust(height_m, mean, near.from_deg, None if near.gust_m_s is None else near.gust_m_s * ratio, how)


def _between(low: Level, high: Level, height_m: float) -> WindAt:
    if high.height_m - low.height_m < 1e-9:
        return _with_gust(height_m, low.wind_m_s, low.from_deg, low.gust_m_s, f"given at {low.height_m:g} m")
    share = math.log(height_m / low.height_m) / math.log(high.height_m / low.height_m)
    east, north = (
        (1 - share) * low.wind_m_s * f(math.radians(low.from_deg)) + share * high.wind_m_s * f(math.radians(high.from_deg))
        for f in (math.sin, math.cos)
    )
    mean = (1 - share) * low.wind_m_s + share * high.wind_m_s  # speeds, not the shortened vector: never less wind than given
    turn = math.degrees(math.atan2(east, north)) % 360 if math.hypot(east, north) > 1e-9 else low.from_deg
    gusts = [x.gust_m_s for x in (low, high)]
    gust = None if None in gusts else (1 - share) * float(gusts[0] or 0) + share * float(gusts[1] or 0)
    if gust is None and any(g is not None for g in gusts):
        known = low if low.gust_m_s is not None else high
        gust = mean * float(known.gust_m_s or 0) / known.wind_m_s if known.wind_m_s > 0 else known.gust_m_s
    how = f"between {low.height_m:g} and {high.height_m:g} m of the profile"
    note_step(Step("wind_m_s", mean, "m/s", how + ", linear in the logarithm of height", source=MANWELL))
    return _with_gust(height_m, mean, turn, gust, how)


def _with_gust(height_m: float, mean: float, from_deg: float, gust: float | None, how: str) -> WindAt:
    if gust is not None:
        return WindAt(height_m, mean, from_deg, max(gust, mean), gust_assumed=False, how=how)
    note_step(
        Step(
            "gust_factor",
            USUAL_GUST_FACTOR,
            "",
            "no gust was given: the usual factor over open land stands in",
            source=PRACTICE,
            kind="assumption",
        )
    )
    return WindAt(height_m, mean, from_deg, gust_m_s(mean, USUAL_GUST_FACTOR), gust_assumed=True, how=how)
