"""Columns of a log: what is looked at of each, what each may be, and what it is taken for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from quarry.core.logs.lexicon import Unit, unit_named
from quarry.core.logs.quantities import BY_NAME

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Column:
    """One column of a log and what it is taken for.

    ``quantity`` and ``unit`` are empty where it is not used; ``cell`` counts from one, 0 for all cells in one column;
    ``certain`` is False where a person is asked, and ``why`` says what spoke for it.
    """

    index: int
    header: str
    quantity: str = ""
    unit: str = ""
    cell: int = 0
    certain: bool = True
    why: str = ""


@dataclass(frozen=True, slots=True)
class Sample:
    """What is looked at of one column: its header, the unit below it, and thinned values.

    ``numbers``: None where it holds words; ``words``: some of them; ``parts``: columns within it where it is a list;
    ``clock``: “moment” or “date” where its words are such, ``order`` which comes first in their dates and whether the log tells it;
    ``place``: its words are degrees, with the letters of the hemispheres; ``percent``: a percent sign stands behind each number.
    """

    header: str
    below: str = ""
    numbers: Floats | None = None
    words: tuple[str, ...] = ()
    parts: tuple[Floats, ...] = ()
    clock: str = ""
    place: str = ""
    percent: bool = False
    order: str = ""
    order_sure: bool = True

    @property
    def known(self) -> Floats:
        """Return its numbers that are told; empty where it holds words."""
        return np.empty(0) if self.numbers is None else self.numbers[np.isfinite(self.numbers)]

    def canonical(self, unit: Unit) -> Floats:
        """Return its numbers in the canonical unit of their quantity; empty where it holds words."""
        return np.empty(0) if self.numbers is None else values_in(self.numbers, unit)


@dataclass(frozen=True, slots=True)
class Above:
    """What stands above a table of its units: by dimension, or column by column; and whether its status is told in flags."""

    declared: Mapping[str, Unit] = field(default_factory=dict)
    listed: tuple[tuple[Unit, ...], ...] = ()
    flags: bool = False


@dataclass(frozen=True, slots=True)
class Candidate:
    """What one column may be, in which unit, how much speaks for it, and whether its name does."""

    quantity: str
    unit: Unit
    odds_nat: float
    said: bool
    certain: bool = True
    why: str = ""


def unit_of(column: Column) -> Unit:
    """Return the unit of a column that is used."""
    quantity = BY_NAME[column.quantity]
    return unit_named(quantity.dimension, column.unit) or quantity.units[0]


def values_in(sample: Floats, unit: Unit) -> Floats:
    """Return values in the canonical unit of their quantity."""
    return np.asarray((sample + unit.offset) * unit.factor, dtype=np.float64)
