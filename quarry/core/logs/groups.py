"""Groups of flights held against one another: what differs, and what it is once other conditions that differ are taken out."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit  # type: ignore[import-untyped]

from quarry.core.cells.resistance import resistance_at_25_ohm
from quarry.core.logs.calibrate import USUAL_SCATTER_FRAC, Difference, difference

Floats = NDArray[np.float64]
Condition = Literal[
    "air_c",
    "wind_m_s",
    "payload_kg",
    "from_c",
    "from_frac",
    "aircraft_model",
    "pack_model",
    "firmware",
    "job",
    "person",
    "aircraft",
    "pack",
]
# What flights are flown under, in the order in which it is taken out. Of numbers: by how much two groups have to lie apart to
# be worth a word, whatever their scatter. Common practice, no source.
NUMBERS: Mapping[Condition, float] = {"air_c": 2.0, "wind_m_s": 1.0, "payload_kg": 0.05, "from_c": 3.0, "from_frac": 0.03}
_COARSER: Mapping[Condition, Condition] = {"pack": "pack_model", "aircraft": "aircraft_model"}
NAMES: tuple[Condition, ...] = ("aircraft_model", "pack_model", "firmware", "job", "person", "aircraft", "pack")
# A quarter of a standard deviation between the means of two groups upsets a regression on them: Rubin, Using propensity scores
# to help design observational studies, Health Services and Outcomes Research Methodology 2:169-188, 2001; quoted from memory.
_APART_SD = 0.25
_APART_FRAC = 0.25  # share of flights that would have to be of another name
_MOST_INFLATION = 10.0  # variance of a difference against that without the condition; common practice, no source
_LEAST_FREE = 4
_SURE_FRAC = 0.95

# By figure its unit, and what it scatters by from one flight to the next of the same kind; None: a share of itself. The share of
# a voltage would hide a cell that lies far lower. Common practice, no source.
FIGURES: tuple[tuple[str, str, float | None], ...] = (
    ("length_s", "s", None),
    ("to_reserve_s", "s", None),
    ("min_per_percent", "min", None),
    ("above_knee_min", "min", None),
    ("below_knee_min", "min", None),
    ("used_frac", "", 0.03),
    ("low_run_s", "s", None),
    ("warned_to_landing_s", "s", None),
    ("critical_s", "s", None),
    ("knee_frac", "", 0.04),
    ("drops_count", "", 1.0),
    ("mean_w", "W", None),
    ("hover_w", "W", None),
    ("line_w", "W", None),
    ("climb_w", "W", None),
    ("hard_a", "A", None),
    ("wh_per_km", "Wh/km", None),
    ("lowest_v", "V", 0.03),
    ("spread_v", "V", 0.008),
    ("resistance_25_ohm", "Ω", None),
    ("most_c", "°C", 2.5),
    ("settled_c", "°C", 2.5),
)


@dataclass(frozen=True, slots=True)
class Conditions:
    """What a flight was flown under; what is not known is missing."""

    numbers: Mapping[Condition, float] = field(default_factory=dict)
    names: Mapping[Condition, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Flown:
    """A flight of a group: what it says, and what it was flown under."""

    figures: Mapping[str, float | None]
    conditions: Conditions = field(default_factory=Conditions)


@dataclass(frozen=True, slots=True)
class Imbalance:
    """A condition in which a group differs from the first: means of numbers, or the names that most of its flights have.

    ``shared``: both groups have flights under like conditions, so that it can be taken out.
    """

    condition: Condition
    group: int
    mine: float | str
    first: float | str
    shared: bool


@dataclass(frozen=True, slots=True)
class Adjusted:
    """How far a group lies from the first by a regression that takes other conditions out, with the bounds for nine in ten."""

    difference: float
    low: float
    high: float
    noise: bool
    without: tuple[Condition, ...]


@dataclass(frozen=True, slots=True)
class Row:
    """One figure over all groups: middles, how many flights tell it, and how far each later group lies from the first."""

    figure: str
    unit: str
    middles: tuple[float | None, ...]
    counts: tuple[int, ...]
    against: tuple[Difference | None, ...]
    adjusted: tuple[Adjusted | None, ...]


def figure_of(figures: Mapping[str, float | None], name: str) -> float | None:
    """Return a figure of a flight; some follow from others."""
    if name == "warned_to_landing_s":
        length, warned = figures.get("length_s"), figures.get("warned_s")
        return None if length is None or warned is None else float(length - warned)
    value = figures.get(name)
    ohm, warm = figures.get("resistance_ohm"), figures.get("resistance_c")
    if name == "resistance_25_ohm" and value is None and ohm is not None and warm is not None:
        return resistance_at_25_ohm(ohm, warm)
    return None if value is None else float(value)


def imbalances(groups: Sequence[Sequence[Flown]], by: frozenset[Condition]) -> tuple[Imbalance, ...]:
    """Return in what later groups differ from the first besides what they are compared ``by``.

    Numbers: where means lie a quarter of a standard deviation apart, and so much that it is worth a word. Names: where a
    quarter of the flights would have to be of another.
    """
    found: list[Imbalance] = []
    for condition in (*NUMBERS, *NAMES):
        coarser = _COARSER.get(condition)
        if condition in by or coarser in by:
            continue
        for k in range(1, len(groups)):
            if any(i.condition == coarser and i.group == k for i in found):
                continue
            differs = (
                _numbers_differ(condition, groups[k], groups[0], k)
                if condition in NUMBERS
                else _names_differ(condition, groups[k], groups[0], k)
            )
            if differs is not None:
                found.append(differs)
    return tuple(found)


def _numbers_differ(condition: Condition, mine: Sequence[Flown], first: Sequence[Flown], k: int) -> Imbalance | None:
    a, b = (np.array([v for f in g if (v := f.conditions.numbers.get(condition)) is not None]) for g in (mine, first))
    if not a.size or not b.size:
        return None
    apart = float(abs(a.mean() - b.mean()))
    scatter = math.sqrt((float(a.var()) + float(b.var())) / 2)
    if apart < NUMBERS[condition] or apart < _APART_SD * scatter:
        return None
    shared = float(a.min()) <= float(b.max()) and float(b.min()) <= float(a.max())
    return Imbalance(condition, k, float(a.mean()), float(b.mean()), shared)


def _names_differ(condition: Condition, mine: Sequence[Flown], first: Sequence[Flown], k: int) -> Imbalance | None:
    a, b = (Counter(v for f in g if (v := f.conditions.names.get(condition))) for g in (mine, first))
    if not a or not b:
        return None
    apart = sum(abs(a[n] / a.total() - b[n] / b.total()) for n in {*a, *b}) / 2
    if apart < _APART_FRAC:
        return None
    return Imbalance(condition, k, _most(a), _most(b), bool({*a} & {*b}))


def _most(names: Counter[str]) -> str:
    return min(names, key=lambda n: (-names[n], n))


def table_of(groups: Sequence[Sequence[Flown]], without: Sequence[Condition] = ()) -> list[Row]:
    """Return by figure how the middle of each later group lies from that of the first, as it is and ``without`` conditions."""
    rows = []
    for name, unit, scatter in FIGURES:
        known = [[(v, f) for f in group if (v := figure_of(f.figures, name)) is not None] for group in groups]
        values = [[v for v, _ in g] for g in known]
        if sum(1 for v in values if v) < 2:
            continue
        against = [difference(v, values[0], scatter=scatter) if v and values[0] else None for v in values[1:]]
        rows.append(
            Row(
                name,
                unit,
                tuple(float(np.median(v)) if v else None for v in values),
                tuple(len(v) for v in values),
                tuple(against),
                adjusted(known, without, scatter) if without else (None,) * len(against),
            )
        )
    return rows


def adjusted(
    known: Sequence[Sequence[tuple[float, Flown]]], without: Sequence[Condition], scatter: float | None = None
) -> tuple[Adjusted | None, ...]:
    """Return how far each later group lies from the first with conditions taken out, by least squares over all flights.

    One straight line for each number and one step for each name, alike in all groups; bounds by Student's t. A condition is
    left in where too few flights tell it, or where it goes with the groups so closely that the two cannot be told apart.
    None where a group has no flight, or nothing could be taken out.
    """
    of = np.array([k for k, group in enumerate(known) for _ in group])
    flights = [f for group in known for _, f in group]
    y = np.array([v for group in known for v, _ in group])
    present = [k for k in range(1, len(known)) if known[k]]
    nothing: tuple[None, ...] = (None,) * (len(known) - 1)
    if not present or not known[0]:
        return nothing
    design = np.column_stack([np.ones(y.size), *((of == k).astype(float) for k in present)])
    rows = np.ones(y.size, dtype=bool)
    taken: list[Condition] = []
    for condition in without:
        columns = _columns_of(condition, flights)
        if columns is None:
            continue
        wider, kept = np.column_stack([design, columns]), rows & np.isfinite(columns).all(axis=1)
        if _may_take(wider[kept], design[kept], len(present), of[kept], present):
            design, rows = wider, kept
            taken.append(condition)
    if not taken:
        return nothing
    return _by_regression(design[rows], y[rows], [k in present for k in range(1, len(known))], tuple(taken), scatter)


def _columns_of(condition: Condition, flights: Sequence[Flown]) -> Floats | None:
    """Return a condition as columns of a regression: a number as it is, a name as one step for each but the most common."""
    if condition in NUMBERS:
        values = np.array([f.conditions.numbers.get(condition, math.nan) for f in flights])
        known = values[np.isfinite(values)]
        return (values - known.mean())[:, None] if known.size and np.ptp(known) > 0 else None
    names = [f.conditions.names.get(condition, "") for f in flights]
    levels = [n for n, _ in Counter(n for n in names if n).most_common()]
    if len(levels) < 2:
        return None
    return np.array([[math.nan if not n else float(n == level) for level in levels[1:]] for n in names])


def _may_take(wider: Floats, design: Floats, groups: int, of: NDArray[np.int64], present: Sequence[int]) -> bool:
    """Return whether a condition can be taken out: flights enough, no column twice, and no group that goes with it closely."""
    if any(not (of == k).any() for k in (0, *present)) or wider.shape[0] - wider.shape[1] < _LEAST_FREE:
        return False
    if np.linalg.matrix_rank(wider) < wider.shape[1]:
        return False
    before, after = (np.diag(np.linalg.inv(m.T @ m))[1 : 1 + groups] for m in (design, wider))
    return bool((after <= _MOST_INFLATION * before).all())


def _by_regression(
    design: Floats, y: Floats, present: Sequence[bool], taken: tuple[Condition, ...], scatter: float | None
) -> tuple[Adjusted | None, ...]:
    inverse = np.linalg.inv(design.T @ design)
    estimate = inverse @ design.T @ y
    free = y.size - design.shape[1]
    own = float(np.sum((y - design @ estimate) ** 2)) / free
    usual = (USUAL_SCATTER_FRAC * abs(float(np.median(y))) if scatter is None else scatter) ** 2
    # Few flights may lie close together by luck: their scatter is drawn to the usual one.
    weight = free / (free + _LEAST_FREE)
    variance = weight * own + (1 - weight) * usual
    found: list[Adjusted | None] = []
    column = 0
    for here in present:
        if not here:
            found.append(None)
            continue
        column += 1
        middle = float(estimate[column])
        off = float(stdtrit(free, _SURE_FRAC)) * math.sqrt(variance * float(inverse[column, column]))
        found.append(Adjusted(middle, middle - off, middle + off, abs(middle) <= off, taken))
    return tuple(found)
