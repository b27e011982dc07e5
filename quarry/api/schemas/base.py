"""Shapes shared by several nouns."""

from __future__ import annotations

from typing import Any

from ninja import Schema
from pydantic import ConfigDict

from quarry.apps.workings import QuantityOut, StepOut, WorkingOut

__all__ = ["HistoryOut", "In", "Problem", "QuantityOut", "StepOut", "WorkingOut"]


class In(Schema):
    """Base of all inputs: numbers must be finite, unknown names are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Problem(Schema):
    """A refusal."""

    status: int
    code: str
    detail: str
    field: str


class HistoryOut(Schema):
    """One line of history."""

    at: str
    who: str
    action: str
    label: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None
