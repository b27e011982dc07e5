"""Checks that the weather turns on by itself: each with its trigger, its words and its caution.

Limits say go or no go; these say what to do besides: where to land, what to look at, when to come home. A check that the
weather does not ask for is not on the list.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from quarry.core.air.chill import relief_s
from quarry.core.base.settings import Setting
from quarry.core.base.sources import ASSUMED
from quarry.core.limits.preflight import Check, Part


@dataclass(frozen=True, slots=True)
class WeatherCheckPolicy:
    """From when each check is on the list."""

    wet_mm: float = 0.2
    snow_height_m: float = 9.0
    spread_k: float = 2.0
    trees_m_s: float = 6.0
    hot_c: float = 28.0
    cold_c: float = 3.0


_D = WeatherCheckPolicy()
SETTINGS: tuple[Setting, ...] = tuple(
    Setting(f"sheet.{name}", "Checks by weather", words, getattr(_D, name), why, unit, low=low, high=high, source=ASSUMED)
    for name, words, why, unit, low, high in (
        ("wet_mm", "Ground is wet after rain of, in six hours", "a landing mat keeps lens and motors clean", "mm", 0.0, 10.0),
        (
            "snow_height_m",
            "No lower over plain snow than",
            "downward sensors find nothing to hold on to, and snow blows up into lens and motors",
            "m",
            3.0,
            30.0,
        ),
        (
            "spread_k",
            "Look at lens and props when the spread is below",
            "air this near its dew point wets and ices them",
            "°C",
            0.5,
            6.0,
        ),
        ("trees_m_s", "Hover above the trees first when the wind there is above", "between trees it is calm", "m/s", 2.0, 15.0),
        (
            "hot_c",
            "Care for packs in heat from",
            "a closed car gets 20 °C hotter than the air within half an hour",
            "°C",
            15.0,
            40.0,
        ),
        ("cold_c", "Gloves and warm devices below", "numb fingers drop packs and miss keys", "°C", -10.0, 15.0),
    )
)


@dataclass(frozen=True, slots=True)
class SiteWeather:
    """What is known of the air and the ground at a take-off. None is not known.

    ``wet_mm`` and ``snow_mm``: what fell in the last six and twenty-four hours; ``snow_said``: somebody on site entered snow;
    ``open_snow``: the job lies over open water or snow. ``low_m_s``: wind by the ground; ``up_m_s`` at flying height ``height_m``. ``sun_words``: when a low sun stands on
    the way home, None where it does not. ``pale``: the aircraft is white or grey.
    """

    air_c: float | None = None
    spread_k: float | None = None
    rain_mm_h: float | None = None
    snow_mm_h: float | None = None
    wet_mm: float = 0.0
    snow_mm: float = 0.0
    snow_said: bool = False
    open_snow: bool = False
    trees: bool = False
    up_m_s: float | None = None
    low_m_s: float | None = None
    height_m: float = 0.0
    chill_c: float | None = None
    sun_words: str | None = None
    pale: bool = False
    policy: WeatherCheckPolicy = field(default_factory=WeatherCheckPolicy)

    @property
    def snow(self) -> bool:
        """Whether snow lies or falls."""
        cold = self.air_c is not None and self.air_c <= 2.0
        return self.snow_said or bool(self.snow_mm_h) or (cold and (self.snow_mm > 0.0 or self.open_snow))

    @property
    def wet(self) -> bool:
        """Whether the ground is wet."""
        return bool(self.rain_mm_h) or self.wet_mm >= self.policy.wet_mm


_Rule = Callable[[SiteWeather], "tuple[str, str, str] | None"]


def _mat(w: SiteWeather) -> tuple[str, str, str] | None:
    if w.air_c is None and not w.snow and not w.wet:
        return "Landing mat where it is wet or snowy", "nothing is known of the weather here", ""
    if w.snow:
        return "Landing mat down; never land in snow", "snow lies or falls", "Snow in the motors and on the lens ends the day."
    if w.wet:
        return (
            "Landing mat down",
            f"{w.wet_mm:.1f} mm fell in six hours" if w.wet_mm else "it rains",
            "Mud on the lens blurs every image.",
        )
    return None


def _snow_low(w: SiteWeather) -> tuple[str, str, str] | None:
    if not w.snow:
        return None
    low = w.policy.snow_height_m
    words = f"No lower than {low:.0f} m over plain snow; come down over the mat alone, by hand"
    over = f"; this job flies at {w.height_m:.0f} m" if 0 < w.height_m < low else ""
    return words, f"snow on the ground{over}", "Downward sensors find nothing on plain snow: it may drift or sink."


def _pale(w: SiteWeather) -> tuple[str, str, str] | None:
    if not (w.snow and w.pale):
        return None
    return (
        "Bright marks or strobe on the aircraft",
        "pale aircraft, snow on the ground",
        "Against snow it is lost from sight within seconds.",
    )


def _damp(w: SiteWeather) -> tuple[str, str, str] | None:
    if w.spread_k is None or w.spread_k >= w.policy.spread_k:
        return None
    ice = w.air_c is not None and w.air_c <= 2.0
    words = "Lens dry, props and arms free of " + ("ice" if ice else "water") + ": look before and after every landing"
    return words, f"air and dew point {w.spread_k:.1f} °C apart", "Mist may hang at flying height with none on the ground."


def _trees(w: SiteWeather) -> tuple[str, str, str] | None:
    if (
        w.up_m_s is None
        or w.up_m_s < w.policy.trees_m_s
        or not (w.trees or (w.low_m_s is not None and w.up_m_s >= 2 * w.low_m_s))
    ):
        return None
    low = f", {w.low_m_s:.0f} m/s by the ground" if w.low_m_s is not None else ""
    words = "Hover above the tree line first, facing the wind: holds its place there too"
    return (
        words,
        f"{w.up_m_s:.0f} m/s at flying height{low}",
        "Prove the direction by eye: smoke, a ribbon, the lean of the aircraft.",
    )


def _sun(w: SiteWeather) -> tuple[str, str, str] | None:
    if w.sun_words is None:
        return None
    words = "Low sun on the way home: ready to bring it home by hand, or the lines turned"
    return words, w.sun_words, "Forward sensors may take the sun for an obstacle and stop."


def _heat(w: SiteWeather) -> tuple[str, str, str] | None:
    if w.air_c is None or w.air_c < w.policy.hot_c:
        return None
    return (
        "Packs in the shade and aired: none in the car, none in the sun",
        f"{w.air_c:.0f} °C",
        "Heat harms packs more than cold; a hot pack is not charged.",
    )


def _cold(w: SiteWeather) -> tuple[str, str, str] | None:
    if w.air_c is None or w.air_c >= w.policy.cold_c:
        return None
    return (
        "Packs in the warm case until fitted; controller and tablet on charge",
        f"{w.air_c:.0f} °C",
        "A pack warm at launch keeps itself warm.",
    )


def _gloves(w: SiteWeather) -> tuple[str, str, str] | None:
    felt = w.chill_c if w.chill_c is not None else w.air_c
    if felt is None or felt >= w.policy.cold_c:
        return None
    relief = relief_s(felt)
    after = f"; relief after {relief / 60:.0f} min" if relief is not None else ""
    return (
        f"Gloves on that work keys and screen{after}",
        f"feels like {felt:.0f} °C",
        "Numb fingers and painful breath: stop and warm up.",
    )


_RULES: tuple[tuple[str, Part, _Rule], ...] = (
    ("mat", "site", _mat),
    ("snow_low", "site", _snow_low),
    ("pale", "site", _pale),
    ("gloves", "site", _gloves),
    ("heat", "site", _heat),
    ("cold_packs", "site", _cold),
    ("damp", "take-off", _damp),
    ("low_sun", "take-off", _sun),
    ("trees", "climb", _trees),
)
KEYS = tuple(key for key, _, _ in _RULES)


def weather_checks(w: SiteWeather) -> tuple[Check, ...]:
    """Return the checks that the weather asks for, in the order in which they are worked."""
    found = []
    for key, part, rule in _RULES:
        asked = rule(w)
        if asked is not None:
            words, because, caution = asked
            found.append(Check(key, part, words, caution=caution, because=because))
    return tuple(found)
