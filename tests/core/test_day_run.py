"""A day as it is flown: events in any order, plans from the middle, calls, alerts, and whole rehearsed days with faults."""

import math
from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.day.alerts import Bounds, Telemetry, Watch, alerts_of, load_now_w
from quarry.core.day.calls import calls_from
from quarry.core.day.course import course
from quarry.core.day.debrief import debrief
from quarry.core.day.events import KINDS, Event, check_event, clock_off_s, set_aside, standing
from quarry.core.day.figures import FIGURES
from quarry.core.day.playing import rehearse
from quarry.core.day.records import DayCharge, DayFlight, fold_with_records
from quarry.core.day.rehearsal import FAULTS, Fault, World
from quarry.core.day.remainder import remainder
from quarry.core.day.replan import replan
from quarry.core.day.resume import resume_at
from quarry.core.day.state import Frame, begin, charge_now, fold, share_of_whole
from quarry.core.dayplan.inputs import Route
from quarry.core.packs.alarms import flight_levels
from quarry.core.power.charging import CONSTANT_POWER
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import FULL, Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.rotation.reschedule import reschedule_in_order

CHARGER = Charger("c", 2, (Mode("fast", 240.0, 270.0), Mode("gentle", 120.0, 135.0)))
BACKS = {f"F{k}": 800.0 for k in range(1, 7)}


def frame_of(flights=6, packs=4, *, pairs=False, start=0.5, **over):
    """One aircraft, equal sorties, packs of which one set is full."""
    count = 2 if pairs else 1
    task = RotationTask(
        **{
            "aircraft": (Craft("a", "t"),),
            "flights": tuple(Flight(f"F{k}", "a", 1000.0, 0.6) for k in range(1, flights + 1)),
            "sets": tuple(PackSet(f"s{k}", "t", count, 200.0, 1.0 if k == 0 else start) for k in range(packs)),
            "chargers": (CHARGER,),
            "swap_s": 180.0,
            "rest_after_flight_s": 600.0,
            "rest_after_charge_s": 300.0,
            "windows": ((0.0, 40_000.0),),
        }
        | over
    )
    plan = dispatch(task)
    members = {s.id: tuple(f"{s.id}{x}" for x in "ab"[:count]) for s in task.sets}
    return Frame(task, members, {f.flight: f.set for f in plan.flights}, {f.id: 200.0 for f in task.flights}), plan


FRAME, PLAN = frame_of()
_count = iter(range(1, 10**9))


def happened(kind, at_s, key=None, who="ana", **figures):
    return Event(key or f"k{next(_count)}", kind, float(at_s), who, figures)


def up(flight, at_s, set_id, **more):
    return happened("launched", at_s, flight=flight, set=set_id, aircraft="a", **more)


def down(flight, at_s, **figures):
    return happened("landed", at_s, flight=flight, **figures)


class TestEvents:
    events = st.lists(
        st.builds(
            lambda k, kind, at, flight, pack, port, frac: Event(
                f"e{k}",
                kind,
                float(at),
                "x",
                {
                    "flight": f"F{flight}",
                    "set": f"s{pack}",
                    "pack": f"s{pack}a",
                    "port": port,
                    "left_frac": frac,
                    "word": "bad",
                    "of": f"e{(k * 7) % 30}",
                },
            ),
            st.integers(0, 30),
            st.sampled_from(
                [
                    *("launched", "landed", "on_port", "off_port", "port_dead", "undo", "tested", "power_out", "power_back"),
                    *("homing", "emergency", "emergency_over", "lost", "closed"),
                ]
            ),
            st.integers(0, 9000),
            st.integers(1, 6),
            st.integers(0, 3),
            st.integers(1, 2),
            st.one_of(st.none(), st.floats(0.1, 1.0)),
        ),
        max_size=25,
    )

    @given(events, st.randoms(use_true_random=False))
    @settings(max_examples=150, deadline=None)
    def test_neither_order_nor_repetition_changes_the_state(self, events, chance):
        mixed = [*events, *(chance.choice(events) for _ in range(5) if events)]
        chance.shuffle(mixed)
        assert repr(fold(FRAME, events)) == repr(fold(FRAME, mixed))

    @given(events)
    @settings(max_examples=100, deadline=None)
    def test_whatever_is_told_no_two_packs_share_a_port_and_no_charge_is_beyond_full(self, events):
        state = fold(FRAME, events)
        on = [p.port for p in state.packs.values() if p.word == "port"]
        assert len(on) == len(set(on))
        assert all(0 <= charge_now(FRAME, p, 10_000.0) <= 1 for p in state.packs.values())
        assert sum(f.word == "airborne" for f in state.flights.values()) <= 1, "one aircraft"

    def test_an_undone_event_is_gone_and_undoing_the_undo_brings_it_back(self):
        one = up("F1", 10, "s0", key="a")
        undo = happened("undo", 20, "u", of="a")
        assert fold(FRAME, [one, undo]).flights["F1"].word == "planned"
        assert fold(FRAME, [happened("undo", 30, of="u"), undo, one]).flights["F1"].word == "airborne"
        assert standing([happened("undo", 1, "x", of="y"), happened("undo", 2, "y", of="x")]) == []

    @pytest.mark.parametrize(
        ("event", "field"),
        [
            (Event("", "note", 0, figures={"words": "x"}), "key"),
            (happened("crashed", 0), "kind"),
            (happened("launched", 0, flight="F1"), "set"),
            (happened("landed", 0, flight="F1", left_frac=1.4), "left_frac"),
            (happened("landed", 0, flight="F1", cells_v=[3.9, 39.0]), "cells_v.1"),
            (happened("tested", 0, pack="s0a", word="so so"), "word"),
            (happened("landed", 0, flight="F1", pack_c=400), "pack_c"),
            (happened("undo", 0), "of"),
            (happened("observed", 0, gust_m_s="abc"), "gust_m_s"),
            (happened("landed", 0, flight="F1", lowest_v="abc"), "lowest_v"),
            (happened("landed", 0, flight="F1", left_frac=math.nan), "left_frac"),
            (happened("landed", 0, flight="F1", left_frac=True), "left_frac"),
            (happened("landed", 0, flight="F1", cells_v=3.9), "cells_v"),
            (happened("landed", 0, flight="F1", cells_v=[3.9, None]), "cells_v.1"),
            (happened("landed", 0, flight="F1", marks=["wet"] * 40), "marks"),
            (happened("landed", 0, flight=["F1"]), "flight"),
            (happened("on_port", 0, pack="s0a", port="two"), "port"),
            (happened("on_port", 0, pack="s0a", port=1.5), "port"),
            (happened("hold", 0, until_s=math.inf), "until_s"),
            (happened("note", 0, words="a\x00b"), "words"),
            (happened("note", 0, words="fox", colour="red"), "colour"),
            (Event("k", "note", math.nan, figures={"words": "x"}), "at"),
        ],
    )
    def test_what_cannot_be_is_refused_at_its_figure(self, event, field):
        with pytest.raises(CoreError) as bad:
            check_event(event)
        assert bad.value.field == field

    anything = st.recursive(
        st.none() | st.booleans() | st.floats() | st.integers() | st.text(max_size=8),
        lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=4), inner, max_size=3),
        max_leaves=6,
    )

    @given(st.lists(st.tuples(st.sampled_from(KINDS), st.dictionaries(st.sampled_from(sorted(FIGURES)), anything, max_size=4))))
    @settings(max_examples=300, deadline=None)
    def test_whatever_was_ever_stored_can_be_folded(self, told):
        """Figures of any form: those that cannot be are set aside and said, all others count."""
        events = [Event(f"e{k}", kind, 10.0 * k, "Ann", figures) for k, (kind, figures) in enumerate(told)]
        sound = [up("F1", 5, "s0"), down("F1", 900, left_frac=0.4)]
        state = fold(FRAME, [*sound, *events])
        aside = {e.key for e, _ in set_aside(events)}
        assert sum("is set aside and not counted" in o for o in state.oddities) == len(aside)
        without = fold(FRAME, [*sound, *(e for e in events if e.key not in aside)])
        state.oddities = [o for o in state.oddities if "is set aside" not in o]
        assert repr(state) == repr(without)

    def test_every_kind_can_be_told(self):
        figures = {"flight": "F1", "set": "s0", "pack": "s0a", "port": 1, "until_s": 9, "of": "x", "stands": "y", "words": "w"}
        figures |= {"aircraft": "a", "supply": "Trailer"}
        for kind in KINDS:
            word = {"tested": "good", "gate": "open"}.get(kind, "")
            check_event(Event("k", kind, 0, figures=figures | {"word": word}))

    def test_a_clock_hours_off_is_set_right_from_the_moment_of_sending(self):
        assert clock_off_s(device_now_s=1000.0, server_now_s=1000.0 + 7200.0) == 7200.0


class TestState:
    def test_a_sortie_takes_its_packs_up_and_brings_them_down_with_what_was_read(self):
        state = fold(FRAME, [up("F1", 100, "s0"), down("F1", 1080, left_frac=0.37, cells_v=[3.7, 3.61, 3.69], pack_c=41)])
        f, p = state.flights["F1"], state.packs["s0a"]
        assert (f.word, f.set, f.takeoff_s, f.landing_s, f.lowest_v) == ("landed", "s0", 100, 1080, 3.61)
        assert (p.word, p.frac, p.flights, p.landed_s, p.pack_c) == ("rest", 0.37, 1, 1080, 41)
        assert state.craft["a"].free_s == 1080 + 180

    def test_without_a_reading_a_sortie_takes_what_it_was_to_take(self):
        assert fold(FRAME, [up("F1", 0, "s0"), down("F1", 1000)]).packs["s0a"].frac == pytest.approx(0.4)

    def test_a_pack_on_a_port_grows_by_its_law_and_nearly_full_is_full_when_taken_off(self):
        on = happened("on_port", 0, pack="s1a", port=1, mode="fast")
        state = fold(FRAME, [on])
        assert charge_now(FRAME, state.packs["s1a"], 750.0) == pytest.approx(0.75)
        assert fold(FRAME, [on, happened("off_port", 1490, pack="s1a")]).packs["s1a"].frac == 1.0
        assert fold(FRAME, [on, happened("off_port", 600, pack="s1a", frac=0.66)]).packs["s1a"].frac == 0.66

    def test_two_people_who_write_down_one_landing_make_one_landing(self):
        twice = [up("F1", 0, "s0"), down("F1", 1000, left_frac=0.4), down("F1", 1040, left_frac=0.41, who="bo")]
        state = fold(FRAME, twice)
        assert (state.packs["s0a"].flights, state.questions) == (1, [])

    def test_two_accounts_that_differ_become_one_question_and_its_answer_counts(self):
        a, b = down("F1", 1000, key="a", left_frac=0.4), down("F1", 1600, key="b", left_frac=0.22)
        state = fold(FRAME, [up("F1", 0, "s0"), a, b])
        assert [q.keys for q in state.questions] == [("a", "b")]
        assert state.flights["F1"].left_frac == 0.4
        assert state.packs["s0a"].flights == 1
        answered = fold(FRAME, [up("F1", 0, "s0"), a, b, happened("answer", 1700, of="landing F1", stands="b")])
        assert answered.questions == []
        assert (answered.flights["F1"].left_frac, answered.flights["F1"].landing_s) == (0.22, 1600)
        assert answered.packs["s0a"].flights == 1

    def test_what_was_not_written_down_is_taken_as_it_must_have_been_and_said(self):
        state = fold(FRAME, [down("F1", 1000)])
        assert (state.flights["F1"].word, state.flights["F1"].takeoff_s) == ("landed", 0.0)
        assert "launch was not written down" in state.oddities[0]
        state = fold(FRAME, [up("F1", 0, "s0"), up("F2", 1200, "s1")])
        assert (state.flights["F1"].word, state.flights["F2"].word) == ("landed", "airborne")
        state = fold(FRAME, [up("F1", 0, "s0"), happened("on_port", 1900, pack="s0a", port=1)])
        assert (state.flights["F1"].word, state.packs["s0a"].word) == ("landed", "port")
        ports = [happened("on_port", 0, pack="s1a", port=1), happened("on_port", 300, pack="s2a", port=1)]
        assert "counts as taken off" in fold(FRAME, ports).oddities[0]
        strange = [
            happened("on_port", 0, pack="zz", port=1),
            happened("on_port", 0, pack="s1a", port=9),
            up("Z1", 0, "s0"),
            down("Z1", 0),
        ]
        assert len(fold(FRAME, strange).oddities) == 4

    def test_what_was_left_of_a_sortie_becomes_a_sortie_of_its_own(self):
        state = fold(FRAME, [up("F1", 0, "s0"), down("F1", 600, left_frac=0.6, done_frac=0.5, resume="line 4, 120 m")])
        rest = state.sorties["F1+"]
        assert (rest.flight_s, rest.energy_frac) == (600.0, pytest.approx(0.36)), "200 s out and home, half of 800 s of work"
        assert state.flights["F1"].resume == "line 4, 120 m"
        assert remainder(FRAME, state, 700.0).flights[0].id == "F1+"
        again = fold(FRAME, [up("F1", 0, "s0"), down("F1", 1000, left_frac=0.4, done_frac=1.0)])
        assert "F1+" not in again.flights

    def test_a_failed_pack_a_dead_port_and_no_power_leave_the_day(self):
        on = happened("on_port", 0, pack="s1a", port=1, mode="fast")
        state = fold(FRAME, [on, happened("tested", 300, pack="s1a", word="bad"), happened("port_dead", 400, port=2)])
        task = remainder(FRAME, state, 500.0)
        assert "s1" not in {s.id for s in task.sets}
        assert any(p == 1 and math.isinf(b) for p, _, b in task.chargers[0].closed)
        state = fold(FRAME, [on, happened("power_out", 750)])
        assert charge_now(FRAME, state.packs["s1a"], 5000.0) == pytest.approx(0.75)
        back = fold(FRAME, [on, happened("power_out", 750), happened("power_back", 2000)])
        assert charge_now(FRAME, back.packs["s1a"], 2300.0) == pytest.approx(0.85)
        assert (
            fold(FRAME, [happened("pack_out", 0, pack="s1a"), happened("pack_back", 9, pack="s1a")]).packs["s1a"].word == "rest"
        )


def check_remaining(task, plan, now):
    """Check a plan for the rest of a day by itself: nothing early, no port twice, no pack twice, enough power, full packs fly."""
    for f in plan.flights:
        flight = next(x for x in task.flights if x.id == f.flight)
        assert f.takeoff_s >= now - 1e-6
        assert f.landing_s - f.takeoff_s == pytest.approx(flight.flight_s)
        assert task.next_window(f.takeoff_s, flight) == pytest.approx(f.takeoff_s)
    for craft in task.aircraft:
        mine = sorted((f for f in plan.flights if f.aircraft == craft.id), key=lambda f: f.takeoff_s)
        assert [f.flight for f in mine] == [f.id for f in task.flights if f.aircraft == craft.id]
        assert all(f.takeoff_s >= craft.from_s - 1e-6 for f in mine)
        assert all(b.takeoff_s >= a.landing_s + task.swap_s - 1e-6 for a, b in pairwise(mine))
    assert set(task.begun) <= set(plan.charges)
    for k, c in enumerate(plan.charges):
        if c not in task.begun:
            assert c.start_s >= now - 1e-6
            assert not any(p == c.port and a < c.end_s and c.start_s < b for p, a, b in task.chargers[0].closed)
        for o in plan.charges[k + 1 :]:
            apart = o.start_s >= c.end_s - 1e-6 or c.start_s >= o.end_s - 1e-6
            assert apart or ((o.charger, o.port) != (c.charger, c.port) and (o.set, o.pack) != (c.set, c.pack))
    walls = {m.name: m.wall_w for m in CHARGER.modes}
    for c in plan.charges:
        load = sum(walls[o.mode] for o in plan.charges if o.start_s <= c.start_s < o.end_s)
        assert task.site_power_w is None or load <= task.site_power_w + 1e-6
    for s in task.sets:
        for m, start in enumerate(s.starts()):
            frac, free, ready = start, s.from_s, s.from_s
            mine = [c for c in plan.charges if (c.set, c.pack) == (s.id, m)] + [f for f in plan.flights if f.set == s.id]
            for x in sorted(mine, key=lambda x: getattr(x, "start_s", getattr(x, "takeoff_s", 0.0))):
                if hasattr(x, "start_s"):
                    assert x in task.begun or x.start_s >= free - 1e-6
                    frac, free, ready = x.to_frac, x.end_s, x.end_s + task.rest_after_charge_s
                else:
                    assert frac >= FULL
                    assert x.takeoff_s >= ready - 1e-6
                    frac -= next(f.energy_frac for f in task.flights if f.id == x.flight)
                    free = ready = x.landing_s + task.rest_after_flight_s


def through(frame, plan, until_s, drift=1.0):
    """What a crew that keeps to the plan has told by a time; ``drift`` stretches the sorties."""
    ports = {key: n for n, key in enumerate(frame.ports(), start=1)}
    told = []
    for f in plan.flights:
        told.append(up(f.flight, f.takeoff_s, f.set))
        told.append(down(f.flight, f.takeoff_s + drift * (f.landing_s - f.takeoff_s)))
    for c in plan.charges:
        pack = frame.members[c.set][c.pack]
        told.append(happened("on_port", c.start_s, pack=pack, port=ports[c.charger, c.port], mode=c.mode))
        told.append(happened("off_port", c.end_s, pack=pack))
    return [e for e in told if e.at_s <= until_s]


class TestReplan:
    @given(st.integers(0, 8000), st.sampled_from([1, 2]), st.booleans(), st.one_of(st.none(), st.just(300.0)))
    @settings(max_examples=60, deadline=None)
    def test_a_day_that_goes_as_planned_is_not_planned_anew(self, now, seed, pairs, power):
        frame, plan = frame_of(3 + seed, 4, pairs=pairs, site_power_w=power)
        state = fold(frame, through(frame, plan, now))
        had = replan(frame, state, plan, float(now))
        if had.task.flights:
            check_remaining(had.task, had.plan, now)
            # Seconds are lost where a thing of this very second has not been told yet.
            assert had.plan.makespan_s <= plan.makespan_s + 200.0

    @given(st.integers(500, 7000), st.sampled_from(["tested", "port_dead", "gate", "hold", "power", "pack_out"]), st.booleans())
    @settings(max_examples=60, deadline=None)
    def test_whatever_befalls_the_rest_is_valid_or_the_reason_is_said(self, now, what, pairs):
        frame, plan = frame_of(pairs=pairs)
        events = through(frame, plan, now)
        struck = {
            "tested": [happened("tested", now, pack=frame.members["s1"][0], word="bad")],
            "port_dead": [happened("port_dead", now, port=1)],
            "gate": [happened("gate", now, word="closed", until_s=now + 3600)],
            "hold": [happened("hold", now, until_s=now + 1800)],
            "power": [happened("power_out", now - 60), happened("power_back", now)],
            "pack_out": [happened("pack_out", now, pack=frame.members["s2"][0])],
        }[what]
        had = replan(frame, fold(frame, [*events, *struck]), plan, float(now))
        if had.plan is None:
            assert had.problem
        elif had.task.flights:
            check_remaining(had.task, had.plan, now)
            if what in ("gate", "hold"):
                least = now + (3600 if what == "gate" else 1800)
                assert all(f.takeoff_s >= least - 1e-6 for f in had.plan.flights)

    def test_a_late_landing_moves_times_and_changes_nobody(self):
        now = 2900.0
        had = replan(FRAME, fold(FRAME, through(FRAME, PLAN, now, drift=1.1)), PLAN, now)
        assert had.kept
        assert {f.flight: f.set for f in had.plan.flights}.items() <= {f.flight: f.set for f in PLAN.flights}.items()
        assert had.words == "" or "min later" in had.words

    def test_a_failed_pack_is_replaced_and_the_line_says_so(self):
        lost = PLAN.flights[1].set
        state = fold(FRAME, [*through(FRAME, PLAN, 200.0), happened("tested", 200, pack=f"{lost}a", word="bad")])
        had = replan(FRAME, state, PLAN, 200.0)
        assert not had.kept
        assert lost not in {f.set for f in had.plan.flights}
        assert f"{PLAN.flights[1].flight} flies on" in had.words

    def test_a_dead_port_is_left_and_the_line_says_where_a_pack_charges_instead(self):
        state = fold(FRAME, [*through(FRAME, PLAN, 200.0), happened("port_dead", 200, port=1)])
        had = replan(FRAME, state, PLAN, 200.0)
        assert all(c.port == 1 for c in had.plan.charges if c not in had.task.begun)
        assert "later" in had.words

    def test_without_any_port_that_lives_it_is_said_what_cannot_be(self):
        dead = [happened("port_dead", 100, port=1), happened("port_dead", 100, port=2)]
        had = replan(FRAME, fold(FRAME, dead), PLAN, 100.0)
        assert had.plan is None
        assert had.problem

    def test_nothing_left_is_a_plan_without_flights(self):
        state = fold(FRAME, through(FRAME, PLAN, 1e9))
        had = replan(FRAME, state, PLAN, PLAN.makespan_s)
        assert (had.plan.flights, had.words) == ((), "")

    def test_an_order_that_no_longer_holds_is_not_followed(self):
        task = remainder(FRAME, begin(FRAME), 0.0)
        assert reschedule_in_order(task, PLAN).makespan_s == pytest.approx(PLAN.makespan_s)
        assert reschedule_in_order(replace(task, sets=task.sets[1:]), PLAN) is None
        assert reschedule_in_order(replace(task, windows=((0.0, 3000.0),)), PLAN) is None


class TestCalls:
    def calls(self, events, now, **more):
        state = fold(FRAME, events)
        had = replan(FRAME, state, PLAN, now)
        return calls_from(FRAME, state, had.task, had.plan, now, BACKS, **more)

    def test_the_first_call_is_to_launch_and_each_is_called_once(self):
        calls = self.calls([], 0.0)
        assert [c.at_s for c in calls] == sorted(c.at_s for c in calls)
        assert len({c.id for c in calls}) == len(calls)
        kinds = [c.kind for c in calls if c.at_s == 0.0]
        assert {"launch", "on_port", "fit"} <= set(kinds)
        launch = next(c for c in calls if c.kind == "launch")
        assert (launch.flight, launch.set, launch.why) == ("F1", "s0", "its packs are full and rested")
        assert "min later" in launch.missed or "nothing" in launch.missed

    def test_what_is_done_is_not_called_again_and_keeps_its_name_until_then(self):
        before = {c.id for c in self.calls([], 0.0)}
        after = self.calls([up("F1", 30, "s0")], 60.0)
        assert "launch:F1" in before
        assert "launch:F1" not in {c.id for c in after}
        assert {"land:F1", "back:F1"} <= before & {c.id for c in after}
        back = next(c for c in after if c.id == "back:F1")
        assert (back.at_s, back.missed) == (830.0, "it lands below its reserve")

    def test_cold_packs_are_called_to_be_warmed_and_a_closed_gate_gives_the_reason(self):
        cold = self.calls([], 0.0, air_c=-4.0)
        assert next(c for c in cold if c.kind == "warm").why.startswith("air of -4 °C")
        shut = self.calls([happened("gate", 0, word="closed", until_s=3000)], 0.0)
        first = next(c for c in shut if c.kind == "launch")
        assert (first.at_s, first.why) == (3000.0, "the weather window opens then")

    def test_when_all_is_flown_the_day_is_to_be_closed(self):
        assert [c.kind for c in self.calls(through(FRAME, PLAN, 1e9), PLAN.makespan_s)] == ["close"]


class TestAlerts:
    FLYING = (up("F1", 0, "s0"),)

    def keys(self, events, now, **more):
        return {a.key: a for a in alerts_of(FRAME, fold(FRAME, events), now, turn_backs_s=BACKS, **more)}

    def test_turn_back_from_time_energy_volts_heat_and_wind(self):
        assert self.keys(self.FLYING, 500.0) == {}
        assert self.keys(self.FLYING, 810.0)["back:F1"].words == "Turn back F1 now"

        def told(**figures):
            return self.keys(self.FLYING, 500.0, telemetry=(Telemetry("F1", 490.0, **figures),), bounds=Bounds(0.3, 3.4))

        assert told(left_frac=0.36, home_frac=0.08)["energy:F1"].reason == "36% left and 8% to come home"
        assert told(left_frac=0.6, home_frac=0.08) == {}
        assert told(lowest_v=3.31)["volts:F1"].grade == "now"
        assert told(lowest_v=3.45)["volts:F1"].grade == "soon"
        assert told(pack_c=66.0)["heat:F1"].limit == "60 °C"
        assert self.keys(self.FLYING, 500.0, gust=(9.4, 9.0))["gust"].words == "Turn back F1 now"
        assert self.keys([], 500.0, gust=(9.4, 9.0))["gust"].owner == "lead"
        assert self.keys([], 500.0, gust=(8.4, 9.0)) == {}

    def test_a_pack_in_the_air_is_watched_by_its_own_levels_else_by_those_of_its_chemistry(self):
        """3.58 and 3.45 V a cell under load, common practice, no source: neither may be silent."""
        usual = flight_levels(chemistry_of("lipo"), 6)
        own = flight_levels(chemistry_of("lipo"), 6, (22.5, 22.0, 0.9))
        assert (own.soon_v, own.now_v) == (pytest.approx(3.6), pytest.approx(21.1 / 6))
        assert flight_levels(chemistry_of("lipo"), 6, (22.5, 22.0, None)).soon_v == pytest.approx(3.75), "early, never late"
        for levels, whose in ((usual, "usual for LiPo"), (own, "its own levels")):
            frame = replace(FRAME, levels={"s0": levels})
            seen = {
                v: {
                    a.key: a
                    for a in alerts_of(frame, fold(frame, self.FLYING), 500.0, telemetry=(Telemetry("F1", 490.0, lowest_v=v),))
                }
                for v in (3.65, 3.58, 3.45)
            }
            assert "volts:F1" not in seen[3.65]
            assert seen[3.58]["volts:F1"].grade == "soon"
            assert seen[3.45]["volts:F1"].grade == "now"
            assert whose in seen[3.45]["volts:F1"].limit

    def test_the_newest_reading_counts(self):
        old, new = Telemetry("F1", 100.0, lowest_v=3.0), Telemetry("F1", 490.0, lowest_v=3.9)
        assert self.keys(self.FLYING, 500.0, telemetry=(new, old)) == {}

    def test_a_sortie_not_reported_down_is_asked_after(self):
        assert "silent:F1" not in self.keys(self.FLYING, 1200.0)
        assert self.keys(self.FLYING, 1300.0)["silent:F1"].words == "Where is F1?"

    def test_packs_that_are_forgotten_hot_or_cold(self):
        on = happened("on_port", 0, pack="s1a", port=1, mode="fast")
        assert self.keys([on], 1500 + 600) == {}
        assert "full for 2" in self.keys([on], 1500 + 1300)["forgotten:s1a"].reason
        hot = [up("F1", 0, "s0"), down("F1", 1000, pack_c=64)]
        assert self.keys(hot, 1100.0)["hot:s0a"].owner == "handler"
        assert self.keys(hot, 1100.0, watch=Watch(hot_c=70)) == {}

    def test_the_supply(self):
        small, _ = frame_of(site_power_w=300.0)
        on = [happened("on_port", 0, pack=f"s{k}a", port=k, mode="fast") for k in (1, 2)]
        state = fold(small, on)
        assert load_now_w(small, state) == 540.0
        assert [a.key for a in alerts_of(small, state, 10.0)] == ["load"]
        assert [a.key for a in alerts_of(small, fold(small, [*on, happened("power_out", 5)]), 10.0)] == ["power"]


class TestFinds:
    def test_it_stops_what_is_planned_calls_what_is_up_and_can_be_taken_back(self):
        words = {"words": "by the wall", "lon_deg": 7.1, "lat_deg": 46.2}
        events = [up("F1", 100, "s0"), happened("found", 400, "f", **words)]
        state = fold(FRAME, events)
        assert {n: f.word for n, f in state.flights.items()} == {"F1": "airborne"} | {f"F{k}": "dropped" for k in range(2, 7)}
        call = next(c for c in calls_now(state, 420.0) if c.kind == "call_home")
        assert (call.flight, call.at_s, call.owner) == ("F1", 400.0, "pilot")
        assert "by the wall" in call.why
        alert = next(a for a in alerts_of(FRAME, state, 420.0) if a.key == "found")
        assert alert.grade == "now"
        assert "46.200000, 7.100000" in alert.reason
        turned = fold(FRAME, [*events, happened("homing", 430, flight="F1")])
        assert [c.kind for c in calls_now(turned, 440.0)] == ["land"]
        assert next(a for a in alerts_of(FRAME, turned, 440.0) if a.key == "found").grade == "soon"
        back = fold(FRAME, [*events, happened("undo", 500, of="f")])
        assert {f.word for f in back.flights.values()} == {"airborne", "planned"}

    def test_an_emergency_comes_before_it(self):
        state = fold(FRAME, [up("F1", 100, "s0"), happened("emergency", 300, flight="F1"), happened("found", 400)])
        assert calls_now(state, 420.0)[0].kind == "emergency"
        assert "call_home" not in {c.kind for c in calls_now(state, 420.0)}


def calls_now(state, now_s):
    made = replan(FRAME, state, PLAN, now_s, anew=True)
    return calls_from(FRAME, state, made.task, made.plan, now_s, BACKS)


def checked(frame, rehearsed):
    """Check what a rehearsed crew did: it flies full packs, charges no pack twice at once, and tells all of it once."""
    assert len({e.key for e in rehearsed.events}) == len(rehearsed.events)
    assert rehearsed.state.oddities == []
    for k, e in enumerate(rehearsed.events):
        before = fold(frame, rehearsed.events[:k])
        if e.kind == "launched":
            packs = [before.packs[n] for n in frame.members[e.figures["set"]]]
            assert all(p.word == "rest" and p.frac >= FULL and not p.why for p in packs)
            assert all(e.at_s >= p.charged_s + frame.task.rest_after_charge_s - 1 for p in packs)
            # A swap may take less than planned, by what swaps scatter.
            assert e.at_s >= before.craft["a"].free_s - 0.7 * frame.task.swap_s
            assert e.at_s >= max(before.hold_until_s, before.gate_closed_until_s) - 1
        if e.kind == "on_port":
            p = before.packs[e.figures["pack"]]
            assert p.word == "rest"
            assert before.on_port(e.figures["port"]) is None
            assert e.figures["port"] not in before.dead_ports
            assert e.at_s >= p.landed_s + frame.task.rest_after_flight_s - 1


class TestRehearsal:
    @pytest.mark.parametrize("kind", sorted(FAULTS))
    def test_a_day_with_each_fault_is_flown_to_its_last_landing(self, kind):
        played = rehearse(FRAME, PLAN, World(FRAME, 5, [Fault(kind, 1500.0)]), BACKS)
        ended = {"landed", "dropped"} if kind == "find" else {"landed"}
        assert {f.word for f in played.state.flights.values()} == ended
        checked(FRAME, played)
        calm = rehearse(FRAME, PLAN, World(FRAME, 5), BACKS)
        if kind in ("generator_dry", "crew_late", "gust_front", "early_return", "weak_cell", "return_blocked"):
            assert played.debrief.flown_s >= calm.debrief.flown_s - 60
        if kind in ("early_return", "weak_cell"):
            assert any("came home with 55%" in r for r in played.debrief.risky)

    def test_a_find_brings_home_what_is_up_and_launches_nothing_more(self):
        played = rehearse(FRAME, PLAN, World(FRAME, 5, [Fault("find", 1500.0)]), BACKS)
        found = next(e.at_s for e in played.events if e.kind == "found")
        assert found >= 1500.0
        assert all(e.at_s <= found for e in played.events if e.kind == "launched")
        home = [e for e in played.events if e.kind == "homing"]
        assert [e.at_s - found < 300.0 for e in home] == [True]
        assert next(e.at_s for e in played.events if e.kind == "landed" and e.at_s > found) < found + 1000.0
        assert not any(f.endswith("+") for f in played.state.flights), "nothing of it is flown again"

    def test_three_faults_with_matched_pairs_under_little_power(self):
        frame, plan = frame_of(4, 3, pairs=True, site_power_w=450.0)
        faults = [Fault("port_trips", 900.0), Fault("gust_front", 3000.0), Fault("early_return", 5000.0)]
        played = rehearse(frame, plan, World(frame, 2, faults), BACKS)
        checked(frame, played)
        assert all(f.word == "landed" for f in played.state.flights.values())
        assert played.changes

    def test_the_same_seed_gives_the_same_day_and_another_seed_another(self):
        one, same, other = (rehearse(FRAME, PLAN, World(FRAME, s), BACKS) for s in (4, 4, 9))
        assert one.events == same.events
        assert [e.at_s for e in one.events] != [e.at_s for e in other.events]

    def test_the_debrief_has_waits_and_what_hindsight_would_have_given(self):
        played = rehearse(FRAME, PLAN, World(FRAME, 3, [Fault("crew_late", 1200.0, length_s=2400.0)]), BACKS)
        told = played.debrief
        assert told.sorties == 6
        assert told.planned_s == PLAN.makespan_s
        assert told.hindsight_s <= told.flown_s
        assert [s.value for s in told.working.steps][::2] == [told.planned_s, told.hindsight_s]
        low = fold(FRAME, [up("F1", 0, "s0"), down("F1", 1000, left_frac=0.21, lowest_v=3.1)])
        assert len(debrief(FRAME, low, PLAN).risky) == 2

    def test_chargers_tell_volts_and_current_that_make_the_power_of_the_port(self):
        state = fold(FRAME, [happened("on_port", 0, pack="s1a", port=1, mode="fast")])
        world = World(FRAME, 1)
        (early,), (late,) = world.chargers(state, 600.0), world.chargers(state, 2400.0)
        assert early.pack_v * early.into_a == pytest.approx(240.0, rel=0.01), "the fast rate of the charger"
        assert late.frac > early.frac
        assert late.pack_v > early.pack_v
        dark = fold(FRAME, [happened("on_port", 0, pack="s1a", port=1, mode="fast"), happened("power_out", 300)])
        assert world.chargers(dark, 600.0) == ()

    def test_a_person_answers_the_calls_while_the_world_goes_on(self):
        world = World(FRAME, 1, [Fault("port_trips", 100.0, about="1")])
        state = fold(FRAME, [happened("on_port", 0, pack="s1a", port=1)])
        (event,) = world.step(state, (), 120.0, by_hand=True)
        assert (event.kind, event.figures["port"]) == ("port_dead", 1)
        assert world.step(state, (), 140.0, by_hand=True) == []

    def test_the_air_tells_volts_percent_and_the_way_home_until_a_device_dies(self):
        world = World(FRAME, 1, [Fault("silent_device", 300.0)])
        state = fold(FRAME, [up("F1", 0, "s0")])
        (t,) = world.telemetry(state, 200.0)
        assert t.left_frac == pytest.approx(0.88)
        assert 3.4 < t.lowest_v < 4.2
        world.step(state, (), 301.0)
        assert world.telemetry(state, 400.0) == ()
        assert len(world.telemetry(state, 1600.0)) == 1

    def test_an_unknown_fault_is_refused(self):
        with pytest.raises(CoreError, match="A fault is one of"):
            Fault("gremlins", 0.0)


def test_packs_of_a_pair_in_different_states_are_planned_from_where_they_are():
    frame, plan = frame_of(4, 3, pairs=True)
    events = [happened("on_port", 0, pack="s1a", port=1, mode="fast"), happened("on_port", 0, pack="s1b", port=2, mode="fast")]
    state = fold(frame, [*events, happened("off_port", 300, pack="s1b", frac=0.6)])
    task = remainder(frame, state, 400.0)
    s1 = next(s for s in task.sets if s.id == "s1")
    assert s1.fracs == (0.5, 0.6)
    assert [(c.set, c.pack) for c in task.begun] == [("s1", 0)]
    had = replan(frame, state, plan, 400.0)
    check_remaining(had.task, had.plan, 400.0)
    assert CONSTANT_POWER.cv_from_frac == 1.0


HOME = (-4.30, 55.12)
# Two lines of 100 m each to the east, as far as a degree of longitude goes there: 63.96 km on the WGS 84 ellipsoid.
EAST = 100.0 / 63_955.0
LINES = (((-4.30, 55.121), (-4.30 + EAST, 55.121)), ((-4.30 + EAST, 55.122), (-4.30, 55.122)))


class TestOnSite:
    """What stands between flights: where to go on, gaps, tests, checks, fuel, gates and people."""

    def test_a_sortie_goes_on_where_the_lines_were_left(self):
        whole = Route(HOME, LINES, 40.0, "images")
        at = resume_at(whole, 0.75)
        assert (at.line, at.lines) == (2, 2)
        assert at.along_m == pytest.approx(50.0, abs=1.0)
        assert (at.lon_deg, at.lat_deg) == pytest.approx((-4.30 + EAST / 2, 55.122), abs=1e-5)
        # north by 0.002 degrees of latitude (111.34 km each there), east by 50 m
        assert at.from_home_m == pytest.approx(math.hypot(222.7, 50.0), abs=1.0)
        assert at.bearing_deg == pytest.approx(math.degrees(math.atan2(50.0, 222.7)), abs=0.3)
        assert resume_at(whole, 0.0).line == 1
        assert resume_at(whole, 1.0) is None
        assert resume_at(Route(HOME, ()), 0.5) is None

    def test_the_call_to_go_on_says_where_and_what_was_noted(self):
        frame = replace(FRAME, routes={"F1": Route(HOME, LINES, 40.0, "images")})
        events = [up("F1", 0, "s0"), down("F1", 800, done_frac=0.6, resume="waypoint 41")]
        state = fold(frame, events)
        had = replan(frame, state, PLAN, 900.0)
        call = next(c for c in calls_from(frame, state, had.task, had.plan, 900.0, BACKS) if c.id == "launch:F1+")
        assert call.why.startswith("noted: waypoint 41; line 2 of 2, 20 m in; enter from home at ")
        events += [up("F1+", 2000, "s1"), down("F1+", 2500, done_frac=0.5)]
        assert share_of_whole(fold(frame, events), "F1++") == pytest.approx(0.2)

    def test_fewer_images_than_planned_are_a_gap_while_it_can_still_be_flown(self):
        frame = replace(FRAME, routes={"F1": Route(HOME, LINES, 400.0, "images")})
        told = fold(frame, [up("F1", 0, "s0"), down("F1", 1000, work=380)])
        (gap,) = [a for a in alerts_of(frame, told, 1100.0) if a.key == "gap:F1"]
        assert (gap.reason, gap.limit, gap.owner) == ("380 images of 400", "388 images", "lead")
        assert not [a for a in alerts_of(frame, told, 5000.0) if a.key == "gap:F1"]
        for fine in (395, None):
            state = fold(frame, [up("F1", 0, "s0"), down("F1", 1000, **({"work": fine} if fine else {}))])
            assert not [a for a in alerts_of(frame, state, 1100.0) if a.key.startswith("gap")]
        half = fold(frame, [up("F1", 0, "s0"), down("F1", 1000, work=199, done_frac=0.5)])
        assert not [a for a in alerts_of(frame, half, 1100.0) if a.key.startswith("gap")], "half a sortie brings half"

    @pytest.mark.parametrize(
        ("air_c", "hours", "told"), [(15.0, 5.0, False), (15.0, 6.2, True), (-6.0, 2.2, True), (33.0, 1.0, False)]
    )
    def test_a_crew_is_relieved_earlier_in_cold_and_heat(self, air_c, hours, told):
        flown = [
            f for k in range(6) for f in (up(f"F{k + 1}", k * hours * 600, "s0"), down(f"F{k + 1}", (k + 1) * hours * 600 - 400))
        ]
        state = fold(FRAME, flown)
        found = [a for a in alerts_of(FRAME, state, hours * 3600 - 300, bounds=Bounds(air_c=air_c)) if a.key == "relief"]
        assert bool(found) == told
        rested = [a for a in alerts_of(FRAME, state, hours * 3600 + 1200, bounds=Bounds(air_c=air_c)) if a.key == "relief"]
        assert not rested, "a break of a quarter of an hour has passed"

    def test_tests_checks_fuel_and_gate_are_called_until_they_are_told(self):
        frame = replace(FRAME, to_test=("s2a",), refuel_s={"Trailer": (2000.0, 6000.0)}, preflight=True)

        def calls(*events, now=60.0):
            state = fold(frame, events)
            had = replan(frame, state, PLAN, now)
            return {c.id: c for c in calls_from(frame, state, had.task, had.plan, now, BACKS)}

        first = calls()
        assert {"test:s2a", "check:a", "refuel:Trailer:0"} <= set(first)
        assert first["refuel:Trailer:0"].at_s == 2000.0
        later = calls(
            happened("tested", 61, pack="s2a", word="good"),
            happened("checked", 62, aircraft="a"),
            happened("refuelled", 63, supply="Trailer"),
        )
        assert not {"test:s2a", "check:a", "refuel:Trailer:0"} & set(later)
        assert later["refuel:Trailer:1"].at_s == 6000.0
        shut = calls(happened("gate", 50, word="closed", until_s=1800, why="a gust front"))
        assert (shut["gate"].at_s, shut["gate"].why) == (1800, "a gust front")
        assert "gate" not in calls(happened("gate", 50, word="closed", until_s=1800), happened("gate", 55, word="open"))


class TestTooLittleTime:
    def test_what_no_longer_fits_is_left_out_and_the_rest_is_flown(self):
        """A dead port in a day without slack: most of it is flown, the rest is named, and comes back with the port."""
        frame, plan = frame_of(6, 3, windows=((0.0, 9000.0),), start=0.6)
        events = [up("F1", 0, plan.flights[0].set), Event("d", "port_dead", 600.0, "a", {"port": 1})]
        had = replan(frame, fold(frame, events), plan, 700.0)
        assert had.left_out
        assert had.problem.startswith(", ".join(had.left_out))
        flown = {f.flight for f in had.plan.flights}
        assert flown | set(had.left_out) == {f.id for f in had.task.flights}
        assert flown
        assert all(f.landing_s <= 9000.0 for f in had.plan.flights)
        again = replan(frame, fold(frame, events), had.plan, 760.0, anew=False)
        assert again.kept
        assert again.left_out == had.left_out
        back = replan(frame, fold(frame, [*events, Event("b", "port_back", 800.0, "a", {"port": 1})]), had.plan, 800.0)
        assert len(back.left_out) < len(had.left_out)

    def test_what_no_pack_can_fly_any_more_is_left_out_and_the_rest_is_flown(self):
        """The one set that could fly the longest sortie fails: that sortie is named, all others go on."""
        frame, plan = frame_of(4, 3)
        only = replace(frame.task.flights[3], only=("s1",))
        task = replace(frame.task, flights=(*frame.task.flights[:3], only))
        frame = replace(frame, task=task)
        out = happened("pack_out", 300, pack="s1a")
        had = replan(frame, fold(frame, [out]), plan, 400.0)
        assert had.left_out == ("F4",)
        assert "F4 no longer fits" in had.problem
        assert {f.flight for f in had.plan.flights} == {"F1", "F2", "F3"}
        every = [happened("pack_out", 300 + k, pack=f"s{k}a") for k in range(3)]
        none = replan(frame, fold(frame, every), plan, 400.0)
        assert none.left_out == ("F1", "F2", "F3", "F4")
        assert none.plan.flights == ()

    def test_a_day_of_which_nothing_fits_any_more_is_closed(self):
        frame, plan = frame_of(4, 3, windows=((0.0, 9000.0),))
        had = replan(frame, begin(frame), plan, 8900.0)
        assert had.left_out == ("F1", "F2", "F3", "F4")
        calls = calls_from(frame, begin(frame), had.task, had.plan, 8900.0, BACKS)
        assert [c.kind for c in calls] == ["close"]
        assert "stays undone" in calls[0].why


class TestCourse:
    PLAYED = [rehearse(FRAME, PLAN, World(FRAME, s, [Fault("port_trips", 3000.0)]), BACKS).events for s in (1, 2)]

    @given(st.sampled_from(PLAYED), st.floats(0.0, 16_000.0))
    @settings(max_examples=40, deadline=None)
    def test_beds_follow_one_another_and_meet_at_now(self, played, now):
        told = [e for e in played if e.at_s <= now]
        state = fold(FRAME, told)
        had = replan(FRAME, state, PLAN, now)
        until = 20_000.0
        drawn = course(FRAME, told, had, now, until)
        found = drawn.packs
        assert all(0.0 <= w <= 2 * 270.0 + 1 for _, w in drawn.load), "two ports draw no more than their fastest rate"
        assert [c.name for c in found] == sorted(state.packs)
        for c in found:
            beds = [*c.past, *c.ahead]
            assert beds[0].start_s == pytest.approx(0.0, abs=2)
            for a, b in pairwise(beds):
                assert b.start_s == pytest.approx(a.end_s, abs=2.1), "no gap and no overlap"
                assert b.curve[0][1] == pytest.approx(a.curve[-1][1], abs=0.021), "charge does not jump"
            assert all(b.end_s <= now + 1 for b in c.past)
            assert all(b.start_s >= now - 1 for b in c.ahead)
            assert all(0.0 <= f <= 1.0 for b in beds for _, f in b.curve)
        past = {b.label for c in found for b in c.past if b.state == "flying"}
        assert past >= {f.id for f in state.flights.values() if f.word == "landed"}
        ahead = {b.label for c in found for b in c.ahead if b.state == "flying"}
        if had.plan is not None:
            assert ahead >= {f.flight for f in had.plan.flights}

    def test_a_pack_that_is_out_lies_there_and_has_no_future(self):
        events = [up("F1", 0, "s0"), down("F1", 1000), Event("x", "pack_out", 1200.0, "a", {"pack": "s0a", "why": "swollen"})]
        had = replan(FRAME, fold(FRAME, events), PLAN, 2000.0)
        mine = next(c for c in course(FRAME, events, had, 2000.0, 9000.0).packs if c.name == "s0a")
        assert mine.why == "swollen"
        assert [b.state for b in mine.past] == ["flying", "cooling", "grounded"]
        assert mine.ahead == []


class TestRecords:
    EVENTS = (
        happened("on_port", 60, pack="s1a", port=1, mode="fast"),
        happened("launched", 100, flight="F1", set="s0"),
        happened("landed", 1100, flight="F1", left_frac=0.38, pack_c=41.0),
        happened("off_port", 2400, pack="s1a"),
        happened("on_port", 2500, pack="s0a", port=2, mode="gentle"),
        happened("off_port", 2510, pack="s0a"),
    )

    def test_a_day_tells_packs_their_charges_and_flights(self):
        state, told = fold_with_records(FRAME, self.EVENTS)
        assert state == fold(FRAME, self.EVENTS)
        flight, charge, short = told
        assert isinstance(flight, DayFlight)
        assert (flight.pack, flight.flown_s, flight.from_frac, flight.to_frac, flight.pack_c) == ("s0a", 1000.0, 1.0, 0.38, 41.0)
        assert isinstance(charge, DayCharge)
        assert (charge.pack, charge.charger, charge.rate, charge.pack_w, charge.charged_s) == ("s1a", "c", "fast", 240.0, 2340.0)
        assert (charge.from_frac, charge.to_frac) == (
            0.5,
            pytest.approx(charge_now(FRAME, fold(FRAME, self.EVENTS[:1]).packs["s1a"], 2400)),
        )
        assert short.charged_s is None, "put on by mistake: it tells no rate"

    @given(st.integers(0, 5), st.integers(0, 5))
    def test_what_was_undone_tells_nothing(self, first, second):
        undone = {first, second}
        undos = [happened("undo", 3000 + k, of=self.EVENTS[k].key) for k in sorted(undone)]
        left = [e for k, e in enumerate(self.EVENTS) if k not in undone]
        assert fold_with_records(FRAME, [*self.EVENTS, *undos])[1] == fold_with_records(FRAME, left)[1]

    def test_a_day_is_folded_once_however_long_it_is(self, monkeypatch):
        from quarry.core.day import records

        folds = []
        whole = records.fold
        monkeypatch.setattr(records, "fold", lambda *a: folds.append(1) or whole(*a))
        fold_with_records(FRAME, [replace(e, key=f"{e.key}{k}", at_s=e.at_s + k) for k in range(40) for e in self.EVENTS])
        assert len(folds) == 1


class TestHomeBeforeTheWorkIsDone:
    """F1 takes 1000 s, 200 s of it out, home and landing: half a way home is 100 s."""

    def test_what_turned_home_lands_sooner_takes_less_and_leaves_the_rest_to_fly(self):
        state = fold(FRAME, [up("F1", 0, "s0"), happened("homing", 500, flight="F1", why="rain")])
        planned = replan(FRAME, state, PLAN, 500.0)
        calls = calls_from(FRAME, state, planned.task, planned.plan, 500.0, BACKS)
        land = next(c for c in calls if c.id == "land:F1")
        assert land.at_s == 600.0
        assert not any(c.id == "back:F1" for c in calls), "it has turned back"
        after = fold(FRAME, [up("F1", 0, "s0"), happened("homing", 500, flight="F1"), down("F1", 610)])
        assert after.flights["F1"].done_frac == pytest.approx((500 - 100) / 800)
        assert after.packs["s0a"].frac == pytest.approx(1.0 - 0.6 * 0.6)
        assert after.sorties["F1+"].flight_s == math.ceil(200 + 0.5 * 800)

    def test_what_was_written_down_at_the_landing_counts_more_than_the_clock(self):
        events = [up("F1", 0, "s0"), happened("homing", 500, flight="F1"), down("F1", 610, left_frac=0.5, done_frac=0.7)]
        state = fold(FRAME, events)
        assert (state.flights["F1"].done_frac, state.packs["s0a"].frac) == (0.7, 0.5)

    def test_a_turn_home_on_the_ground_is_kept_and_told_and_not_counted(self):
        state = fold(FRAME, [happened("homing", 5, flight="F1")])
        assert state.flights["F1"].word == "planned"
        assert "F1 was not in the air" in state.oddities[0]

    def test_no_alert_asks_what_is_coming_home_to_turn_back(self):
        state = fold(FRAME, [up("F1", 0, "s0"), happened("homing", 790, flight="F1")])
        keys = {a.key for a in alerts_of(FRAME, state, 880.0, turn_backs_s=BACKS)}
        assert "back:F1" not in keys


class TestEmergencies:
    TWO = RotationTask(
        (Craft("a", "t"), Craft("b", "t")),
        tuple(Flight(f"{c}{k}", c.lower(), 1000.0, 0.6) for c in "AB" for k in (1, 2)),
        tuple(PackSet(f"s{k}", "t", 1, 200.0, 1.0) for k in range(4)),
        (CHARGER,),
        swap_s=180.0,
        rest_after_flight_s=600.0,
        rest_after_charge_s=300.0,
        windows=((0.0, 40_000.0),),
    )
    PLANNED = dispatch(TWO)
    BOTH = Frame(
        TWO,
        {s.id: (s.id,) for s in TWO.sets},
        {f.flight: f.set for f in PLANNED.flights},
        {f.id: 200.0 for f in TWO.flights},
        preflight=True,
    )

    def state(self, *events):
        first = [up("A1", 0, "s0"), up("B1", 10, "s1")]
        return fold(self.BOTH, [*first, *events])

    def calls(self, state, now):
        planned = replan(self.BOTH, state, self.PLANNED, now)
        return planned, calls_from(self.BOTH, state, planned.task, planned.plan, now, {})

    def test_an_emergency_comes_before_every_other_call_and_nothing_is_launched_meanwhile(self):
        state = self.state(down("B1", 300, left_frac=0.6), happened("emergency", 400, flight="A1", why="motor"))
        planned, calls = self.calls(state, 420.0)
        assert (calls[0].kind, calls[0].flight, calls[0].owner) == ("emergency", "A1", "lead")
        assert "people first" in calls[0].why
        assert not any(c.kind in ("launch", "fit") for c in calls)
        assert min(f.takeoff_s for f in planned.plan.flights) >= 420.0 + 600.0
        alert = alerts_of(self.BOTH, state, 420.0)[0]
        assert (alert.key, alert.grade, alert.reason.split(";")[0]) == ("emergency:A1", "now", "motor")

    def test_who_else_is_in_the_air_is_said(self):
        state = self.state(happened("emergency", 400, flight="A1"))
        assert "also in the air: B1" in alerts_of(self.BOTH, state, 420.0)[0].reason

    def test_a_false_alarm_ends_it_and_launches_are_called_again(self):
        state = self.state(
            down("B1", 300, left_frac=0.6), happened("emergency", 400, flight="A1"), happened("emergency_over", 430, flight="A1")
        )
        _, calls = self.calls(state, 440.0)
        assert state.emergencies() == []
        assert any(c.kind == "launch" and c.flight == "B2" for c in calls)

    @pytest.mark.parametrize("marks", [["damage"], ["hard landing"], []])
    def test_after_a_hard_landing_or_an_emergency_the_aircraft_is_checked_anew(self, marks):
        checked = [happened("checked", 0, aircraft=x) for x in "ab"]
        bad = [] if marks else [happened("emergency", 400, flight="A1")]
        state = self.state(*checked, *bad, down("A1", 900, left_frac=0.4, marks=marks))
        _, calls = self.calls(state, 910.0)
        again = next(c for c in calls if c.kind == "preflight")
        assert (again.aircraft, again.owner) == ("a", "pilot")
        state = self.state(*checked, *bad, down("A1", 900, left_frac=0.4, marks=marks), happened("checked", 950, aircraft="a"))
        assert not any(c.kind == "preflight" for c in self.calls(state, 960.0)[1])

    def test_a_lost_aircraft_leaves_the_day_with_its_packs_and_the_other_flies_on(self):
        lost = happened("lost", 700, "gone", flight="A1")
        state = self.state(happened("emergency", 400, flight="A1"), lost, down("B1", 1000, left_frac=0.4))
        planned, calls = self.calls(state, 1010.0)
        assert (state.flights["A1"].word, state.flights["A2"].word) == ("lost", "dropped")
        assert (state.packs["s0"].word, state.packs["s0"].why) == ("out", "lost with A1")
        assert [f.flight for f in planned.plan.flights] == ["B2"]
        assert not any(c.aircraft == "a" for c in calls)
        assert any("A1 was lost" in r for r in debrief(self.BOTH, state, self.PLANNED).risky)
        back = self.state(happened("emergency", 400, flight="A1"), lost, happened("undo", 800, of="gone"))
        assert (back.flights["A1"].word, back.flights["A2"].word) == ("airborne", "planned")

    def test_the_landing_of_what_was_lost_waits_for_the_loss_to_be_taken_back(self):
        state = self.state(happened("lost", 700, flight="A1"), down("A1", 900))
        assert state.flights["A1"].word == "lost"
        assert "Take back the loss first" in state.oddities[-1]


def test_every_call_has_an_owner_the_bench_the_handler_the_aircraft_the_pilot():
    state = begin(FRAME)
    calls = calls_from(FRAME, state, remainder(FRAME, state, 0.0), PLAN, 0.0, BACKS, air_c=5.0)
    owners = {c.kind: c.owner for c in calls}
    assert {owners[k] for k in ("on_port", "off_port", "warm")} == {"handler"}
    assert {owners[k] for k in ("launch", "land", "fit", "turn_back")} == {"pilot"}
