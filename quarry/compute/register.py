"""What a calculator is, and the list of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from quarry.core.base.errors import CoreError
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
    told = explain(func, *args)
    last = told.steps[-1]
    return told.value, as_dict(Working(title, last.value, last.unit, told.steps))


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
    return found.run(given)
