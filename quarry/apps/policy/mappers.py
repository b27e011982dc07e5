"""The stored policy to the core's."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import TypeAdapter

from quarry.apps.policy.views import ChoiceOut, DefaultOut, OwnOut, SettingOut
from quarry.core.air.low_sun import SETTINGS as SUN_SETTINGS
from quarry.core.air.low_sun import LowSunPolicy
from quarry.core.base.errors import CoreError
from quarry.core.base.settings import Setting, Value, check_value
from quarry.core.covered.settings import SETTINGS as COVERED_SETTINGS
from quarry.core.covered.settings import CoveredPolicy
from quarry.core.day.alerts import SETTINGS as WATCH_SETTINGS
from quarry.core.day.alerts import Watch
from quarry.core.dayplan.refuelling import SETTINGS as REFUELLING_SETTINGS
from quarry.core.dayplan.refuelling import Refuelling
from quarry.core.defaults import DEFAULTS
from quarry.core.flight.usable_energy import SETTINGS as COLD_SETTINGS
from quarry.core.flight.usable_energy import ColdPolicy
from quarry.core.ground.mapping import SETTINGS as MAPPING_SETTINGS
from quarry.core.ground.mapping import MappingPolicy
from quarry.core.limits.verdict import SETTINGS as LIMIT_SETTINGS
from quarry.core.limits.verdict import BandPolicy, band_policy
from quarry.core.limits.weather_checks import SETTINGS as SHEET_SETTINGS
from quarry.core.limits.weather_checks import WeatherCheckPolicy
from quarry.core.packs.alarms import SETTINGS as ALARM_SETTINGS
from quarry.core.packs.alarms import check_alarms
from quarry.core.packs.policy import SETTINGS as PACK_SETTINGS
from quarry.core.packs.policy import PackPolicy
from quarry.core.packs.policy import policy_of as pack_policy_of
from quarry.core.rotation.people import SETTINGS as PEOPLE_SETTINGS
from quarry.core.rotation.people import PeopleLimits
from quarry.core.rotation.scatter import SETTINGS as CHANCE_SETTINGS
from quarry.core.rotation.scatter import Scatter
from quarry.core.spraying.dose import SETTINGS as DOSE_SETTINGS
from quarry.core.spraying.season import SETTINGS as SEASON_SETTINGS
from quarry.core.spraying.still_air import SETTINGS as STILL_AIR_SETTINGS
from quarry.core.spraying.still_air import StillAirPolicy

SETTINGS: tuple[Setting, ...] = (
    *PACK_SETTINGS,
    *REFUELLING_SETTINGS,
    *COLD_SETTINGS,
    *LIMIT_SETTINGS,
    *CHANCE_SETTINGS,
    *PEOPLE_SETTINGS,
    *WATCH_SETTINGS,
    *ALARM_SETTINGS,
    *SUN_SETTINGS,
    *SHEET_SETTINGS,
    *DOSE_SETTINGS,
    *SEASON_SETTINGS,
    *STILL_AIR_SETTINGS,
    *COVERED_SETTINGS,
    *MAPPING_SETTINGS,
)
PolicyError = CoreError
__all__ = ["PackPolicy"]
OwnValues = Mapping[str, Value]
_OWN = TypeAdapter(dict[str, OwnOut])
_COLD = TypeAdapter(ColdPolicy)


def own_from(kept: Any) -> dict[str, OwnOut]:
    """Return what a company set itself, with who, when and why, by the key of its setting."""
    return _OWN.validate_python(kept)


def own_json(own: dict[str, OwnOut]) -> Any:
    """Return what a company set itself as it is kept."""
    return _OWN.dump_python(own, mode="json")


def values(own: dict[str, OwnOut]) -> dict[str, Value]:
    """Return the bare values of what was set."""
    return {key: entry.value for key, entry in own.items()}


def pack_policy(own: OwnValues) -> PackPolicy:
    """Return the policy for packs; raises `PolicyError` at the key that stands in the way."""
    return pack_policy_of(own)


def bands(own: OwnValues) -> BandPolicy:
    """Return how near to a limit is too near; raises `PolicyError` at the key that stands in the way."""
    return band_policy(own)


def _numbers(settings: tuple[Setting, ...], own: OwnValues) -> dict[str, float]:
    return {s.key.rsplit(".", 1)[-1]: float(own.get(s.key, s.default)) for s in settings}


def cold(own: OwnValues) -> ColdPolicy:
    """Return how a company plans in the cold."""
    return _COLD.validate_python({s.key.removeprefix("cold."): own[s.key] for s in COLD_SETTINGS if s.key in own})


def scatter(own: OwnValues) -> Scatter:
    """Return how times spread about planned ones."""
    return Scatter(**_numbers(CHANCE_SETTINGS, own))


def people(own: OwnValues) -> PeopleLimits:
    """Return how long people work."""
    return PeopleLimits(**_numbers(PEOPLE_SETTINGS, own))


def refuelling(own: OwnValues) -> Refuelling:
    """Return how long a supply is off for refuelling."""
    return Refuelling(**_numbers(REFUELLING_SETTINGS, own))


def watch(own: OwnValues) -> Watch:
    """Return when a running day speaks up."""
    return Watch(**_numbers(WATCH_SETTINGS, own))


def still_air(own: OwnValues) -> StillAirPolicy:
    """Return from when signs speak of an inversion."""
    return StillAirPolicy(**_numbers(STILL_AIR_SETTINGS, own))


def season_month(own: OwnValues) -> int:
    """Return the month in which a season of treatments begins."""
    (month,) = _numbers(SEASON_SETTINGS, own).values()
    return int(month)


def low_sun(own: OwnValues) -> LowSunPolicy:
    """Return from when a low sun blinds."""
    return LowSunPolicy(**_numbers(SUN_SETTINGS, own))


def checks_by_weather(own: OwnValues) -> WeatherCheckPolicy:
    """Return from when the weather turns each check on."""
    return WeatherCheckPolicy(**_numbers(SHEET_SETTINGS, own))


def dose_tolerance_frac(own: OwnValues) -> float:
    """Return how far the dose of a line may be from what is asked for."""
    return _numbers(DOSE_SETTINGS, own)["dose_tolerance_frac"]


def mapping(own: OwnValues) -> MappingPolicy:
    """Return what pictures are held to."""
    return MappingPolicy(**_numbers(MAPPING_SETTINGS, own))


def covered(own: OwnValues) -> CoveredPolicy:
    """Return how covered ground is judged."""
    return CoveredPolicy(**_numbers(COVERED_SETTINGS, own))


def check(own: OwnValues) -> None:
    """Raise `PolicyError` at the key of a setting that cannot stand."""
    pack_policy(own)
    bands(own)
    check_alarms(own)
    cold(own)
    for setting in (
        *COLD_SETTINGS,
        *CHANCE_SETTINGS,
        *PEOPLE_SETTINGS,
        *WATCH_SETTINGS,
        *SUN_SETTINGS,
        *SHEET_SETTINGS,
        *DOSE_SETTINGS,
        *SEASON_SETTINGS,
        *STILL_AIR_SETTINGS,
    ):
        if setting.key in own:
            check_value(setting, own[setting.key])


def lines(own: dict[str, OwnOut]) -> list[SettingOut]:
    """Return every setting as a line of the policy page."""
    return [
        SettingOut(
            key=s.key,
            group=s.group,
            words=s.words,
            unit=s.unit,
            scale=s.scale,
            low=s.low,
            high=s.high,
            choices=[ChoiceOut(value=v, words=w) for v, w in s.choices],
            default=s.default,
            reason=s.reason,
            source=s.source.words,
            value=own[s.key].value if s.key in own else s.default,
            own=own.get(s.key),
        )
        for s in SETTINGS
    ]


def defaults() -> list[DefaultOut]:
    """Return what new jobs, days and calculators begin with, each with unit, range and reason."""
    return [
        DefaultOut(key=d.key, words=d.words, value=d.value, unit=d.unit, low=d.low, high=d.high, reason=d.reason)
        for d in DEFAULTS
    ]
