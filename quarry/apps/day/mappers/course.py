"""The course of a running day, in the shape in which a planned day is drawn."""

from __future__ import annotations

import math

from quarry.apps.day.mappers.live import Reading
from quarry.apps.day.views.live import CourseOut, GhostOut
from quarry.apps.day.views.plan import BedOut, DayFlightOut, DayPackOut, WaitOut
from quarry.core.base.naming import short_names
from quarry.core.day.course import course
from quarry.core.day.remainder import expected_landing_s
from quarry.core.day.replan import Replanned
from quarry.core.rotation.timeline import Bed


def to_course(r: Reading, replanned: Replanned) -> CourseOut:
    """Return what happened and what is planned from now on: sorties, packs, load; and the sorties as first planned."""
    frame, state, now_s, kept = r.frame, r.state, r.now_s, r.kept
    ahead = list(replanned.plan.flights) if replanned.plan else []
    windows = list(frame.task.windows or ())
    length_s = max([w[1] for w in windows] + [kept.plan.makespan_s, now_s, *(f.landing_s for f in ahead)])
    flights = []
    for f in state.flights.values():
        if f.word in ("airborne", "landed", "lost"):
            lands_s = expected_landing_s(frame, state, f, now_s) if f.word == "airborne" else f.landing_s
            flights.append(_flight(r, f.id, f.aircraft, f.set, f.takeoff_s, lands_s, happened=True))
    flights += [_flight(r, f.flight, f.aircraft, f.set, f.takeoff_s, f.landing_s, happened=False) for f in ahead]
    short = short_names(p for p in state.packs)
    drawn = course(frame, r.events, replanned, now_s, length_s)
    return CourseOut(
        now_s=now_s,
        length_s=length_s,
        windows=windows,
        finish_s=max([f.landing_s for f in flights], default=now_s),
        flights=flights,
        ghosts=[GhostOut(f.flight, f.aircraft, f.set, f.takeoff_s, f.landing_s) for f in kept.plan.flights],
        waits=[WaitOut(w.aircraft, w.flight, w.from_s, w.to_s, w.reason) for w in replanned.plan.waits] if replanned.plan else [],
        aircraft=kept.aircraft,
        gates=kept.gates,
        can_give_w=frame.task.site_power_w,
        load=[(float(round(t)), round(w, 1)) for t, w in drawn.load],
        packs=[
            DayPackOut(
                kept.pack_ids[p.name],
                p.name,
                p.set,
                "",
                "",
                [_bed(b, happened=True) for b in p.past] + [_bed(b, happened=False) for b in p.ahead],
                p.why,
                short[p.name],
            )
            for p in drawn.packs
        ],
    )


def _flight(r: Reading, name: str, aircraft: str, on: str, up_s: float, down_s: float, *, happened: bool) -> DayFlightOut:
    figures, left = r.kept.figures(name), r.state.flights[name].left_frac
    planned_frac = figures.landing_frac if figures else 0.0
    return DayFlightOut(
        flight=name,
        aircraft=aircraft,
        set=on,
        takeoff_s=up_s,
        landing_s=down_s,
        job=figures.job if figures else "",
        letter=figures.letter if figures else "",
        number=figures.number if figures else 0,
        landing_frac=left if math.isfinite(left) else planned_frac,
        happened=happened,
    )


def _bed(b: Bed, *, happened: bool) -> BedOut:
    curve = [(round(t, 1), round(f, 4)) for t, f in b.curve]
    return BedOut(b.state, b.start_s, b.end_s, b.label, curve, None, happened)
