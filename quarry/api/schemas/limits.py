"""Limits, weather windows, preflight."""

from __future__ import annotations

from datetime import date
from typing import Literal
from uuid import UUID

from pydantic import Field

from quarry.api.schemas.base import In

LevelName = Literal["organisation", "aircraft", "work", "job"]
WordName = Literal["go", "care", "no"]


class LimitRuleIn(In):
    """A limit in SI with its reason."""

    key: str = Field(max_length=40)
    least: float | None = None
    most: float | None = None
    why: str = Field(default="", max_length=300)


class SheetIn(In):
    """The limits of a level as they stand on the screen; version 0 for a new sheet."""

    level: LevelName
    aircraft_model_id: UUID | None = None
    work: str = Field(default="", max_length=10)
    job_id: UUID | None = None
    version: int
    rules: list[LimitRuleIn] = Field(max_length=60)


class PreflightStart(In):
    """What a list is begun for; the key is made by the sender."""

    key: UUID | None = None
    job_id: UUID
    aircraft_id: UUID | None = None
    pack_ids: list[UUID] = Field(max_length=8)
    sortie: int = Field(default=1, ge=1, le=500)
    on: date | None = None


class RemarkIn(In):
    """A check answered in words: a defect, or not applicable."""

    answer: Literal["defect", "not applicable"]
    words: str = Field(max_length=300)


class EntriesIn(In):
    """Entries of a list by key: a tick, a number in SI, volts of all cells; null opens a check again."""

    entries: dict[str, bool | float | list[float] | None] = Field(default_factory=dict, max_length=40)
    remarks: dict[str, RemarkIn] = Field(default_factory=dict, max_length=40)


class OverrideIn(In):
    """Who overrides a no go, and why."""

    name: str = Field(max_length=120)
    reason: str = Field(max_length=500)


class ClimbIn(In):
    """Whether the sortie goes on after the first climb and hover."""

    go_on: bool
