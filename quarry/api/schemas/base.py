"""Shapes shared by several nouns."""

from __future__ import annotations

from typing import Any, Literal

from ninja import Schema
from pydantic import ConfigDict


class In(Schema):
    """Base of all inputs: numbers must be finite, unknown names are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Problem(Schema):
    """A refusal."""

    status: int
    code: str
    detail: str
    field: str


class QuantityOut(Schema):
    """A named value in a working."""

    name: str
    value: float | str | bool | None
    unit: str


class StepOut(Schema):
    """One step of a working."""

    name: str
    value: float | str | bool | None
    unit: str
    formula: str
    inputs: list[QuantityOut]
    source: str
    source_kind: str
    kind: Literal["formula", "choice", "assumption", "limit", "input"]
    note: str
    uses: list[str]


class WorkingOut(Schema):
    """The working of a number."""

    title: str
    value: float | str | bool | None
    unit: str
    note: str
    steps: list[StepOut]


class HistoryOut(Schema):
    """One line of history."""

    at: str
    who: str
    action: str
    label: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None
