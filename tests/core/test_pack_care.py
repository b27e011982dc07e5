"""Label, life, sets, and the steps at the charger."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError
from quarry.core.base.working import explain
from quarry.core.cells.chemistry import CHEMISTRIES
from quarry.core.packs.at_the_charger import OnBench, bench_charge
from quarry.core.packs.care import care_tasks
from quarry.core.packs.charge_back import TimedFlight
from quarry.core.packs.health import LEVELS, PackHistory, ResistanceSeen, judge_health, rule_working
from quarry.core.packs.label import label_figures, shown_reserve_frac
from quarry.core.packs.life import life_of
from quarry.core.packs.records import AlarmsSet, Cared, Charged, Flown, GroundedBy, Happened, LoadTested, Stored
from quarry.core.packs.sets import SetMember, judge_set
from quarry.core.packs.snapshot import Entry, PackKind, fold, pack_state

LIPO = CHEMISTRIES["lipo"]
KIND = PackKind(LIPO, 6, 16.0, in_service_day=0.0)


# -- label ---------------------------------------------------------------------------------------


def test_the_label_of_one_flight_is_the_charge_back_arithmetic():
    """1569 mAh in 8 min; 30 % of the rated 1800 kept: 5.25 min from what was seen (common practice, no source)."""
    one = [TimedFlight(480.0, 1.569)]
    found = label_figures(one, 1.8, 1.569 / 1.8, landing_frac=0.3, method="rated")
    assert found.hard_s == found.gentle_s
    assert found.hard_s / 60 == pytest.approx(5.25, abs=0.01)
    own = label_figures(one, 1.8, 1.569 / 1.8, landing_frac=0.3, method="measured")
    assert own.hard_s / 60 == pytest.approx(5.6, abs=0.01)  # 8 min less 30 % of it


def test_a_reserve_of_rated_shows_higher_on_the_screen_of_a_worn_pack():
    """30 % of rated at 80 % health shows as 37 % (common practice, no source)."""
    assert shown_reserve_frac(0.3, 0.8) == pytest.approx(0.375)
    assert label_figures([], 16.0, 0.8, landing_frac=0.3, method="measured").shown_frac == 0.3


def test_hard_is_never_longer_than_gentle_and_a_pack_that_is_all_reserve_has_no_minutes():
    flights = [TimedFlight(900.0 - 40 * k, 10.0) for k in range(8)]
    told = explain(label_figures, flights, 16.0, 0.9, landing_frac=0.3, method="rated")
    assert told.value.hard_s < told.value.gentle_s
    assert told.steps[0].name == "shown_frac"
    assert label_figures(flights, 16.0, 0.3, landing_frac=0.3, method="rated").hard_s is None
    assert label_figures([], 16.0, 1.0, landing_frac=0.3, method="rated").gentle_s is None


@given(st.lists(st.floats(300, 1500), min_size=1, max_size=40), st.floats(0.5, 1.0), st.floats(0.1, 0.4))
def test_more_reserve_or_less_health_never_gives_more_minutes(seconds, health, landing):
    flights = [TimedFlight(s, 10.0) for s in seconds]

    def hard(h, keep):
        return label_figures(flights, 16.0, h, landing_frac=keep, method="rated").hard_s or 0.0

    assert hard(health, landing + 0.05) <= hard(health, landing)
    assert hard(health - 0.1, landing) <= hard(health, landing)


# -- life ----------------------------------------------------------------------------------------


def told(*rows):
    return [Entry(str(k), float(day), record) for k, (day, record) in enumerate(rows)]


def test_a_life_is_beds_of_flying_and_lying_and_what_stood_out():
    flight, full = Flown(900, 1.0, 0.3), Charged(0.3, 1.0, 11.0)
    life = life_of(
        replace(KIND, cycles_before=12.0),
        told(
            (0, Stored(0.6)),
            (5, flight),
            (6, full),
            (9, flight),
            (9.5, full),  # left full for 31 days
            (40, flight),
            (41, Stored(0.6)),
            (42, LoadTested((3.95,) * 5 + (3.7,), start_frac=0.98, pack_c=20.0)),
            (43, Flown(700, 1.0, 0.12)),
            (44, AlarmsSet(22.2, 21.6, proven=True)),
            (45, Happened("water")),
            (46, GroundedBy("smells")),
        ),
        today_day=90.0,
    )
    assert [(b.state, b.flights) for b in life.beds] == [("shelf", 0), ("flown", 2), ("left full", 0), ("flown", 2), ("shelf", 0)]
    assert [(b.from_day, b.to_day) for b in life.beds][-1] == (43.0, 90.0)
    words = [m.words for m in life.marks]
    assert words[0] == "first record, 12 cycles before it"
    assert any("3.70 V: replace soon" in w for w in words)
    assert any("landed at 12%" in w for w in words)
    assert words[-2:] == ["water", "grounded"]
    assert life_of(KIND, [], 10.0).beds == ()


# -- care ----------------------------------------------------------------------------------------


def tasks(snapshot, today, kind=KIND):
    health = judge_health(snapshot.history, today)
    state = pack_state("x", kind, snapshot, drains_after_days=5, next_flight_day=None)
    return [(t.kind, t.by_itself) for t in care_tasks(state, health, int(today))]


def test_a_pack_that_volts_cannot_judge_is_not_sent_to_a_load_test():
    snapshot = fold(
        KIND,
        told(
            (1, Flown(900, 1.0, 0.5)),
        ),
    )
    assert ("load test", False) in tasks(snapshot, 80.0)
    liion = replace(KIND, chemistry=CHEMISTRIES["liion"])
    assert ("load test", False) not in tasks(
        fold(
            liion,
            told(
                (1, Flown(900, 1.0, 0.5)),
            ),
        ),
        80.0,
        liion,
    )


def test_one_that_drains_itself_is_looked_at_and_one_ticked_off_leaves_the_list():
    full = told((1, Charged(0.4, 1.0, 9.0)))
    drains = replace(KIND, drains_itself=True)
    assert ("bring to storage", True) in tasks(fold(drains, full), 9.0, drains)
    assert ("bring to storage", False) in tasks(fold(KIND, full), 9.0)
    done = told((1, Charged(0.4, 1.0, 9.0)), (8, Cared("bring to storage")))
    assert not [t for t in tasks(fold(KIND, done), 9.0) if t[0] == "bring to storage"]
    gone = told((1, Happened("swelling")), (2, Cared("recycle")))
    assert tasks(fold(KIND, gone[:1]), 3.0) == [("recycle", False)]
    assert tasks(fold(KIND, gone), 3.0) == []


def test_the_working_of_a_rule_holds_what_was_measured_and_its_limit():
    history = PackHistory(
        resistance=tuple(ResistanceSeen(float(k), 10.0 * k, (0.002, 0.002 + 0.0005 * k)) for k in range(5)), cycles=40.0
    )
    health = judge_health(history, 5.0)
    rule = next(r for r in health.rules if r.name == "resistance, worst cell")
    steps = rule_working(history, rule).steps
    assert [s.name for s in steps] == ["limit", "first_ohm", "now_ohm", "growth_frac"]
    assert steps[3].value == pytest.approx(steps[2].value / steps[1].value) == pytest.approx(rule.measured)


# -- sets ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("b", "level", "words"),
    [
        ({}, "in service", "well matched"),
        ({"health_frac": 0.89}, "watch", "capacity 6%"),
        ({"health_frac": 0.82}, "replace soon", "capacity 13%"),
        ({"cell_ohm": 0.0026}, "watch", "resistance 1.30 times"),
        ({"cycles": 90.0}, "watch", "50 cycles apart"),
        ({"level": "replace soon"}, "replace soon", "b decides"),
        ({"level": "grounded", "health_frac": 0.8}, "grounded", "b decides"),
    ],
)
def test_a_set_is_no_better_than_its_weakest_pack_and_is_watched_when_it_drifts(b, level, words):
    a = SetMember("a", "in service", 0.95, 40.0, 0.002)
    other = replace(SetMember("b", "in service", 0.95, 40.0, 0.002), **b)
    found = judge_set([a, other])
    assert found.level == level
    assert words in found.words
    assert judge_set([other, a]).level == level
    assert found.working.steps[-1].value == level


@given(st.lists(st.sampled_from(LEVELS), min_size=2, max_size=4))
def test_the_level_of_a_set_is_at_least_that_of_each_pack(levels):
    found = judge_set([SetMember(str(k), level, 0.9, 10.0) for k, level in enumerate(levels)])
    assert all(LEVELS.index(found.level) >= LEVELS.index(level) for level in levels)


# -- at the charger ------------------------------------------------------------------------------


def test_the_steps_carry_the_settings_and_go_off_in_the_safe_order():
    found = bench_charge(OnBench(LIPO, 6, 16.0), rate_c_count=1.0)
    assert (found.current_a, found.full_v) == (16.0, pytest.approx(25.2))
    shown = [s.shown for s in found.on if s.shown]
    assert shown[:4] == ["LiPo", "6 cells, 25.2 V when full", "16.0 A", "balance charge"]
    does = [s.do for s in found.on]
    assert does.index("Charger on, before the pack is plugged in") < does.index("Plug in the main lead, then the balance lead")
    assert [s.do.split()[0] for s in found.off] == ["Stop", "Unplug", "Feel", "Note", "Charger"]
    small = bench_charge(OnBench(LIPO, 6, 16.0), port_w=252.0, goal="storage")
    assert small.current_a == pytest.approx(10.0)
    assert any(s.shown == "storage" for s in small.on)
    assert len(bench_charge(OnBench(LIPO, 6, 16.0, rested_s=120.0)).cautions) == 2


@pytest.mark.parametrize(
    ("pack", "rate", "field"),
    [
        ({"grounded": "swollen"}, 1.0, "pack"),
        ({"pack_c": -3.0}, 1.0, "pack_c"),
        ({"pack_c": 55.0}, 1.0, "pack_c"),
        ({}, 4.0, "rate_c_count"),
        ({"shown": (3.8, 3.8, 2.1, 3.8, 3.8, 3.8)}, 1.0, "shown.2"),
    ],
)
def test_what_must_not_be_charged_is_refused(pack, rate, field):
    with pytest.raises(CoreError) as bad:
        bench_charge(OnBench(LIPO, 6, 16.0, **pack), rate_c_count=rate)
    assert bad.value.field == field


def test_a_pack_that_joined_today_is_judged_by_its_last_flight_and_a_new_one_from_today():
    """Imported history is older than the day on which the pack joined; with none, days count from joining."""
    kind = replace(KIND, in_service_day=500.0)

    def due(*entries):
        seen = fold(kind, entries)
        state = pack_state("01", kind, seen, drains_after_days=None, next_flight_day=None)
        return {t.kind: t.words for t in care_tasks(state, judge_health(seen.history, 500.0), 500)}

    flown = due(Entry("a", 100.0, Flown(flown_s=900.0, from_frac=1.0, to_frac=0.4)))
    assert "400 days" in flown["monthly check"]
    assert "load test" in flown
    assert "monthly check" not in due()
    assert not any("500 days" in words for words in due().values())
