"""Groups of flights laid over one another."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from quarry.apps.logbook.formats.samples import log_from
from quarry.apps.logbook.views import (
    AdjustedOut,
    Axis,
    BandOut,
    CompareOut,
    CompareRow,
    CurveOf,
    DifferenceOut,
    FlightCurveOut,
    FlightFigures,
    FlightGroupOut,
    GroupFlight,
    ImbalanceOut,
    PhaseDraw,
)
from quarry.core.base.errors import CoreError
from quarry.core.defaults import LANDING
from quarry.core.logs.compare import Curve, Moments, curve_of, middle_of
from quarry.core.logs.discharge import minutes_to
from quarry.core.logs.groups import Condition, Conditions, Flown, imbalances, table_of

_PHASES = {"hover": "hover_w", "line": "line_w", "climb": "climb_w"}


@dataclass(frozen=True, slots=True)
class Compared:
    """A flight of a group: its line in the group, what it says, what it was flown under, its samples, and its cells in series."""

    line: GroupFlight
    figures: FlightFigures
    by_phase: Sequence[PhaseDraw]
    conditions: Conditions
    samples: bytes
    cells: int | None


def conditions_of(numbers: Mapping[Condition, float | None], names: Mapping[Condition, str]) -> Conditions:
    """Return what a flight was flown under, of what is known."""
    return Conditions({k: v for k, v in numbers.items() if v is not None}, {k: v for k, v in names.items() if v})


def compared(
    groups: Sequence[Sequence[Compared]],
    quantity: CurveOf,
    axis: Axis,
    at_frac: float | None,
    by: frozenset[Condition],
) -> CompareOut:
    """Return curves and middles of groups, what else differs between them, and the table of differences from the first."""
    flown = [[Flown(_figures(f), f.conditions) for f in group] for group in groups]
    differ = imbalances(flown, by)
    without = [c for c in dict.fromkeys(i.condition for i in differ) if all(i.shared for i in differ if i.condition == c)]
    rows = table_of(flown, without)
    taken = {c for row in rows for a in row.adjusted if a is not None for c in a.without}
    return CompareOut(
        groups=[_group(g, quantity, axis, at_frac) for g in groups],
        table=[
            CompareRow(
                figure=row.figure,
                unit=row.unit,
                middles=list(row.middles),
                counts=list(row.counts),
                against=[
                    None if d is None else DifferenceOut(difference=d.difference, low=d.low, high=d.high, noise=d.noise)
                    for d in row.against
                ],
                adjusted=[
                    None
                    if a is None
                    else AdjustedOut(difference=a.difference, low=a.low, high=a.high, noise=a.noise, without=list(a.without))
                    for a in row.adjusted
                ],
            )
            for row in rows
        ],
        imbalances=[
            ImbalanceOut(condition=i.condition, group=i.group, mine=i.mine, first=i.first, taken_out=i.condition in taken)
            for i in differ
        ],
        reserve_frac=LANDING.value,
        quantity=quantity,
        axis=axis,
    )


def _figures(f: Compared) -> dict[str, float | None]:
    """Return the figures of a flight that are compared, with those that follow from others."""
    seen = f.figures
    found: dict[str, float | None] = {
        name: value
        for name in FlightFigures.__dataclass_fields__
        if (value := getattr(seen, name)) is None or (isinstance(value, (int, float)) and not isinstance(value, bool))
    }
    to_reserve = minutes_to(found, LANDING.value)
    found |= {"to_reserve_s": None if to_reserve is None else 60.0 * to_reserve}
    found |= {"drops_count": float(len(seen.drops)) if seen.from_frac is not None else None}
    return found | {_PHASES[p.name]: p.mean_w for p in f.by_phase if p.name in _PHASES}


def _group(flights: Sequence[Compared], quantity: CurveOf, axis: Axis, at_frac: float | None) -> FlightGroupOut:
    made: list[tuple[UUID, Curve]] = []
    for f in flights:
        moments = Moments(f.figures.warned_s, f.figures.critical_at_s)
        try:
            made.append((f.line.id, curve_of(log_from(f.samples), quantity, axis, f.cells, moments, at_frac)))
        except CoreError:
            continue
    middle = middle_of([c for _, c in made])
    band = None
    if middle is not None:
        mid, low, high = middle
        band = BandOut(x=list(mid.x), middle=list(mid.y), low=list(low.y), high=list(high.y))
    return FlightGroupOut(
        curves=[FlightCurveOut(id=key, x=list(c.x), y=list(c.y), warned=c.warned, critical=c.critical) for key, c in made],
        band=band,
        without=len(flights) - len(made),
        flights=[f.line for f in flights],
    )
