"""A setting of an organisation: a threshold or a method with its default, range and reason."""

from __future__ import annotations

from dataclasses import dataclass

from quarry.core.base.errors import MissingInput, OutOfRange
from quarry.core.base.sources import PRACTICE, Source

Value = float | str | bool


@dataclass(frozen=True, slots=True)
class Setting:
    """One line of a policy page.

    Shown value = value × ``scale`` in ``unit``; ``choices`` (value, words) where it is a method and not a number.
    """

    key: str
    group: str
    words: str
    default: Value
    reason: str
    unit: str = ""
    scale: float = 1.0
    low: float = 0.0
    high: float = 0.0
    choices: tuple[tuple[Value, str], ...] = ()
    source: Source = PRACTICE


def check_value(setting: Setting, value: Value) -> None:
    """Raise an error at the key of the setting unless the value is one of its choices or inside its range."""
    if setting.choices:
        if value not in [c for c, _ in setting.choices]:
            raise MissingInput(f"{setting.words}: choose one of those shown.", setting.key)
        return
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise MissingInput(f"{setting.words}: type a number.", setting.key)
    if not setting.low <= value <= setting.high:
        shown = tuple(f"{x * setting.scale:g}" for x in (value, setting.low, setting.high))
        unit = f" {setting.unit}" if setting.unit else ""
        raise OutOfRange(f"{setting.words} {shown[0]}{unit}: give {shown[1]} to {shown[2]}{unit}.", setting.key)
