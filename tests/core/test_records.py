"""Records of a pack: what is refused, what they add up to, and that nothing is ever lost."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.base.errors import CoreError
from quarry.core.base.shapes import plain
from quarry.core.cells.chemistry import CHEMISTRIES
from quarry.core.packs.care import care_tasks
from quarry.core.packs.health import judge_health
from quarry.core.packs.policy import PackPolicy, policy_of
from quarry.core.packs.records import (
    Charged,
    Flown,
    GroundedBy,
    Happened,
    LoadTested,
    ReleasedBy,
    ResistanceRead,
    Rested,
    Stored,
    Withdrawn,
    check_record,
    record_of,
)
from quarry.core.packs.snapshot import (
    Entry,
    PackKind,
    digest,
    fold,
    grounds,
    health_today_frac,
    pack_state,
    snapshot_from,
    standing_entries,
)

LIPO = CHEMISTRIES["lipo"]
KIND = PackKind(LIPO, 6, 16.0, in_service_day=0.0)
GOOD = LoadTested((3.95,) * 6, start_frac=0.98, pack_c=25.0)
BAD = LoadTested((3.95, 3.95, 3.95, 3.4, 3.95, 3.95), start_frac=0.98, pack_c=25.0)


def snapshot(*records, kind=KIND, policy=None):
    """Fold records, one a day."""
    return fold(kind, [Entry(str(k), float(k), r) for k, r in enumerate(records)], policy)


@pytest.mark.parametrize(
    ("kind", "figures", "field"),
    [
        ("load test", {"cell_v": [3.9] * 5}, "cell_v"),
        ("load test", {"cell_v": [3.9] * 5 + [4.6]}, "cell_v.5"),
        ("load test", {"total_v": 3.9 * 12}, "total_v"),
        ("load test", {"cell_v": ["x"] * 6}, "cell_v"),
        ("load test", {"pack_c": 900}, "pack_c"),
        ("resistance", {"cell_ohm": [0.004] * 6}, "pack_c"),
        ("resistance", {"cell_ohm": [], "pack_c": 20}, "cell_ohm"),
        ("resistance", {"cell_ohm": [4.0] * 6, "pack_c": 20}, "cell_ohm.0"),
        ("rest volts", {}, "cell_v"),
        ("rest volts", {"total_v": 50.4}, "total_v"),
        ("flight", {"flown_s": "12 min"}, "flown_s"),
        ("flight", {"flown_s": 900, "from_frac": 0.3, "to_frac": 0.9}, "to_frac"),
        ("charge", {}, "to_frac"),
        ("charge", {"put_back_ah": 160.0}, "put_back_ah"),
        ("charge", {"from_frac": 0.9, "to_frac": 0.3}, "to_frac"),
        ("capacity", {"capacity_ah": 40.0}, "capacity_ah"),
        ("storage", {"humidity_frac": 60}, "humidity_frac"),
        ("mishap", {"what": "bored"}, "what"),
        ("mishap", {"what": "swelling", "colour": 1}, "colour"),
        ("grounding", {"words": ""}, "words"),
        ("grounding", {"words": "x" * 300}, "words"),
        ("care", {"task": "polish"}, "task"),
        ("alarm levels", {"first_v": 21.0, "second_v": 21.5}, "second_v"),
        ("alarm levels", {"first_v": 11.0, "second_v": 10.9}, None),
        ("alarm levels", {"first_v": 110.0, "second_v": 21.5}, "first_v"),
        ("séance", {}, "kind"),
    ],
)
def test_what_cannot_be_is_refused_at_its_figure(kind, figures, field):
    if field is None:  # low but possible volts are not refused
        check_record(record_of(kind, figures), LIPO, 6, 16.0)
        return
    with pytest.raises(CoreError) as bad:
        check_record(record_of(kind, figures), LIPO, 6, 16.0)
    assert bad.value.field == field
    assert bad.value.message.endswith(".")


def test_a_record_comes_back_from_its_plain_figures():
    for kind, record in (
        ("load test", GOOD),
        ("charge", Charged(0.3, 1.0, 10.5, mode="fast")),
        ("flight", Flown(1000, 1.0, 0.3)),
    ):
        assert record_of(kind, plain(record)) == record


def test_a_bad_load_test_grounds_and_a_lead_may_release_until_the_next_fails():
    bad = snapshot(GOOD, BAD)
    assert "cell 4 fell to 3.40 V" in grounds(bad.history)
    assert judge_health(bad.history, 2.0).level == "grounded"
    free = snapshot(GOOD, BAD, ReleasedBy("the meter was at fault"))
    assert grounds(free.history) == ""
    freed = judge_health(free.history, 3.0)
    assert freed.level == "replace soon"  # its cells still lie 550 mV apart under load
    assert next(r.level for r in freed.rules if r.name == "load test, lowest cell") == "watch"
    assert grounds(snapshot(GOOD, BAD, ReleasedBy("once"), BAD).history)
    assert judge_health(snapshot(GOOD, BAD, ReleasedBy("once"), GOOD).history, 4.0).level == "in service"


def test_swelling_grounds_for_good_and_no_release_helps():
    s = snapshot(Happened("swelling", "lid lifts"), ReleasedBy("it went down again"), GOOD)
    health = judge_health(s.history, 3.0)
    assert (health.level, health.may_override) == ("grounded", False)
    assert "swollen" in grounds(s.history)
    assert grounds(snapshot(Happened("water"), ReleasedBy("dried and tested")).history) == ""
    assert grounds(snapshot(GroundedBy("smells")).history) == "smells"


def test_a_pack_not_full_or_cold_is_not_grounded_by_a_low_reading():
    assert not snapshot(LoadTested(BAD.cell_v, start_frac=0.6, pack_c=25.0)).history.tests
    cold = snapshot(LoadTested(BAD.cell_v, start_frac=0.98, pack_c=4.0))
    assert cold.history.tests[0].verdict == "inconclusive"
    assert grounds(cold.history) == ""


def test_correcting_and_withdrawing_leave_what_stands():
    told = [
        Entry("a", 1.0, BAD),
        Entry("b", 1.0, GOOD, corrects="a"),
        Entry("c", 2.0, Flown(900, 1.0, 0.1)),
        Entry("d", 2.0, Withdrawn("another pack"), corrects="c"),
    ]
    s = fold(KIND, told)
    assert (s.history.tests[-1].verdict, s.flights_count, s.history.deep_count) == ("good", 0, 0)
    back = fold(KIND, [*told, Entry("e", 2.0, Withdrawn("it was this one"), corrects="d")])
    assert (back.flights_count, back.history.deep_count) == (1, 1)
    assert [e.key for e in standing_entries(told)] == ["b", "d"]


def test_charges_after_flights_give_capacity_cycles_and_draw():
    flights = [Flown(1000, 1.0, 0.3, aircraft="W"), Charged(0.3, 1.0, 9.52)] * 4
    s = snapshot(*flights)
    assert s.history.capacity[-1].health_frac == pytest.approx(9.52 / 0.7 / 16.0)
    assert health_today_frac(s.history, 1.0) == pytest.approx(0.85)
    assert s.history.cycles == pytest.approx(4 * 9.52 / 16)
    assert (s.flights_count, s.flown_s, len(s.timed)) == (4, 4000.0, 4)
    assert s.timed[0].used_frac == pytest.approx(0.7)
    assert s.charge_frac == 1.0
    assert health_today_frac(snapshot().history, 0.93) == 0.93


def test_lapses_are_counted_when_a_full_pack_lies_or_leaves_its_temperatures():
    full = Charged(0.3, 1.0, 10.0)
    days = [
        Entry("a", 0.0, full),
        Entry("b", 9.0, Flown(900, 1.0, 0.3)),
        Entry("c", 9.1, full),
        Entry("d", 9.5, Flown(900, 1.0, 0.3)),
    ]
    assert fold(KIND, days).history.full_lapses_count == 1
    assert fold(replace(KIND, drains_itself=True), days).history.full_lapses_count == 0
    hot = snapshot(Stored(0.6, air_c=41.0), Charged(0.3, 1.0, start_c=-4.0), Flown(900, most_c=75.0))
    assert hot.history.heat_lapses_count == 3


def test_rest_volts_give_charge_and_spread_unless_volts_do_not_tell():
    s = snapshot(Rested((3.85, 3.85, 3.84, 3.79, 3.85, 3.85)))
    assert 0.45 < s.charge_frac < 0.75
    assert s.history.rest_spread_v == pytest.approx(0.06)
    lfp = snapshot(Rested((3.3,) * 6), kind=replace(KIND, chemistry=CHEMISTRIES["lfp"], charge_frac=0.4))
    assert lfp.charge_frac == 0.4
    assert snapshot(Rested(total_v=9.0)).charge_frac == 0.0


READ = st.tuples(*[st.floats(0.002, 0.02)] * 6).map(lambda c: ResistanceRead(c, 25.0))
ANY = st.one_of(
    st.just(GOOD),
    st.just(BAD),
    READ,
    st.floats(300, 1500).map(lambda s: Flown(s, 1.0, 0.25)),
    st.floats(6.0, 12.0).map(lambda q: Charged(0.25, 1.0, q)),
    st.just(Happened("water")),
    st.just(ReleasedBy("so be it")),
    st.floats(3.6, 4.1).map(lambda v: Rested((v,) * 6)),
)


@given(st.lists(ANY, max_size=25), st.integers(0, 200))
def test_the_digest_judges_and_cares_as_the_whole_does(records, later):
    whole = snapshot(*records)
    slim = snapshot_from(plain(digest(whole)))
    today = len(records) + later
    a, b = (judge_health(s.history, today) for s in (whole, slim))
    assert (a.level, a.words, [r.measured for r in a.rules]) == (b.level, b.words, [r.measured for r in b.rules])
    states = [pack_state("x", KIND, s, drains_after_days=3, next_flight_day=None) for s in (whole, slim)]
    assert care_tasks(states[0], a, today) == care_tasks(states[1], b, today)


@given(st.lists(ANY, max_size=12), st.randoms(use_true_random=False))
def test_the_order_of_writing_does_not_matter_where_nothing_is_corrected(records, chance):
    told = [Entry(str(k), float(k), r) for k, r in enumerate(records)]
    mixed = told[:]
    chance.shuffle(mixed)
    assert fold(KIND, mixed) == fold(KIND, told)


def test_a_stricter_policy_judges_old_readings_anew():
    soft = LoadTested((3.8,) * 6, start_frac=0.97, pack_c=25.0)
    assert snapshot(soft).history.tests[0].verdict == "replace soon"
    assert not snapshot(soft, policy=policy_of({"load_test.full_frac": 0.99})).history.tests
    strict = policy_of({"health.cycles.watch": 20.0, "health.cycles.replace": 50.0})
    used = snapshot(Charged(put_back_ah=16.0), kind=replace(KIND, cycles_before=30.0))
    assert judge_health(used.history, 1.0).level == "not yet tested"
    assert judge_health(used.history, 1.0, strict.health).level == "watch"


@pytest.mark.parametrize(
    ("own", "field"),
    [
        ({"landing_frac": 30}, "landing_frac"),
        ({"landing_frac": "a third"}, "landing_frac"),
        ({"reserve_method": "luck"}, "reserve_method"),
        ({"floor_frac": 0.4}, "floor_frac"),
        ({"health.capacity_frac.watch": 0.7}, "health.capacity_frac.replace"),
        ({"health.cycles.watch": 400.0}, "health.cycles.replace"),
        ({"care.storage_frac": 0.95}, "care.storage_frac"),
    ],
)
def test_a_policy_that_contradicts_itself_is_refused_at_its_key(own, field):
    with pytest.raises(CoreError) as bad:
        policy_of(own)
    assert bad.value.field == field


def test_a_policy_without_own_values_is_the_default():
    assert policy_of({}) == PackPolicy()
    assert policy_of({"another.subject": 3}) == PackPolicy()
