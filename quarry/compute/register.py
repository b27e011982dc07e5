"""What a calculator is, and the list of them."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from quarry.core.base.errors import CoreError, OutOfRange
from quarry.core.base.working import Working, as_dict, explain

T = TypeVar("T")


class Input(BaseModel):
    """Base of all calculator inputs: unknown names are refused, numbers must be finite."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


@dataclass(frozen=True, slots=True)
class Calculator:
    """A named calculation: its input model and the function that answers with plain data."""

    name: str
    summary: str
    model: type[BaseModel]
    run: Callable[[Any], dict[str, Any]]


CALCULATORS: dict[str, Calculator] = {}


def calculator(
    name: str, summary: str, model: type[BaseModel]
) -> Callable[[Callable[[Any], dict[str, Any]]], Callable[[Any], dict[str, Any]]]:
    """Register a function under a name."""

    def wrap(func: Callable[[Any], dict[str, Any]]) -> Callable[[Any], dict[str, Any]]:
        CALCULATORS[name] = Calculator(name, summary, model, func)
        return func

    return wrap


def answer(title: str, func: Callable[..., T], *args: Any) -> tuple[T, dict[str, Any]]:
    """Return the result of a calculation and its working as plain data; the last step names the result."""
    explained = explain(func, *args)
    last = explained.steps[-1]
    return explained.value, as_dict(Working(title, last.value, last.unit, explained.steps))


def compute(name: str, data: dict[str, Any]) -> dict[str, Any]:
    """Check the input and run a calculator.

    Raises
    ------
    CoreError
        The name is unknown, the input does not fit the model, or the calculation refuses it.
    """
    found = CALCULATORS.get(name)
    if found is None:
        raise CoreError(f"There is no calculator called {name}. See the list for the names.", "name")
    try:
        given = found.model.model_validate(data)
    except ValidationError as bad:
        first = bad.errors()[0]
        where = ".".join(str(p) for p in first["loc"])
        raise CoreError(f"{where or 'The input'}: {first['msg']}.", where) from bad
    beyond = _beyond(data)
    if beyond is not None:
        raise OutOfRange("No figure here is that large. Look at it again.", beyond)
    try:
        result = found.run(given)
    except (ArithmeticError, ValueError) as bad:
        if isinstance(bad, CoreError):
            raise
        raise OutOfRange("These figures together give no number. Look for one that cannot be.", _largest(data)) from bad
    if (lost := _not_finite(result)) is not None:
        raise OutOfRange(f"These figures together give no {lost}. Look for one that cannot be.", _largest(data))
    return result


_MOST = 1e9


def _numbers(value: Any, path: str = "") -> Iterator[tuple[str, float]]:
    if isinstance(value, Mapping):
        for key, inner in value.items():
            yield from _numbers(inner, f"{path}.{key}" if path else str(key))
    elif isinstance(value, list | tuple):
        for k, inner in enumerate(value):
            yield from _numbers(inner, f"{path}.{k}" if path else str(k))
    elif isinstance(value, int | float) and not isinstance(value, bool):
        yield path, float(value) if abs(value) < 1e300 else math.inf


def _beyond(data: Mapping[str, Any]) -> str | None:
    return next((path for path, value in _numbers(data) if not abs(value) <= _MOST), None)


def _largest(data: Mapping[str, Any]) -> str:
    return max(_numbers(data), key=lambda n: abs(n[1]), default=("", 0.0))[0]


def _not_finite(result: Mapping[str, Any]) -> str | None:
    return next((path.rsplit(".", 1)[-1] for path, value in _numbers(result) if not math.isfinite(value)), None)
