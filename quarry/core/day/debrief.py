"""After a day, flown or rehearsed: waits, risky moments, and what hindsight would have given."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from quarry.core.base.errors import CoreError
from quarry.core.base.sources import ALGEBRA
from quarry.core.base.working import Step, Working
from quarry.core.day.state import DayState, Frame
from quarry.core.defaults import LANDING
from quarry.core.rotation.dispatch import dispatch, waits
from quarry.core.rotation.model import PlannedFlight, Rotation, Wait


@dataclass(frozen=True, slots=True)
class Debrief:
    """How a day went: last landing flown, planned and as hindsight would have it; waits; risky moments in words."""

    flown_s: float
    planned_s: float
    hindsight_s: float | None
    waits: tuple[Wait, ...]
    risky: tuple[str, ...]
    sorties: int
    working: Working


def flown(state: DayState) -> list[PlannedFlight]:
    """Return what was flown, at its true times."""
    done = [f for f in state.flights.values() if f.word == "landed"]
    return sorted(
        (PlannedFlight(f.id, f.aircraft, f.set, f.takeoff_s, f.landing_s) for f in done), key=lambda f: (f.takeoff_s, f.aircraft)
    )


def debrief(
    frame: Frame, state: DayState, plan: Rotation, *, reserve_frac: float = LANDING.value, floor_v: float = 3.3
) -> Debrief:
    """Return how a day went against its plan, and against the plan that its true lengths would have had."""
    flights = flown(state)
    last = max((f.landing_s for f in flights), default=math.nan)
    true = {f.flight: f.landing_s - f.takeoff_s for f in flights}
    task = replace(
        frame.task, flights=tuple(replace(f, flight_s=true.get(f.id, f.flight_s)) for f in frame.task.flights if f.id in true)
    )
    try:
        best = dispatch(task).makespan_s if task.flights else None
    except CoreError:
        best = None
    whole = replace(frame.task, flights=tuple(state.sorties[f.flight] for f in flights))
    waited = waits(whole, flights)
    lost = sum(w.to_s - w.from_s for w in waited if w.reason == "pack")
    steps = [
        Step("planned_s", plan.makespan_s, "clock", "last landing as planned before the day", source=ALGEBRA),
        Step("waits_s", lost, "s", "aircraft stood ready and no set was", source=ALGEBRA),
    ]
    if best is not None:
        steps.append(
            Step("hindsight_s", best, "clock", "last landing of a plan that had known how long each sortie takes", source=ALGEBRA)
        )
    return Debrief(
        last,
        plan.makespan_s,
        best,
        waited,
        _risky(state, reserve_frac, floor_v),
        len(flights),
        Working("Last landing", last, "clock", tuple(steps)),
    )


def _risky(state: DayState, reserve_frac: float, floor_v: float) -> tuple[str, ...]:
    found = []
    for f in sorted(state.flights.values(), key=lambda f: f.landing_s if f.word in ("landed", "lost") else math.inf):
        if f.word == "lost":
            found.append(f"{f.id} was lost, and {f.set} with it: retire its packs")
        if f.word != "landed":
            continue
        if f.left_frac < reserve_frac - 0.005:
            found.append(f"{f.id} landed with {f.left_frac:.0%}, below its reserve of {reserve_frac:.0%}")
        if f.lowest_v is not None and f.lowest_v < floor_v:
            found.append(f"{f.id}: a cell fell to {f.lowest_v:.2f} V, below its floor of {floor_v:.2f} V")
        if f.done_frac < 1.0:
            found.append(f"{f.id} came home with {f.done_frac:.0%} of its work done")
    undone = [f.id for f in state.flights.values() if f.word in ("planned", "dropped")]
    if undone and state.closed_s is not None:
        found.append(f"{', '.join(undone)} {'was' if len(undone) == 1 else 'were'} not flown")
    found += [f"{p.name}: {p.why}" for p in state.packs.values() if p.why]
    return (*found, *state.oddities)
