"""Shapes shared by several nouns."""

from __future__ import annotations

import re
from dataclasses import fields, is_dataclass
from datetime import date, datetime
from typing import Annotated, Any

from ninja import Schema
from pydantic import AfterValidator, ConfigDict, field_validator

from quarry.apps.workings import QuantityOut, StepOut, WorkingOut

__all__ = ["In", "Moment", "Problem", "QuantityOut", "StepOut", "WorkingOut"]
_FIRST, _LAST = 1970, 2200  # years between which all that is kept and worked out lies
_DATE = re.compile(r"(\d{4})-\d{2}-\d{2}(?:[T ][\d:.]+(?:Z|[+-][\d:]+)?)?")
_MOST_INTEGER = 2**53  # beyond it a number of JSON is no longer the one that was meant


def storable(value: Any) -> Any:
    """Return a value that can be kept and worked with; raises ValueError where it cannot."""
    if isinstance(value, str) and "\x00" in value:
        raise ValueError("A character is in it that cannot be kept (NUL). Take it out")
    if isinstance(value, int) and abs(value) > _MOST_INTEGER:
        raise ValueError("The number is too large to be kept")
    written = _DATE.fullmatch(value) if isinstance(value, str) else None
    year = int(written[1]) if written else value.year if isinstance(value, (date, datetime)) else _FIRST
    if not _FIRST <= year <= _LAST:
        raise ValueError(f"Give a date between {_FIRST} and {_LAST}")
    if isinstance(value, dict):
        for name, inside in value.items():
            storable(name)
            storable(inside)
    elif isinstance(value, (list, tuple)):
        for inside in value:
            storable(inside)
    elif is_dataclass(value):
        for part in fields(value):
            storable(getattr(value, part.name))
    return value


Moment = Annotated[datetime, AfterValidator(storable)]


class In(Schema):
    """Base of all inputs: numbers must be finite, dates within centuries, texts storable; unknown names are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    @field_validator("*")
    @classmethod
    def _storable(cls, value: Any) -> Any:
        return storable(value)


class Problem(Schema):
    """A refusal."""

    status: int
    code: str
    detail: str
    field: str
