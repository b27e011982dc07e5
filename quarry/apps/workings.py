"""A working as the API gives it: one shape for the working of any number."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter

from quarry.core.base.working import StepKind, Working

Value = int | float | str | bool | None


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
    kind: StepKind
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


def to_working(working: Working) -> WorkingOut:
    """Return a working of the core as the API gives it."""
    steps = [
        StepOut(
            s.name,
            s.value,
            s.unit,
            s.formula,
            [QuantityOut(q.name, q.value, q.unit) for q in s.inputs],
            s.source.words,
            s.source.kind,
            s.kind,
            s.note,
            list(s.uses),
        )
        for s in working.steps
    ]
    return WorkingOut(working.title, working.value, working.unit, working.note, steps)


def to_workings(workings: Mapping[str, Working]) -> dict[str, WorkingOut]:
    """Return several workings of the core by their keys."""
    return {key: to_working(w) for key, w in workings.items()}
