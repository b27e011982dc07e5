"""A working as the API gives it: one shape for the working of any number."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import TypeAdapter

Value = float | str | bool | None


@dataclass(frozen=True, slots=True)
class QuantityOut:
    """A named value in a working."""

    name: str
    value: Value
    unit: str


@dataclass(frozen=True, slots=True)
class StepOut:
    """One step of a working."""

    name: str
    value: Value
    unit: str
    formula: str
    inputs: list[QuantityOut]
    source: str
    source_kind: str
    kind: Literal["formula", "choice", "assumption", "limit", "input"]
    note: str
    uses: list[str]


@dataclass(frozen=True, slots=True)
class WorkingOut:
    """The working of a number."""

    title: str
    value: Value
    unit: str
    note: str
    steps: list[StepOut]


_WORKING = TypeAdapter(WorkingOut)


def working_view(plain: Mapping[str, Any]) -> WorkingOut:
    """Return a working that was kept as plain data."""
    return _WORKING.validate_python(plain)
