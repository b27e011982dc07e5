"""The life of a pack as beds of time: when it flew, when it lay, when it was left full, and what stood out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from quarry.core.packs.load_test import LoadTest, judge_load_test
from quarry.core.packs.policy import PackPolicy
from quarry.core.packs.records import (
    AlarmsSet,
    CapacityMeasured,
    Charged,
    Flown,
    GroundedBy,
    Happened,
    LoadTested,
    ReleasedBy,
    Stored,
)
from quarry.core.packs.snapshot import FULL_FRAC, Entry, PackKind, standing_entries, test_policy

REST_DAYS = 12.0
BedState = Literal["flown", "shelf", "left full"]


@dataclass(frozen=True, slots=True)
class Bed:
    """A stretch of time in one state; ``flights`` in it."""

    from_day: float
    to_day: float
    state: BedState
    flights: int = 0


@dataclass(frozen=True, slots=True)
class Mark:
    """Something that stood out, and whether it counts against the pack."""

    at_day: float
    words: str
    grave: bool


@dataclass(frozen=True, slots=True)
class Life:
    """Beds and marks, oldest first."""

    beds: tuple[Bed, ...]
    marks: tuple[Mark, ...]


def life_of(kind: PackKind, entries: Sequence[Entry], today_day: float, policy: PackPolicy | None = None) -> Life:
    """Return the life of a pack up to today.

    Flights no more than twelve days apart make one bed; between them it lay, full if its last charge left it so.
    """
    standing = standing_entries(entries)
    if not standing:
        return Life((), ())
    p = policy or PackPolicy()
    beds: list[Bed] = []
    flown: Bed | None = None
    lay_from, full = standing[0].at_day, False
    for e in standing:
        if isinstance(e.record, Flown):
            if flown is not None and e.at_day - flown.to_day <= REST_DAYS:
                flown = replace(flown, to_day=e.at_day, flights=flown.flights + 1)
            else:
                beds += [flown] if flown is not None else []
                if e.at_day - lay_from > 1:
                    beds.append(Bed(lay_from, e.at_day, "left full" if full else "shelf"))
                flown = Bed(e.at_day, e.at_day, "flown", 1)
            lay_from = e.at_day
        full = _full_after(e, full)
    beds += [flown] if flown is not None else []
    if today_day - lay_from > REST_DAYS:
        beds.append(Bed(lay_from, today_day, "left full" if full else "shelf"))
    return Life(tuple(beds), tuple(_marks(kind, standing, p)))


def _full_after(e: Entry, full: bool) -> bool:
    r = e.record
    if isinstance(r, Charged) and r.to_frac is not None:
        return r.to_frac >= FULL_FRAC
    if isinstance(r, Stored) and r.charge_frac is not None:
        return r.charge_frac >= FULL_FRAC
    return False if isinstance(r, Flown) else full


def _marks(kind: PackKind, standing: Sequence[Entry], policy: PackPolicy) -> list[Mark]:
    before = f", {kind.cycles_before:.0f} cycles before it" if kind.cycles_before else ""
    found = [Mark(standing[0].at_day, f"first record{before}", grave=False)]
    worst = "good"
    for e in standing:
        r = e.record
        if isinstance(r, LoadTested):
            test = LoadTest(kind.cells_count, r.cell_v, r.total_v, r.start_frac, r.rest_cell_v, r.pack_c)
            result = judge_load_test(kind.chemistry, test, test_policy(kind.good_v, kind.bad_v, policy))
            if result.verdict in ("replace soon", "bad") and result.verdict != worst:
                found.append(Mark(e.at_day, f"load test {result.weakest_v:.2f} V: {result.verdict}", grave=True))
            worst = result.verdict
        elif isinstance(r, Happened):
            found.append(Mark(e.at_day, r.what, grave=True))
        elif isinstance(r, GroundedBy):
            found.append(Mark(e.at_day, "grounded", grave=True))
        elif isinstance(r, ReleasedBy):
            found.append(Mark(e.at_day, "released by a lead", grave=False))
        elif isinstance(r, Flown) and r.to_frac is not None and r.to_frac < policy.floor_frac:
            found.append(Mark(e.at_day, f"landed at {r.to_frac:.0%}, below the floor", grave=True))
        elif isinstance(r, CapacityMeasured):
            found.append(Mark(e.at_day, f"capacity measured {r.capacity_ah:.1f} Ah", grave=False))
        elif isinstance(r, AlarmsSet):
            found.append(Mark(e.at_day, f"alarm levels set{', proven' if r.proven else ''}", grave=False))
    return found
