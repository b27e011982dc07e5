"""Errors that name the field and the remedy.

A call that makes no sense raises; a *no go* is a result and is never raised.
"""

from __future__ import annotations


class CoreError(ValueError):
    """A request that cannot be answered as it stands.

    Parameters
    ----------
    message : str
        One plain sentence: what is wrong and what to do.
    field : str
        Dotted name of the input that caused it; empty if no single input did.
    """

    code = "invalid"

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.field = field

    def __reduce__(self) -> tuple[type[CoreError], tuple[str, str]]:
        """Keep the field when an error comes from another process."""
        return type(self), (self.message, self.field)


class OutOfRange(CoreError):
    """A number lies outside the range for which the rule holds."""

    code = "out_of_range"


class MissingInput(CoreError):
    """Something needed was not given."""

    code = "missing"


class BadGeometry(CoreError):
    """An outline, keep-out or point cannot be used as drawn."""

    code = "bad_geometry"


class BadReading(CoreError):
    """A reading contradicts itself or what is known of the pack."""

    code = "bad_reading"


class Infeasible(CoreError):
    """The task cannot be done with what is given; the message says what would make it possible."""

    code = "infeasible"


def require_range(value: float, low: float, high: float, field: str, what: str, unit: str) -> float:
    """Return ``value`` if it lies in [low, high], else raise `OutOfRange` with the range in words."""
    if not (low <= value <= high):
        of = f" {unit}" if unit else ""
        raise OutOfRange(f"{what} is {value:g}{of}; give a value from {low:g} to {high:g}{of}.", field)
    return value
