"""The records of one pack folded into what is known of it. Days are fractional days on any common count.

The fold is pure and knows no today: it can be kept, and judged anew each day. A wrong record is never erased; another
one stands in its place or takes it back.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from quarry.core.base.errors import CoreError
from quarry.core.cells.chemistry import Chemistry
from quarry.core.cells.ocv import charge_from_rest
from quarry.core.cells.resistance import resistance_at_25_ohm
from quarry.core.packs.care import PackState
from quarry.core.packs.charge_back import TimedFlight
from quarry.core.packs.health import CapacitySeen, LoadTestSeen, PackHistory, ResistanceSeen
from quarry.core.packs.load_test import LoadTest, LoadTestPolicy, judge_load_test
from quarry.core.packs.policy import PackPolicy
from quarry.core.packs.records import (
    FOR_GOOD,
    AlarmsSet,
    CapacityMeasured,
    Cared,
    Charged,
    Flown,
    GroundedBy,
    Happened,
    LoadTested,
    Looked,
    Read,
    Record,
    ReleasedBy,
    ResistanceRead,
    Rested,
    Stored,
)

LEAST_USED_FRAC = 0.25  # a charge-back over less than this says little of the capacity
FULL_FRAC = 0.95
COLD_AIR_C = 5.0  # a flight in colder air with the pack's temperature noted tells how its model bears the cold


@dataclass(frozen=True, slots=True)
class PackKind:
    """What a pack is by its label, and what was known of it before its first record.

    ``good_v`` and ``bad_v`` are levels of the load test of its own, from the maker's sheet.
    """

    chemistry: Chemistry
    cells_count: int
    rated_ah: float
    drains_itself: bool = False
    cycles_before: float = 0.0
    charge_frac: float = 0.6
    in_service_day: float = 0.0
    bought_day: float | None = None
    good_v: float | None = None
    bad_v: float | None = None

    @property
    def testable(self) -> bool:
        """Whether a load test says anything: the chemistry has usual levels, or this model has its own."""
        return (self.chemistry.test_good_v or self.good_v) is not None


@dataclass(frozen=True, slots=True)
class Entry:
    """A record with its time; ``corrects`` is the key of the entry in whose place it stands."""

    key: str
    at_day: float
    record: Record
    corrects: str = ""


@dataclass(frozen=True, slots=True)
class PackSnapshot:
    """What the records of a pack tell: its history for the verdict, its state for the care list, its use for label and money."""

    history: PackHistory
    charge_frac: float
    charge_day: float | None
    last_checked_day: float | None
    successor_ordered: bool
    out_of_service: bool
    flown_s: float
    flights_count: int
    timed: tuple[TimedFlight, ...]
    alarms: tuple[float, float, bool, float | None] | None = None
    cold_flights_count: int = 0


def standing_entries(entries: Sequence[Entry]) -> list[Entry]:
    """Return the entries that stand, in order of time; they are given in the order in which they were written.

    A withdrawal can itself be withdrawn: then what it took back stands again.
    """
    gone: set[str] = set()
    kept = []
    for e in reversed(entries):
        if e.key in gone:
            continue
        if e.corrects:
            gone.add(e.corrects)
        kept.append(e)
    kept.reverse()
    return sorted(kept, key=lambda e: e.at_day)


def test_policy(good_v: float | None, bad_v: float | None, policy: PackPolicy) -> LoadTestPolicy:
    """Return the policy of a load test with the levels of a pack's own model above those of the company."""
    if good_v is None or bad_v is None:
        return policy.load_test
    return replace(policy.load_test, good_v=good_v, bad_v=bad_v)


class _Fold:
    """The state while the records are read in order of time."""

    def __init__(self, kind: PackKind, policy: PackPolicy) -> None:
        self.kind, self.policy = kind, policy
        self.tests: list[LoadTestSeen] = []
        self.resistance: list[ResistanceSeen] = []
        self.capacity: list[CapacitySeen] = []
        self.timed: list[TimedFlight] = []
        self.pending: list[Flown] = []
        self.cycles = kind.cycles_before
        self.charge, self.charge_day = kind.charge_frac, None
        self.deep = self.full_lapses = self.heat_lapses = self.flights = self.cold = 0
        self.flown_s = 0.0
        self.full_since: float | None = None
        self.used: float | None = None
        self.checked: float | None = None
        self.rest_spread: float | None = None
        self.flown_low_v: float | None = None
        self.moist = False
        self.store_c: float | None = None
        self.store_frac: float | None = None
        self.swollen = self.damaged = self.ordered = self.out = False
        self.grounded = self.released = ""
        self.alarms: tuple[float, float, bool, float | None] | None = None

    charge_day: float | None

    def charged_to(self, share: float, day: float) -> None:
        self._end_of_full(day)
        self.charge, self.charge_day = share, day
        self.full_since = day if share >= FULL_FRAC else None

    def _end_of_full(self, day: float) -> None:
        if self.full_since is not None and day - self.full_since > self.policy.care.storage_after_days:
            self.full_lapses += not self.kind.drains_itself
        self.full_since = None

    def load_test(self, r: LoadTested, day: float) -> None:
        test = LoadTest(self.kind.cells_count, r.cell_v, r.total_v, r.start_frac, r.rest_cell_v, r.pack_c)
        found = judge_load_test(self.kind.chemistry, test, test_policy(self.kind.good_v, self.kind.bad_v, self.policy))
        if found.weakest_v is None or found.verdict == "not judged" or found.verdict == "not possible":  # noqa: PLR1714 - the checker narrows on these
            return
        grounds = found.verdict in ("bad", self.policy.load_test.grounds)
        seen = (found.verdict, found.weakest_v, found.weakest_cell, found.spread_v, found.good_v, found.bad_v)
        self.tests.append(LoadTestSeen(day, *seen, grounds))
        self.released = self.released if found.verdict == "inconclusive" else ""

    def flight(self, r: Flown, day: float) -> None:
        self.flights += 1
        self.cold += r.most_c is not None and r.air_c is not None and r.air_c < COLD_AIR_C
        self.flown_s += r.flown_s
        self.used = day
        self.flown_low_v = r.lowest_v
        self.deep += r.to_frac is not None and r.to_frac < self.policy.floor_frac
        self._heat(r.most_c, self.kind.chemistry.fly_low_c, self.kind.chemistry.fly_high_c)
        self.pending.append(r)
        if r.to_frac is not None:
            self.charged_to(r.to_frac, day)
        else:
            self._end_of_full(day)

    def charge_record(self, r: Charged, day: float) -> None:
        c = self.kind.chemistry
        self._heat(r.start_c, c.charge_low_c, c.charge_high_c)
        self._heat(r.most_c, c.charge_low_c, c.charge_high_c + 5.0)
        used = self._used_frac(r)
        if r.put_back_ah is not None:
            self.cycles += r.put_back_ah / self.kind.rated_ah
            self._charge_back(r.put_back_ah, used, day)
        elif used is not None:
            self.cycles += used
        self.pending.clear()
        if r.to_frac is not None:
            self.charged_to(r.to_frac, day)

    def _used_frac(self, r: Charged) -> float | None:
        """Return the share that a charge put back: as the charger showed it, else as the flights before it used it."""
        if r.from_frac is not None and r.to_frac is not None:
            return r.to_frac - r.from_frac
        spent = [f.from_frac - f.to_frac for f in self.pending if f.from_frac is not None and f.to_frac is not None]
        return sum(spent) if spent and len(spent) == len(self.pending) else None

    def _charge_back(self, put_back_ah: float, used: float | None, day: float) -> None:
        tells = used is not None and used >= LEAST_USED_FRAC
        health = put_back_ah / used / self.kind.rated_ah if used is not None and tells else None
        if health is not None and 0.3 <= health <= 1.12:
            self.capacity.append(CapacitySeen(day, self.cycles, health))
        flown = sum(f.flown_s for f in self.pending)
        if flown >= 20.0 and put_back_ah > 0.1 * self.kind.rated_ah:
            spent = [f.from_frac - f.to_frac for f in self.pending if f.from_frac is not None and f.to_frac is not None]
            share = sum(spent) if len(spent) == len(self.pending) and 0.05 <= sum(spent) <= 1.0 else None
            self.timed.append(TimedFlight(flown, put_back_ah, share))

    def _heat(self, seen_c: float | None, low_c: float, high_c: float) -> None:
        self.heat_lapses += seen_c is not None and not low_c <= seen_c <= high_c

    def rest(self, r: Rested, day: float) -> None:
        self.checked = day
        volts = r.cell_v or ((r.total_v / self.kind.cells_count,) if r.total_v is not None else ())
        if r.cell_v:
            self.rest_spread = max(r.cell_v) - min(r.cell_v)
        try:
            charge_frac = charge_from_rest(
                self.kind.chemistry, sum(volts) * self.kind.cells_count / len(volts), self.kind.cells_count
            )
        except CoreError:  # a cell far below its floor: the spread tells of it, the charge is nothing
            self.charged_to(0.0, day)
            return
        if charge_frac.tells:
            self.charged_to(charge_frac.middle_frac, day)

    def mishap(self, r: Happened, _day: float) -> None:
        if r.what in FOR_GOOD:
            self.swollen |= r.what == "swelling"
            self.damaged |= r.what == "damage"
        else:
            self.grounded = f"{r.what}{f': {r.words}' if r.words else ''}"

    def cared(self, r: Cared, day: float) -> None:
        if r.task == "monthly check":
            self.checked = day
        elif r.task == "order successor":
            self.ordered = True
        elif r.task in ("take out of service", "recycle"):
            self.out = True
        elif r.task == "balance":
            self.rest_spread = None
        elif r.task == "bring to storage":
            self.charged_to(self.policy.care.storage_frac, day)

    def resistance_read(self, r: ResistanceRead, day: float) -> None:
        at_25 = tuple(resistance_at_25_ohm(x, r.pack_c) for x in r.cell_ohm)
        self.resistance.append(ResistanceSeen(day, self.cycles, at_25))

    def capacity_measured(self, r: CapacityMeasured, day: float) -> None:
        self.capacity.append(CapacitySeen(day, self.cycles, r.capacity_ah / self.kind.rated_ah))

    def stored(self, r: Stored, day: float) -> None:
        self._heat(r.air_c, self.kind.chemistry.store_low_c, self.kind.chemistry.store_high_c)
        self.store_c = self.store_c if r.air_c is None else r.air_c
        self.store_frac = self.store_frac if r.humidity_frac is None else r.humidity_frac
        if r.charge_frac is not None:
            self.charged_to(r.charge_frac, day)

    def read(self, r: Read, day: float) -> None:
        if r.charge_frac is not None:
            self.charged_to(r.charge_frac, day)
        self._heat(r.pack_c, self.kind.chemistry.fly_low_c, self.kind.chemistry.fly_high_c)

    def looked(self, r: Looked, _day: float) -> None:
        self.swollen |= r.swelling
        self.damaged |= r.damage
        self.moist = r.moisture

    def grounded_by(self, r: GroundedBy, _day: float) -> None:
        self.grounded, self.released = r.words, ""

    def released_by(self, r: ReleasedBy, _day: float) -> None:
        self.grounded, self.released, self.out = "", r.words, False

    def alarms_set(self, r: AlarmsSet, _day: float) -> None:
        self.alarms = (r.first_v, r.second_v, r.proven, r.loss_v)

    def take(self, r: Record, day: float) -> None:
        takes = _TAKES.get(type(r))
        if takes is not None:
            takes(self, r, day)

    def end(self) -> PackSnapshot:
        history = PackHistory(
            tests=tuple(self.tests),
            resistance=tuple(self.resistance),
            capacity=tuple(self.capacity),
            cycles=self.cycles,
            deep_count=self.deep,
            bought_day=self.kind.bought_day,
            last_used_day=self.used,
            rest_spread_v=self.rest_spread,
            flown_low_v=self.flown_low_v,
            land_v=self.kind.chemistry.land_loaded_v,
            moist=self.moist,
            store_c=self.store_c,
            store_frac=self.store_frac,
            full_lapses_count=self.full_lapses,
            heat_lapses_count=self.heat_lapses,
            swollen=self.swollen,
            damaged=self.damaged,
            grounded_why=self.grounded,
            released_why=self.released,
        )
        return PackSnapshot(
            history,
            self.charge,
            self.charge_day,
            self.checked,
            self.ordered,
            self.out,
            self.flown_s,
            self.flights,
            tuple(self.timed),
            self.alarms,
            self.cold,
        )


_TAKES: dict[type[Record], Callable[[_Fold, Any, float], None]] = {
    LoadTested: _Fold.load_test,
    ResistanceRead: _Fold.resistance_read,
    CapacityMeasured: _Fold.capacity_measured,
    Rested: _Fold.rest,
    Flown: _Fold.flight,
    Charged: _Fold.charge_record,
    Stored: _Fold.stored,
    Read: _Fold.read,
    Looked: _Fold.looked,
    Happened: _Fold.mishap,
    GroundedBy: _Fold.grounded_by,
    ReleasedBy: _Fold.released_by,
    Cared: _Fold.cared,
    AlarmsSet: _Fold.alarms_set,
}


def fold(kind: PackKind, entries: Sequence[Entry], policy: PackPolicy | None = None) -> PackSnapshot:
    """Return what the records of a pack tell.

    A record that cannot be read under the label as it is now (the cells were corrected later, say) is passed over.
    """
    state = _Fold(kind, policy or PackPolicy())
    for e in standing_entries(entries):
        try:
            state.take(e.record, e.at_day)
        except CoreError:
            continue
    return state.end()


def digest(snapshot: PackSnapshot) -> PackSnapshot:
    """Return the least of a snapshot from which the verdict and the care of any later day follow alike."""
    h = snapshot.history
    same = [r for r in h.resistance if h.resistance and len(r.cell_ohm) == len(h.resistance[0].cell_ohm)]
    kept = same if len(same) <= 4 else [*same[:3], same[-1]]
    slim = replace(h, tests=h.tests[-1:], resistance=tuple(kept), capacity=h.capacity[-3:])
    return replace(snapshot, history=slim, timed=())


_TODAYS = {"end of life": "replace soon"}  # what digests of older versions say


def snapshot_from(kept: dict[str, Any]) -> PackSnapshot:
    """Return the snapshot that was made plain for keeping."""
    h = kept["history"]
    history = PackHistory(
        **{
            **h,
            "tests": tuple(LoadTestSeen(**{**t, "verdict": _TODAYS.get(t["verdict"], t["verdict"])}) for t in h["tests"]),
            "resistance": tuple(ResistanceSeen(r["day"], r["cycles"], tuple(r["cell_ohm"])) for r in h["resistance"]),
            "capacity": tuple(CapacitySeen(**c) for c in h["capacity"]),
        }
    )
    timed = tuple(TimedFlight(**t) for t in kept["timed"])
    # A digest of an older version knows no loss.
    alarms = (*kept["alarms"][:3], kept["alarms"][3] if len(kept["alarms"]) > 3 else None) if kept["alarms"] else None
    return PackSnapshot(**{**kept, "history": history, "timed": timed, "alarms": alarms})


def health_today_frac(history: PackHistory, entered_frac: float) -> float:
    """Return the state of health that a plan may count on: the median of the last three measured, else what was entered."""
    if not history.capacity:
        return entered_frac
    return min(1.0, max(0.3, statistics.median(c.health_frac for c in history.capacity[-3:])))


def grounds(history: PackHistory) -> str:
    """Return why a pack may not fly, from its records alone; empty if it may."""
    if history.swollen or history.damaged:
        return "swollen: out of service" if history.swollen else "damaged: out of service"
    if history.grounded_why:
        return history.grounded_why
    last = history.tests[-1] if history.tests else None
    if last is not None and (last.grounds or last.verdict == "bad") and not history.released_why:
        cell = f"cell {last.weakest_cell} fell to " if last.weakest_cell else ""
        return f"load test: {cell}{last.weakest_v:.2f} V"
    return ""


def pack_state(
    name: str, kind: PackKind, snapshot: PackSnapshot, *, drains_after_days: int | None, next_flight_day: int | None
) -> PackState:
    """Return what the care list asks of a pack, in whole days."""
    h = snapshot.history

    def whole(day: float | None) -> int | None:
        return None if day is None else math.floor(day)

    return PackState(
        name,
        snapshot.charge_frac,
        math.floor(kind.in_service_day),
        whole(h.last_used_day),
        whole(h.tests[-1].day) if h.tests else None,
        whole(snapshot.last_checked_day),
        next_flight_day,
        drains_after_days if kind.drains_itself else None,
        h.rest_spread_v,
        snapshot.successor_ordered,
        snapshot.out_of_service,
        kind.testable,
    )
