"""Random pieces of ground and days for property tests; every figure is drawn, none is copied."""

import math
from dataclasses import replace
from itertools import pairwise

from hypothesis import strategies as st
from shapely import Polygon

from quarry.core.power.charging import ChargeLaw
from quarry.core.rotation.model import Charger, Craft, Crew, Flight, Mode, PackSet, RotationTask


@st.composite
def fields(draw, least=80.0, most=350.0, corners=(4, 11)):
    """A star-shaped outline in metres: convex or not, never crossing itself."""
    n = draw(st.integers(*corners))
    reach = draw(st.lists(st.floats(least, most), min_size=n, max_size=n))
    turn = draw(st.floats(0, 2 * math.pi))
    return tuple(
        (r * math.cos(turn + 2 * math.pi * k / n), r * math.sin(turn + 2 * math.pi * k / n)) for k, r in enumerate(reach)
    )


@st.composite
def holes(draw, size=(8.0, 35.0)):
    """A keep-out near the middle of a field."""
    x, y = draw(st.floats(-40, 40)), draw(st.floats(-40, 40))
    r = draw(st.floats(*size))
    n = draw(st.integers(3, 7))
    return tuple((x + r * math.cos(2 * math.pi * k / n), y + r * math.sin(2 * math.pi * k / n)) for k in range(n))


@st.composite
def days(draw, policy="full"):
    """A day with one or two aircraft, some packs, one or two chargers, maybe a power limit and a break."""
    crafts = draw(st.integers(1, 2))
    paired = draw(st.booleans())
    sorties = draw(st.integers(2, 9))
    count = draw(st.integers(2, 5))
    picky = draw(st.sampled_from([False, False, True]))
    flights = tuple(
        Flight(f"F{k}", f"a{k % crafts}", float(draw(st.integers(300, 1500))), draw(st.integers(30, 75)) / 100)
        for k in range(sorties)
    )
    flights = tuple(
        f if policy == "full" else Flight(f.id, f.aircraft, f.flight_s, f.energy_frac, f.energy_frac) for f in flights
    )
    if picky:
        # Some flights are too long for the last set, some must be in the air in the first hours.
        flights = tuple(
            replace(
                f,
                only=draw(st.sampled_from([None, tuple(f"p{k}" for k in range(count - 1))])),
                windows=draw(st.sampled_from([None, ((1000.0, 6000.0), (9500.0, 200_000.0))])),
            )
            for f in flights
        )
    law = ChargeLaw(draw(st.sampled_from([0.75, 0.85, 1.0])), 3.0)
    sets = tuple(
        PackSet(
            f"p{k}",
            "t",
            2 if paired else 1,
            float(draw(st.integers(80, 400))),
            draw(st.sampled_from([1.0, 1.0, 0.6, 0.45])),
            law=law,
        )
        for k in range(count)
    )
    fast = float(draw(st.integers(150, 500)))
    modes = (Mode("fast", fast, fast * 1.15), Mode("gentle", fast / 2, fast / 2 * 1.15))
    chargers = tuple(
        Charger(f"c{k}", draw(st.integers(1, 3)), modes, draw(st.sampled_from([None, fast * 2])))
        for k in range(draw(st.integers(1, 2)))
    )
    return RotationTask(
        tuple(Craft(f"a{k}", "t", fill_s=draw(st.sampled_from([0.0, 0.0, 90.0, 700.0]))) for k in range(crafts)),
        flights,
        sets,
        chargers,
        float(draw(st.integers(60, 400))),
        float(draw(st.integers(0, 900))),
        float(draw(st.integers(0, 600))),
        draw(st.sampled_from([None, fast * 1.6, fast * 3.0])),
        draw(st.sampled_from([None, ((0.0, 7000.0), (9000.0, 200_000.0))])),
        policy,
        crews=draw(st.sampled_from([(), (Crew("all", ("a0", "a1")),)])) if crafts > 1 else (),
    )


def problems(task, plan) -> list[str]:
    """What is wrong with a rotation, found by replaying it from nothing but the task's own words."""
    wrong: list[str] = []
    flights = {f.id: f for f in task.flights}
    sets = {s.id: s for s in task.sets}
    types = {c.id: c.type for c in task.aircraft}
    fills = {c.id: c.fill_s for c in task.aircraft}
    flown = sorted(plan.flights, key=lambda f: f.takeoff_s)
    if sorted(f.flight for f in flown) != sorted(flights):
        wrong.append("sorties missing or flown twice")
    for a in types:
        mine = [f for f in flown if f.aircraft == a]
        if [f.flight for f in mine] != [f.id for f in task.flights if f.aircraft == a]:
            wrong.append(f"{a} flies out of order")
        if any(y.takeoff_s < x.landing_s + max(task.swap_s, fills[a]) - 1e-6 for x, y in pairwise(mine)):
            wrong.append(f"{a} swaps too fast")
    for crew in task.crews:
        theirs = [f for f in flown if f.aircraft in crew.aircraft]
        if any(y.takeoff_s < x.landing_s - 1e-6 for x, y in pairwise(theirs)) or any(f.takeoff_s < crew.from_s for f in theirs):
            wrong.append(f"{crew.id} flies two aircraft at a time, or before it is there")
    for f in flown:
        if abs(f.landing_s - f.takeoff_s - flights[f.flight].flight_s) > 1e-6:
            wrong.append(f"{f.flight} has another length")
        hours = [w for w in (task.windows, flights[f.flight].windows) if w is not None]
        if any(not any(a <= f.takeoff_s and f.landing_s <= b for a, b in w) for w in hours):
            wrong.append(f"{f.flight} outside the hours")
        only = flights[f.flight].only
        if only is not None and f.set not in only:
            wrong.append(f"{f.flight} with a set that does not give enough for it")
        if sets[f.set].type != types[f.aircraft]:
            wrong.append(f"{f.flight} with a set that does not fit")
    for s in task.sets:
        for m in range(s.packs):
            wrong += _pack(task, plan, s, m, flights)
    modes = {(c.id, m.name): m.wall_w for c in task.chargers for m in c.modes}
    for t in {c.start_s for c in plan.charges}:
        live = [c for c in plan.charges if c.start_s <= t < c.end_s]
        if len({(c.charger, c.port) for c in live}) != len(live):
            wrong.append(f"two packs on one port at {t}")
        if task.site_power_w is not None and sum(modes[c.charger, c.mode] for c in live) > task.site_power_w + 1e-6:
            wrong.append(f"supply overdrawn at {t}")
        for charger in task.chargers:
            mine = [c for c in live if c.charger == charger.id]
            if len(mine) > charger.ports or any(not 0 <= c.port < charger.ports for c in mine):
                wrong.append(f"{charger.id} has too few ports at {t}")
            if charger.cap_w is not None and sum(modes[c.charger, c.mode] for c in mine) > charger.cap_w + 1e-6:
                wrong.append(f"{charger.id} overdrawn at {t}")
    return wrong


def _pack(task, plan, s, m, flights) -> list[str]:
    wrong = []
    events = [(f.takeoff_s, f.landing_s, "flight", f) for f in plan.flights if f.set == s.id]
    events += [(c.start_s, c.end_s, "charge", c) for c in plan.charges if c.set == s.id and c.pack == m]
    left, last, kind = s.start_frac, 0.0, ""
    for start, end, what, e in sorted(events, key=lambda e: e[:2]):
        need = {"flight": task.rest_after_flight_s, "charge": task.rest_after_charge_s}.get(kind, 0.0)
        if start < last + (need if what != kind else 0.0) - 1e-6:
            wrong.append(f"{s.id}/{m} has no rest before {what} at {start}")
        if what == "flight":
            flight = flights[e.flight]
            if left < (1.0 if task.policy == "full" else flight.required_frac) - 1e-6:
                wrong.append(f"{s.id}/{m} flies {e.flight} with {left:.0%}")
            left -= flight.energy_frac
            if left < -1e-6:
                wrong.append(f"{s.id}/{m} runs dry on {e.flight}")
        else:
            if abs(e.from_frac - left) > 1e-6:
                wrong.append(f"{s.id}/{m} is said to charge from {e.from_frac:.2f}, it holds {left:.2f}")
            left = 1.0
        last, kind = end, what
    return wrong


def covers(area: Polygon, lines, spacing: float, slack: float = 0.05) -> float:
    """The part of an area farther than half a spacing from every line, as a share."""
    from shapely import MultiLineString

    reach = MultiLineString([((a, b), (c, d)) for a, b, c, d in lines]).buffer(spacing / 2 + slack)
    return area.difference(reach).area / area.area
