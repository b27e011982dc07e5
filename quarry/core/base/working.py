"""The working of a number: what went in, by which formula, on whose word.

Leaf functions stay plain ``float -> float`` and carry a `formula`. `explain` runs any function
and collects the steps of the leaves it met. `Working` is the record that screens draw.
"""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable, Iterable, Mapping
from contextvars import ContextVar
from dataclasses import dataclass, field
from typing import Generic, Literal, ParamSpec, TypeVar, cast

from quarry.core.base.sources import ALGEBRA, Source
from quarry.core.base.units import unit_of

P = ParamSpec("P")
T = TypeVar("T")
Value = float | int | str | bool | None
StepKind = Literal["formula", "run", "choice", "assumption", "limit", "input"]


@dataclass(frozen=True, slots=True)
class Quantity:
    """One named value with its unit, as it stands in a working."""

    name: str
    value: Value
    unit: str
    label: str = ""


@dataclass(frozen=True, slots=True)
class Step:
    """One line of a working.

    A ``formula`` can be redone by hand from ``inputs``: a leaf's own, or a sum of them. A ``run`` cannot: it was found
    by playing, searching or fitting over many values. ``uses`` holds the names of earlier steps whose value went in
    unchanged; it is filled only where exactly one earlier step fits, so a drawn link is never a guess.
    """

    name: str
    value: Value
    unit: str
    formula: str
    inputs: tuple[Quantity, ...] = ()
    source: Source = ALGEBRA
    kind: StepKind = "formula"
    note: str = ""
    uses: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Working:
    """Title, result and the steps that lead to it, in order."""

    title: str
    value: Value
    unit: str
    steps: tuple[Step, ...]
    note: str = ""


@dataclass(frozen=True, slots=True)
class Explained(Generic[T]):
    """A result together with the steps recorded while it was computed."""

    value: T
    steps: tuple[Step, ...]


@dataclass(slots=True)
class _Trace:
    steps: list[Step] = field(default_factory=list)


_trace: ContextVar[_Trace | None] = ContextVar("working", default=None)
LEAVES: dict[str, Callable[..., object]] = {}
CITED: dict[str, set[str]] = {}


def formula(words: str, *, source: Source, result: str) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """Give a leaf function its formula in words, its source and the name of its result.

    The unit is read from the suffix of ``result``. Do not cache a leaf: a cached call would
    leave no step.
    """

    def wrap(func: Callable[P, T]) -> Callable[P, T]:
        names = list(inspect.signature(func).parameters)

        @functools.wraps(func)
        def leaf(*args: P.args, **kwargs: P.kwargs) -> T:
            value = func(*args, **kwargs)
            trace = _trace.get()
            if trace is not None:
                bound = {**dict(zip(names, args, strict=False)), **kwargs}
                plain = tuple(Quantity(n, v, unit_of(n)) for n, v in bound.items() if isinstance(v, float | int | str | bool))
                trace.steps.append(
                    Step(
                        name=result,
                        value=value if isinstance(value, float | int | str | bool) else str(value),
                        unit=unit_of(result),
                        formula=words,
                        inputs=plain,
                        source=source,
                        uses=_links(trace.steps, plain),
                    )
                )
            return value

        LEAVES[f"{func.__module__}.{func.__qualname__}"] = leaf
        CITED.setdefault(source.key, set()).add(words)
        return cast(Callable[P, T], leaf)

    return wrap


def _links(earlier: list[Step], inputs: Iterable[Quantity]) -> tuple[str, ...]:
    found = []
    for quantity in inputs:
        fits = {s.name for s in earlier if s.value == quantity.value and s.unit == quantity.unit}
        if len(fits) == 1:
            found.append(fits.pop())
    return tuple(dict.fromkeys(found))


def recording() -> bool:
    """Return whether a working is being recorded: what only a working needs is made only then."""
    return _trace.get() is not None


def note_step(step: Step) -> None:
    """Add a choice, limit or assumption to the working that is being recorded, if any is."""
    trace = _trace.get()
    if trace is not None:
        trace.steps.append(step)


def explain(func: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> Explained[T]:
    """Run ``func`` and return its result with the steps of all leaves it called.

    Examples
    --------
    >>> from quarry.core.base.units import unit_of
    >>> @formula("a + b", source=ALGEBRA, result="sum_m")
    ... def add(a_m: float, b_m: float) -> float:
    ...     return a_m + b_m
    >>> done = explain(add, 2.0, 3.0)
    >>> done.value, done.steps[0].formula, done.steps[0].unit
    (5.0, 'a + b', 'm')
    """
    trace = _Trace()
    token = _trace.set(trace)
    try:
        value = func(*args, **kwargs)
    finally:
        _trace.reset(token)
    return Explained(value, tuple(trace.steps))


def working_of(title: str, func: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> tuple[T, Working]:
    """Return the result of a leaf-calling function and its `Working`; the last step names the result."""
    done = explain(func, *args, **kwargs)
    last = done.steps[-1]
    return done.value, Working(title, last.value, last.unit, done.steps)


def given(name: str, value: Value, *, label: str = "", source: Source, kind: StepKind = "input", note: str = "") -> Step:
    """Return a step that only states a value and on whose word it stands."""
    return Step(name=name, value=value, unit=unit_of(name), formula=label, source=source, kind=kind, note=note)


def summed(
    name: str, parts: Iterable[Quantity], *, unit: str, words: str = "sum", source: Source = ALGEBRA, note: str = ""
) -> Step:
    """Return the step of a sum with its parts."""
    found = tuple(parts)
    total = sum(float(q.value) for q in found if isinstance(q.value, int | float))
    return Step(name, total, unit, words, found, source=source, note=note)


def as_dict(working: Working) -> dict[str, object]:
    """Return a working as plain data for JSON."""
    return {
        "title": working.title,
        "value": working.value,
        "unit": working.unit,
        "note": working.note,
        "steps": [
            {
                "name": s.name,
                "value": s.value,
                "unit": s.unit,
                "formula": s.formula,
                "inputs": [{"name": q.name, "value": q.value, "unit": q.unit} for q in s.inputs],
                "source": s.source.words,
                "source_kind": s.source.kind,
                "kind": s.kind,
                "note": s.note,
                "uses": list(s.uses),
            }
            for s in working.steps
        ],
    }


def workings_dict(workings: Mapping[str, Working]) -> dict[str, dict[str, object]]:
    """Return several workings by key as plain data."""
    return {key: as_dict(w) for key, w in workings.items()}
