"""The policy of an organisation for its packs: every threshold and method with default, range and reason.

`SETTINGS` is what a policy page shows; a policy is made from the values that differ from the defaults.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from quarry.core.base.errors import OutOfRange
from quarry.core.base.settings import Setting, Value, check_value
from quarry.core.base.sources import ASSUMED, PRACTICE
from quarry.core.defaults import FLOOR, LANDING
from quarry.core.packs.care import CarePolicy
from quarry.core.packs.depth import SETTINGS as DEPTH_SETTINGS
from quarry.core.packs.depth import DepthPolicy
from quarry.core.packs.health import HealthPolicy, Threshold
from quarry.core.packs.load_test import LoadTestPolicy
from quarry.core.packs.sets import SetPolicy


@dataclass(frozen=True, slots=True)
class PackPolicy:
    """All thresholds and methods for packs. ``test_each_take_off``: a load test belongs to every take-off."""

    load_test: LoadTestPolicy = field(default_factory=LoadTestPolicy)
    health: HealthPolicy = field(default_factory=HealthPolicy)
    care: CarePolicy = field(default_factory=CarePolicy)
    sets: SetPolicy = field(default_factory=SetPolicy)
    landing_frac: float = LANDING.value
    floor_frac: float = FLOOR.value
    reserve_method: str = "rated"
    test_each_take_off: bool = True
    depth: DepthPolicy = field(default_factory=DepthPolicy)


_D = PackPolicy()
_L, _C = _D.load_test, _D.care


def _thresholds() -> list[Setting]:
    rows = (
        ("capacity_frac", "Capacity", "%", 100.0, 0.3, 1.0),
        ("resistance_growth", "Resistance against its own first readings", "times", 1.0, 1.05, 5.0),
        ("rest_spread_v", "Spread of cells at rest", "mV", 1000.0, 0.005, 0.5),
        ("load_spread_v", "Spread of cells under full load", "mV", 1000.0, 0.02, 1.0),
        ("cycles", "Equivalent full cycles", "", 1.0, 10.0, 5000.0),
        ("deep_count", "Landings below the minimum", "", 1.0, 1.0, 500.0),
        ("age_days", "Age", "days", 1.0, 90.0, 7300.0),
        ("shelf_days", "Days without flight or test", "days", 1.0, 1.0, 365.0),
        ("store_warm_c", "Storage place, too warm", "°C", 1.0, 5.0, 40.0),
        ("store_cold_c", "Storage place, too cold", "°C", 1.0, -10.0, 25.0),
        ("store_damp_frac", "Storage place, humidity", "%", 100.0, 0.3, 0.95),
        ("lapses_count", "Storage and temperature lapses", "", 1.0, 1.0, 500.0),
    )
    found = []
    for key, words, unit, scale, low, high in rows:
        t: Threshold = getattr(_D.health, key)
        for level in ("watch", "replace"):
            default = getattr(t, level)
            if default is not None:
                label = f"{words}: {'watch' if level == 'watch' else 'replace soon'} from"
                found.append(
                    Setting(f"health.{key}.{level}", "Verdict", label, default, t.reason, unit, scale, low, high, source=t.source)
                )
    return found


SETTINGS: tuple[Setting, ...] = (
    Setting(
        "reserve_method",
        "Reserve",
        "The reserve counts from",
        _D.reserve_method,
        "a share of the label is the same number of minutes on a worn pack; a share of what it holds today shrinks with it",
        choices=(("rated", "the rated capacity"), ("measured", "the capacity measured")),
    ),
    Setting(
        "landing_frac",
        "Reserve",
        "Planned landing at",
        _D.landing_frac,
        "volts fall fast at the end of a charge and tell little: land before it",
        "%",
        100.0,
        0.05,
        0.7,
    ),
    Setting(
        "floor_frac",
        "Reserve",
        "Minimum charge",
        _D.floor_frac,
        "no plan goes below it, and each landing below it is counted",
        "%",
        100.0,
        0.0,
        0.6,
    ),
    *DEPTH_SETTINGS,
    Setting(
        "test_each_take_off",
        "Load test",
        "A load test at every take-off",
        _D.test_each_take_off,
        "the first climb shows each cell under full power and costs nothing",
        choices=((True, "at every take-off"), (False, "after long rest only")),
    ),
    Setting(
        "load_test.full_frac",
        "Load test",
        "A pack counts as full from",
        _L.full_frac,
        "a display and a short rest take a little off a pack that is full",
        "%",
        100.0,
        0.8,
        1.0,
    ),
    Setting(
        "load_test.full_short_v",
        "Load test",
        "or within this of full, a cell at rest",
        _L.full_short_v,
        "cells settle a little below full once they are off the charger",
        "mV",
        1000.0,
        0.0,
        0.3,
    ),
    Setting(
        "load_test.cold_c",
        "Load test",
        "A fail is inconclusive below",
        _L.cold_c,
        "a cold pack sags and fails falsely",
        "°C",
        1.0,
        -10.0,
        30.0,
    ),
    Setting(
        "load_test.grounds",
        "Load test",
        "A load test grounds a pack",
        _L.grounds,
        "a pack to be replaced soon still flies its last cycles, near home and on short sorties; or it does not fly at all",
        choices=(("bad", "when a cell is bad"), ("replace soon", "already when it is to be replaced soon")),
    ),
    *_thresholds(),
    Setting(
        "care.storage_after_days",
        "Care",
        "To storage charge after",
        _C.storage_after_days,
        "a pack left full ages fastest",
        "days",
        1.0,
        0,
        60,
    ),
    Setting(
        "care.storage_frac",
        "Care",
        "Storage charge",
        _C.storage_frac,
        "crews differ: nearer half for packs that hold their charge, more for packs that drain themselves",
        "%",
        100.0,
        0.2,
        0.8,
    ),
    Setting(
        "care.check_every_days",
        "Care",
        "Look at a resting pack every",
        _C.check_every_days,
        "a pack drains itself slowly and swells unseen",
        "days",
        1.0,
        1,
        365,
    ),
    Setting(
        "care.test_after_days",
        "Care",
        "Load test before it serves after",
        _C.test_after_days,
        "packs fail in storage, new ones too",
        "days",
        1.0,
        1,
        365,
    ),
    Setting(
        "care.balance_from_v",
        "Care",
        "Balance from a spread at rest of",
        _C.balance_from_v,
        "a charge with the balance lead brings small spreads together",
        "mV",
        1000.0,
        0.005,
        0.2,
        source=ASSUMED,
    ),
    Setting(
        "sets.health_apart_frac",
        "Matched sets",
        "Packs of a set may differ in capacity by",
        _D.sets.health_apart_frac,
        "the weaker pack of a set ends the flight of both",
        "%",
        100.0,
        0.01,
        0.5,
        source=ASSUMED,
    ),
    Setting(
        "sets.resistance_ratio",
        "Matched sets",
        "and in resistance by a factor of",
        _D.sets.resistance_ratio,
        "the pack with less resistance carries more of the current",
        "times",
        1.0,
        1.05,
        4.0,
        source=ASSUMED,
    ),
    Setting(
        "sets.cycles_apart",
        "Matched sets",
        "and in cycles by",
        _D.sets.cycles_apart,
        "a set is kept together from its first day",
        "",
        1.0,
        1.0,
        500.0,
        source=PRACTICE,
    ),
)
BY_KEY = {s.key: s for s in SETTINGS}


def policy_of(own: Mapping[str, Value]) -> PackPolicy:
    """Return the policy of an organisation from the values that it set itself; unknown keys belong to other subjects.

    Raises
    ------
    MissingInput, OutOfRange
        A value is outside its range, or two contradict each other; ``field`` is the key of the setting.
    """
    parts: dict[str, Any] = {}
    for key, value in own.items():
        setting = BY_KEY.get(key)
        if setting is not None:
            check_value(setting, value)
            head, _, rest = key.partition(".")
            if rest:
                parts.setdefault(head, {})[rest] = value
            else:
                parts[head] = value
    health = _D.health
    for path, value in parts.pop("health", {}).items():
        name, level = path.split(".")
        health = replace(health, **{name: replace(getattr(health, name), **{level: value})})
    made = replace(
        _D,
        health=health,
        load_test=replace(_L, **parts.pop("load_test", {})),
        care=replace(_C, **parts.pop("care", {})),
        sets=replace(_D.sets, **parts.pop("sets", {})),
        depth=replace(_D.depth, **parts.pop("depth", {})),
        **parts,
    )
    _check_order(made)
    return made


def _check_order(p: PackPolicy) -> None:
    if p.health.store_cold_c.watch >= p.health.store_warm_c.watch:
        raise OutOfRange(
            "A storage place is too cold below a temperature under the one from which it is too warm.",
            "health.store_cold_c.watch",
        )
    if p.floor_frac > p.landing_frac:
        raise OutOfRange("The minimum lies above the planned landing. Lower it, or land higher.", "floor_frac")
    for setting in SETTINGS:
        if setting.key.startswith("health.") and setting.key.endswith(".replace"):
            name = setting.key.split(".")[1]
            t: Threshold = getattr(p.health, name)
            falling = name == "capacity_frac"
            if t.replace is not None and (t.watch < t.replace if falling else t.watch > t.replace):
                words = "Watch comes before replace soon: give the two limits in that order."
                raise OutOfRange(words, setting.key)
