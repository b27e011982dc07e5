"""Air that does not mix, and rain that comes too soon.

In an inversion cool air lies under warm air: fine drops hang in it and drift far, in a wind too light to feel. It is measured by the
temperature at two heights; without that, a low sun, a light wind and little cloud are its signs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from quarry.core.base.settings import Setting
from quarry.core.base.sources import INVERSION
from quarry.core.base.working import formula

# A ceiling is broken or overcast cloud, five eighths or more; where a report has none there are fewer.
BROKEN_FRAC, FEW_FRAC, LOW_CLOUD_M = 0.75, 0.25, 3000.0
RISES_K = 0.1  # upper air warmer by less is within what two thermometers differ


@dataclass(frozen=True, slots=True)
class StillAirPolicy:
    """From when signs speak of an inversion: the sun below, the wind below, the cloud below."""

    sun_deg: float = 5.0
    wind_m_s: float = 3.0
    cloud_frac: float = 0.5


_D = StillAirPolicy()
SETTINGS: tuple[Setting, ...] = (
    Setting(
        "still.sun_deg",
        "Spraying",
        "An inversion is likely with the sun lower than",
        _D.sun_deg,
        "the ground cools the air above it from before sunset until after sunrise",
        "°",
        low=0.0,
        high=20.0,
        source=INVERSION,
    ),
    Setting(
        "still.wind_m_s",
        "Spraying",
        "and in a wind at the nozzles below",
        _D.wind_m_s,
        "more wind mixes the air",
        "m/s",
        low=0.5,
        high=6.0,
        source=INVERSION,
    ),
    Setting(
        "still.cloud_frac",
        "Spraying",
        "and under less cloud than",
        _D.cloud_frac,
        "cloud keeps the ground from cooling",
        "%",
        100.0,
        0.0,
        1.0,
        source=INVERSION,
    ),
)


@formula("rise = temperature above − temperature below", source=INVERSION, result="rise_k")
def rise_k(upper_c: float, lower_c: float) -> float:
    """Return by how much air is warmer above than below: above nothing, it does not mix. [K]"""
    return upper_c - lower_c


@dataclass(frozen=True, slots=True)
class AirSigns:
    """What is known of the air near the ground. None is not known."""

    sun_deg: float | None = None
    wind_m_s: float | None = None
    cloud_frac: float | None = None
    rise_k: float | None = None


def inverted(s: AirSigns, p: StillAirPolicy | None = None) -> tuple[bool, bool, str]:
    """Return whether the air is inverted, whether that was measured, and why in words.

    Measured stands above signs: air that was measured to mix is not called inverted.
    """
    p = p or StillAirPolicy()
    if s.rise_k is not None:
        if s.rise_k > RISES_K:
            return True, True, f"{s.rise_k:.1f} °C warmer above than below, as measured: an inversion"
        return False, True, f"{-s.rise_k:.1f} °C cooler above than below, as measured: air mixes"
    if s.sun_deg is None or s.wind_m_s is None:
        return False, False, "no sun or wind to go by"
    if s.sun_deg >= p.sun_deg:
        return False, False, f"the sun stands {s.sun_deg:.0f}° high"
    if s.wind_m_s >= p.wind_m_s:
        return False, False, f"{s.wind_m_s:.1f} m/s mix the air"
    if s.cloud_frac is not None and s.cloud_frac >= p.cloud_frac:
        return False, False, f"{s.cloud_frac:.0%} cloud keep the ground warm"
    sky = "cloud not known" if s.cloud_frac is None else f"{s.cloud_frac:.0%} cloud"
    sun = "below the horizon" if s.sun_deg < 0 else f"at {s.sun_deg:.0f}°"
    return True, False, f"sun {sun}, {s.wind_m_s:.1f} m/s, {sky}: an inversion is likely"


@dataclass(frozen=True, slots=True)
class RainAhead:
    """Rain within the time that a product needs to dry: when it begins after spraying [s], how much falls; ``known``: all hours were."""

    begins_s: float | None
    rain_mm: float
    known: bool


def rain_ahead(
    hours: Sequence[tuple[float, float | None]], from_s: float, rainfast_s: float, least_mm_h: float = 0.1
) -> RainAhead:
    """Return the rain between the end of spraying and the end of the time in which none may fall.

    Parameters
    ----------
    hours : sequence of (start, rain)
        Starts of hours [s] and the rain in each [mm/h], None where it is not known.
    """
    until_s = from_s + rainfast_s
    begins, fell, known_s = None, 0.0, 0.0
    for start_s, mm_h in sorted(hours):
        overlap_s = min(until_s, start_s + 3600.0) - max(from_s, start_s)
        if overlap_s <= 0:
            continue
        if mm_h is None:
            continue
        known_s += overlap_s
        if mm_h >= least_mm_h:
            fell += mm_h * overlap_s / 3600.0
            begins = max(0.0, start_s - from_s) if begins is None else begins
    return RainAhead(begins, fell, known_s >= rainfast_s - 1.0)
