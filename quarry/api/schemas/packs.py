"""Packs, a pack, its records, charges at the bench, and tables."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from pydantic import Field

from quarry.api.schemas.base import In

Level = Literal["in service", "not yet tested", "watch", "replace soon", "grounded"]
Task = Literal["recycle", "take out of service", "load test", "bring to storage", "monthly check", "balance", "order successor"]
RecordKind = Literal[
    "load test",
    "resistance",
    "capacity",
    "rest volts",
    "flight",
    "charge",
    "storage",
    "reading",
    "look",
    "mishap",
    "grounding",
    "release",
    "care",
    "alarm levels",
    "withdrawal",
]
Goal = Literal["full", "storage", "balance"]


class RecordIn(In):
    """A record to add; ``key`` is made by the sender, so that sending twice writes once."""

    kind: RecordKind
    figures: dict[str, Any]
    at: datetime | None = None
    note: str = Field(default="", max_length=300)
    key: UUID | None = None
    corrects: UUID | None = None


class RestRow(In):
    """Resting voltage of one pack."""

    pack_id: UUID
    cell_v: list[float] | None = Field(default=None, max_length=28)
    total_v: float | None = None
    pack_c: float | None = None
    key: UUID | None = None


class RestRows(In):
    """Resting voltages of many packs."""

    rows: list[RestRow] = Field(min_length=1, max_length=1000)
    at: datetime | None = None


class BenchIn(In):
    """A charge that is to begin."""

    goal: Goal = "full"
    rate_c: float = 1.0
    pack_c: float | None = None
    charger_id: UUID | None = None
    port: int = 1
    shown: list[float] | None = Field(default=None, max_length=28)


class EndCharge(In):
    """How a charge ended."""

    to_frac: float | None = None
    put_back_ah: float | None = None
    most_c: float | None = None


class PolicyChange(In):
    """A setting to change; no value sets it back to the default."""

    key: str
    value: bool | float | str | None
    why: str = ""


class PolicyIn(In):
    """Changes to the policy, with the version that was seen."""

    version: int
    changes: list[PolicyChange] = Field(max_length=200)
