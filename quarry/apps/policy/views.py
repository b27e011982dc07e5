"""What screens show of the policy: each setting with its default, reason, and who set it otherwise."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

Value = bool | int | float | str


@dataclass(frozen=True, slots=True, kw_only=True)
class ChoiceOut:
    """A choice of a method."""

    value: Value
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnOut:
    """What the organisation set itself."""

    value: Value
    why: str
    by: str
    at: dt.datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class SettingOut:
    """A line of the policy."""

    key: str
    group: str
    words: str
    unit: str
    scale: float
    low: float
    high: float
    choices: list[ChoiceOut]
    default: Value
    reason: str
    source: str
    value: Value
    own: OwnOut | None


@dataclass(frozen=True, slots=True, kw_only=True)
class DefaultOut:
    """A figure that something begins with."""

    key: str
    words: str
    value: float
    unit: str
    low: float
    high: float
    reason: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PolicyOut:
    """The policy."""

    version: int
    settings: list[SettingOut]
