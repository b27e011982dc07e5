"""The stored policy to the core's."""

from __future__ import annotations

from typing import Any

from quarry.core.base.errors import CoreError
from quarry.core.base.settings import Setting, check_value
from quarry.core.day.alerts import SETTINGS as WATCH_SETTINGS
from quarry.core.day.alerts import Watch
from quarry.core.defaults import DEFAULTS
from quarry.core.flight.give import SETTINGS as COLD_SETTINGS
from quarry.core.limits.verdict import SETTINGS as LIMIT_SETTINGS
from quarry.core.limits.verdict import BandPolicy, band_policy
from quarry.core.packs.policy import SETTINGS as PACK_SETTINGS
from quarry.core.packs.policy import PackPolicy
from quarry.core.packs.policy import policy_of as pack_policy_of
from quarry.core.rotation.monte_carlo import SETTINGS as CHANCE_SETTINGS
from quarry.core.rotation.people import SETTINGS as PEOPLE_SETTINGS
from quarry.core.rotation.people import PeopleLimits

SETTINGS: tuple[Setting, ...] = (
    *PACK_SETTINGS,
    *COLD_SETTINGS,
    *LIMIT_SETTINGS,
    *CHANCE_SETTINGS,
    *PEOPLE_SETTINGS,
    *WATCH_SETTINGS,
)
PolicyError = CoreError


def values(own: dict[str, Any]) -> dict[str, Any]:
    """Return the bare values of what was set."""
    return {key: entry["value"] for key, entry in own.items()}


def pack_policy(own: dict[str, Any]) -> PackPolicy:
    """Return the policy for packs; raises `PolicyError` at the key that stands in the way."""
    return pack_policy_of(values(own))


def bands(own: dict[str, Any]) -> BandPolicy:
    """Return how near to a limit is too near; raises `PolicyError` at the key that stands in the way."""
    return band_policy(values(own))


def cold(own: dict[str, Any]) -> dict[str, Any]:
    """Return the school of cold, the planned pack temperature and the warm-up hover."""
    mine = values(own)
    return {s.key.removeprefix("cold."): mine.get(s.key, s.default) for s in COLD_SETTINGS}


def scatter(own: dict[str, Any]) -> dict[str, float]:
    """Return how times spread about planned ones."""
    mine = values(own)
    return {s.key.removeprefix("scatter."): float(mine.get(s.key, s.default)) for s in CHANCE_SETTINGS}


def people(own: dict[str, Any]) -> PeopleLimits:
    """Return how long people work."""
    mine = values(own)
    return PeopleLimits(**{s.key.removeprefix("people."): float(mine.get(s.key, s.default)) for s in PEOPLE_SETTINGS})


def watch(own: dict[str, Any]) -> Watch:
    """Return when a running day speaks up."""
    mine = values(own)
    return Watch(**{s.key.removeprefix("watch."): float(mine.get(s.key, s.default)) for s in WATCH_SETTINGS})


def check(own: dict[str, Any]) -> None:
    """Raise `PolicyError` at the key of a setting that cannot stand."""
    pack_policy(own)
    bands(own)
    mine = values(own)
    for setting in (*COLD_SETTINGS, *CHANCE_SETTINGS, *PEOPLE_SETTINGS, *WATCH_SETTINGS):
        if setting.key in mine:
            check_value(setting, mine[setting.key])


def lines(own: dict[str, Any]) -> list[dict[str, Any]]:
    """Return every setting as a line of the policy page."""
    return [
        {
            "key": s.key,
            "group": s.group,
            "words": s.words,
            "unit": s.unit,
            "scale": s.scale,
            "low": s.low,
            "high": s.high,
            "choices": [{"value": v, "words": w} for v, w in s.choices],
            "default": s.default,
            "reason": s.reason,
            "source": s.source.words,
            "value": own.get(s.key, {}).get("value", s.default),
            "own": own.get(s.key),
        }
        for s in SETTINGS
    ]


def defaults() -> list[dict[str, object]]:
    """Return what new jobs, days and calculators begin with, each with unit, range and reason."""
    return [
        {"key": d.key, "words": d.words, "value": d.value, "unit": d.unit, "low": d.low, "high": d.high, "reason": d.reason}
        for d in DEFAULTS
    ]
