"""What a schedule says of its day, its times apart: temperatures of packs, charge at landing, cautions, workings."""

from __future__ import annotations

import math
from dataclasses import dataclass

from quarry.core.base.errors import CoreError
from quarry.core.base.sources import ALGEBRA, BUHLMANN, ENTERED, PRACTICE
from quarry.core.base.working import Quantity, Step, Working, explain, summed
from quarry.core.cells.thermal import pack_tau_s
from quarry.core.dayplan.hours import DayHours
from quarry.core.dayplan.pins import Pin
from quarry.core.dayplan.supply import supply_working
from quarry.core.dayplan.task import DayTask
from quarry.core.power.charging import charge_time_s
from quarry.core.rotation.bounds import bound_working
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import PackSet, Rotation
from quarry.core.rotation.people import long_spells
from quarry.core.rotation.timeline import Bed, finish_working, pack_timelines

_LATE_S = 60.0


@dataclass(frozen=True, slots=True)
class WarmBed:
    """One state of a pack for a while, with its temperature at begin and end. [°C]"""

    bed: Bed
    from_c: float
    to_c: float


@dataclass(frozen=True, slots=True)
class PackDay:
    """The day of one pack of a set."""

    set: str
    pack: int
    beds: tuple[WarmBed, ...]


def length_of(day: DayTask, plan: Rotation) -> float:
    """Return how long a day is drawn: to the end of its hours, its last landing and its last charge. [s]"""
    ends = [b for _, b in day.task.windows or ()]
    return max([*ends, plan.makespan_s, *(c.end_s for c in plan.charges)])


def pack_days(day: DayTask, plan: Rotation) -> list[PackDay]:
    """Return the day of every pack with its temperature: warmed by a sortie, cooling to where the crew keeps packs."""
    bench_c, tau_s = day.inputs.bench_c, pack_tau_s(1.0, 1)
    found = []
    for line in pack_timelines(day.task, plan, length_of(day, plan)):
        pack_c = bench_c
        beds = []
        for bed in line.beds:
            began_c = pack_c
            if bed.state == "flying":
                pack_c = day.flights[bed.label].settles_c
            else:
                pack_c = bench_c + (pack_c - bench_c) * math.exp(-(bed.end_s - bed.start_s) / tau_s)
            beds.append(WarmBed(bed, began_c, pack_c))
        found.append(PackDay(line.set, line.pack, tuple(beds)))
    return found


def lands_with(day: DayTask, plan: Rotation) -> dict[str, float]:
    """Return with what share each sortie lands where packs are charged to the need; nothing where only full packs fly."""
    if day.task.policy != "partial":
        return {}
    found: dict[str, float] = {}
    for line in pack_timelines(day.task, plan, length_of(day, plan)):
        for bed in line.beds:
            if bed.state == "flying":
                found[bed.label] = min(found.get(bed.label, math.inf), bed.curve[-1][1])
    return found


def cautions_of(day: DayTask, plan: Rotation) -> list[str]:
    """Return what a schedule asks people to see: long spells without a break, charges that were fixed and are idle or late."""
    people = day.inputs.learned.people
    spells = long_spells([(f.takeoff_s, f.landing_s) for f in plan.flights], people)
    found = [
        f"{(b - a) / 3600:.1f} h from a launch to a landing without {people.break_min:g} min in which nothing flies: plan a break."
        for a, b in spells
    ]
    known = {s.id for s in day.task.sets}
    fixed = [p for p in day.inputs.pins if p.kind == "charge" and p.set in known]
    return found + [words for p in fixed if (words := _idle(p, plan, day.inputs.hours))]


def _idle(pin: Pin, plan: Rotation, hours: DayHours) -> str:
    starts = [c.start_s for c in plan.charges if c.set == pin.set]
    wanted_s = (pin.from_s or 0.0) - hours.opens_s
    if not starts:
        return f"{pin.words} is fixed, and no sortie of the plan needs that charge."
    late_s = min(starts) - wanted_s
    return f"{pin.words} is fixed; a port is free for it {round(late_s / 60)} min later." if late_s > _LATE_S else ""


def pins_cost_s(day: DayTask, plan: Rotation) -> float | None:
    """Return how much later the day ends for what is fixed: both by the dispatcher; None where nothing is. [s]"""
    if not day.inputs.pins:
        return None
    try:
        return max(0.0, plan.makespan_s - dispatch(day.free).makespan_s)
    except CoreError:
        return None


def workings_of(day: DayTask, plan: Rotation, unoptimised: Rotation | None) -> dict[str, Working]:
    """Return the working of each number of a schedule by its key; ``unoptimised``: the same day played once."""
    found = {"finish": finish_working(day.task, plan), "bound": bound_working(day.task), "waits": _waits(plan)}
    if day.task.site_power_w is not None:
        found["supply"] = supply_working(day.supply)
    if unoptimised is not None:
        found["plain"] = _unoptimised(unoptimised)
    return found | _charges(day, plan)


def _waits(plan: Rotation) -> Working:
    waited = [w for w in plan.waits if w.reason == "pack"]
    steps = [
        Step(
            w.flight,
            (w.to_s - w.from_s) / 60,
            "min",
            f"before {w.flight} the aircraft stood ready and no set was full and rested",
            source=ALGEBRA,
            kind="run",
        )
        for w in waited
    ]
    total = summed("waits", [Quantity(s.name, s.value, "min") for s in steps], unit="min")
    return Working("Waiting for packs", total.value, "min", (*steps, total))


def _unoptimised(plan: Rotation) -> Working:
    step = Step(
        "plain_rule_s",
        plan.makespan_s,
        "clock",
        "the same day played once: packs charge in the order they come, at the fastest rate that fits; a ready set flies at once",
        source=PRACTICE,
        kind="run",
    )
    return Working("Without optimising", plan.makespan_s, "clock", (step,))


def _charges(day: DayTask, plan: Rotation) -> dict[str, Working]:
    found: dict[str, Working] = {}
    sets = {packs.id: packs for packs in day.task.sets}
    modes = {(c.id, m.name): m for c in day.task.chargers for m in c.modes}
    for n, c in enumerate(plan.charges):
        packs, mode, pack = sets[c.set], modes[c.charger, c.mode], day.member(c.set, c.pack)
        full = explain(charge_time_s, packs.capacity_wh, c.from_frac, mode.pack_w, packs.law)
        start = Step(
            "from_frac",
            c.from_frac,
            "",
            f"charge of {c.set} when it goes on the port",
            source=ENTERED if n == 0 else ALGEBRA,
            kind="input",
        )
        more = _beyond_the_law(day, packs, full.value)
        if c.to_frac < 1.0:
            words = "on the port until it holds what its next sortie needs"
            more += (Step("to_frac", c.to_frac, "", words, source=ALGEBRA), Step("charge_s", c.end_s - c.start_s, "s", words))
        value = c.end_s - c.start_s if more else full.value
        found[f"charge_{pack.name}_{round(c.start_s)}"] = Working(
            f"Charge of pack {pack.name}", value, "s", (start, *full.steps, *more)
        )
    return found


def _beyond_the_law(day: DayTask, packs: PackSet, law_s: float) -> tuple[Step, ...]:
    """Return the steps from the computed charge time to that of this pack: what its own charges taught, and balancing."""
    if packs.slowness == 1.0 and packs.balance_s == 0.0:
        return ()
    steps: tuple[Step, ...] = ()
    if packs.slowness != 1.0:
        slowest = max(day.members[packs.id], key=lambda p: p.slowness)
        steps += (Step("slowness", packs.slowness, "", slowest.slowness_words, source=BUHLMANN, kind="input"),)
    if packs.balance_s:
        words = "the charger balances the cells at the end, as entered with the pack model"
        steps += (Step("balance_s", packs.balance_s, "s", words, source=ENTERED, kind="input"),)
    total = law_s * packs.slowness + packs.balance_s
    return (*steps, Step("charge_s", total, "s", "computed time × times the law + balancing", source=ALGEBRA))
