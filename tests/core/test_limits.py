"""Limits: the strictest wins, missing is never a go, a measurement beats a forecast, nobody overrides a hard floor."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.base.errors import MissingInput, OutOfRange
from quarry.core.limits.preflight import AircraftTraits, Remark, check_entry, checklist, judge_preflight
from quarry.core.limits.quantities import QUANTITIES, quantity_of
from quarry.core.limits.sheets import LEVELS, Rule, Sheet, check_rule, strictest
from quarry.core.limits.starter import HOUSE, WORK
from quarry.core.limits.verdict import BandPolicy, Reading, Verdict, band_policy, judge
from quarry.core.limits.windows import common, next_window, open_windows, spans

HOUSE_SHEET = Sheet("h", "organisation", "House", HOUSE)
HERON = Sheet("a", "aircraft", "Heron", (Rule("gust_m_s", most=10.7, why="data sheet"), Rule("air_c", least=0.0)))


def gust(value, most=10.7, **more):
    limits = strictest([Sheet("a", "aircraft", "Heron", (Rule("gust_m_s", most=most),))])
    return judge(limits, {"gust_m_s": [Reading(value, "measured", **more)]})


@pytest.mark.parametrize(
    ("value", "word"),
    [(5.0, "go"), (8.0, "go"), (8.1, "care"), (9.6, "care"), (9.7, "no"), (10.0, "no"), (10.7, "no"), (12.0, "no")],
)
def test_bands_below_a_wind_limit(value, word):
    """Common practice, no source: limit 10.7, gusts of 10 count as too close and are not flown."""
    assert gust(value).word == word


def test_a_reason_names_measured_limit_and_whose():
    row = gust(10.0).rows[0]
    assert row.reason == "Gust at flying height 10.0 m/s, limit 10.7 m/s (Heron): too close."
    assert row.whose == "Heron"
    assert row.margin == pytest.approx(0.7)
    assert row.working.steps[-1].value == "No go"


sides = st.floats(0.5, 40)


@given(st.lists(st.tuples(st.sampled_from(LEVELS), sides), min_size=1, max_size=6), sides)
def test_the_strictest_sheet_wins_and_one_more_never_loosens(rules, more):
    sheets = [Sheet(str(k), level, f"sheet {k}", (Rule("gust_m_s", most=v),)) for k, (level, v) in enumerate(rules)]
    found = strictest(sheets)["gust_m_s"].most
    assert found.value == min(v for _, v in rules)
    tighter = strictest([*sheets, Sheet("x", "job", "job", (Rule("gust_m_s", most=more),))])["gust_m_s"].most
    assert tighter.value <= found.value
    assert next(s for s in sheets if s.name == found.sheet).rules[0].most == found.value


@given(st.floats(0, 30), st.floats(0, 10))
def test_more_gust_is_never_a_better_verdict(value, more):
    rank = {"go": 0, "care": 1, "no": 2}
    assert rank[gust(value + more).word] >= rank[gust(value).word]


def test_what_is_not_known_is_never_a_go():
    limits = strictest([HOUSE_SHEET, HERON])
    assert judge(limits, {}).word == "no"
    assert judge({}, {}).word == "no", "without any limit nothing was looked at"
    verdict = judge(limits, {"gust_m_s": [Reading(float("nan"), "forecast")]}, when="hour")
    row = next(r for r in verdict.rows if r.key == "gust_m_s")
    assert (row.verdict, row.value) == ("no", None)
    assert "Measure it, or enter it" in row.reason


def test_a_fresh_measurement_beats_a_forecast_both_ways_and_a_stale_one_does_not():
    calm, strong = Reading(4.0, "forecast", age_s=600.0), Reading(9.9, "measured", age_s=60.0)
    limits = strictest([HERON])
    pick = {"air_c": [Reading(10.0, "forecast", age_s=0.0)]}
    assert judge(limits, {"gust_m_s": [calm, strong], **pick}).word == "no"
    assert (
        judge(limits, {"gust_m_s": [Reading(12.0, "forecast", age_s=0.0), Reading(4.0, "measured", age_s=60.0)], **pick}).word
        == "go"
    )
    assert judge(limits, {"gust_m_s": [calm, Reading(9.9, "measured", age_s=7200.0)], **pick}).word == "go"
    old = judge(limits, {"gust_m_s": [Reading(4.0, "forecast", age_s=86_400.0)], **pick})
    assert "too old" in next(r for r in old.rows if r.key == "gust_m_s").reason
    steps = judge(limits, {"gust_m_s": [calm, strong], **pick}).rows[0].working.steps
    assert [s.note.split(":")[0] for s in sorted(steps[:2], key=lambda s: s.note)] == ["counts", "set aside"]


def test_two_sided_limits_and_their_bands():
    limits = strictest([Sheet("w", "work", "Spraying", WORK["spraying"])])

    def word(delta, wind):
        return judge(limits, {"delta_t_k": [Reading(delta, "measured")], "spray_wind_m_s": [Reading(wind, "measured")]}).word

    assert [word(d, 2.0) for d in (1.9, 2.0, 8.0, 8.1, 10.0, 10.1)] == ["no", "go", "go", "care", "care", "no"]
    assert [word(5.0, w) for w in (0.5, 1.0, 4.0, 4.5)] == ["no", "go", "go", "no"]


@pytest.mark.parametrize(
    ("rule", "kind"),
    [
        (Rule("gust_m_s"), MissingInput),
        (Rule("gust_m_s", least=3.0), OutOfRange),
        (Rule("gust_m_s", most=-1.0), OutOfRange),
        (Rule("air_c", least=30.0, most=5.0), OutOfRange),
        (Rule("luck", most=1.0), MissingInput),
        (Rule("charge_frac", least=float("nan")), OutOfRange),
    ],
)
def test_a_rule_that_makes_no_sense_is_refused_at_its_line(rule, kind):
    with pytest.raises(kind) as bad:
        check_rule(rule)
    assert bad.value.field == rule.key


def test_starter_sheets_are_sound_and_say_whom_to_ask():
    for rule in itertools.chain(HOUSE, *WORK.values()):
        check_rule(rule)
        assert rule.why
    assert sum("check your law and the manual" in r.why for r in HOUSE) >= 10


def test_policy_of_bands_is_checked_at_its_key():
    assert band_policy({"limits.gust_no_frac": 0.85}).gust_no_frac == 0.85
    with pytest.raises(OutOfRange) as bad:
        band_policy({"limits.gust_care_frac": 0.95})
    assert bad.value.field == "limits.gust_care_frac"


def hours(words):
    verdicts = []
    for word in words:
        value = {"go": 5.0, "care": 9.0, "no": 12.0}[word]
        verdicts.append(gust(value))
    return [3600.0 * k for k in range(len(words))], verdicts


def test_hours_become_spans_and_windows():
    at, verdicts = hours(["no", "go", "care", "no", "no", "go"])
    found = spans(at, verdicts, 6 * 3600.0)
    assert [(s.start_s / 3600, s.end_s / 3600, s.word) for s in found] == [
        (0, 1, "no"),
        (1, 2, "go"),
        (2, 3, "care"),
        (3, 5, "no"),
        (5, 6, "go"),
    ]
    assert open_windows(found, 0, 6 * 3600) == [(3600.0, 10_800.0), (18_000.0, 21_600.0)]
    assert next_window(found, 0.0) == (3600.0, 10_800.0)
    assert next_window(found, 0.0, 2.5 * 3600) is None
    assert next_window(found, 9000.0) == (9000.0, 10_800.0)
    assert found[0].reasons[0].startswith("Gust at flying height 12.0")
    assert common([(0, 10), (20, 30)], [(5, 25)]) == [(5, 10), (20, 25)]


@given(st.lists(st.sampled_from(["go", "care", "no"]), min_size=1, max_size=24))
def test_spans_cover_the_day_without_gap_and_windows_hold_no_closed_hour(words):
    at, verdicts = hours(words)
    end = 3600.0 * len(words)
    found = spans(at, verdicts, end)
    assert found[0].start_s == 0
    assert found[-1].end_s == end
    assert all(a.end_s == b.start_s and a.word != b.word for a, b in itertools.pairwise(found))
    open_s = sum(b - a for a, b in open_windows(found, 0, end))
    assert open_s == 3600.0 * sum(w != "no" for w in words)


AIRCRAFT = AircraftTraits("Heron", 4, ("Controller on", "Pack in until it clicks", "Link seen"), live_at_once=True)
FINE = {
    "controller_frac": 0.9,
    "tablet_frac": 0.8,
    "return_clear_m": 40.0,
    "pack_c": 22.0,
    "charge_frac": 0.99,
    "satellites_count": 16.0,
    "cells": [3.95, 3.96, 3.95, 3.96],
}
GO = judge(strictest([HERON]), {"gust_m_s": [Reading(3.0, "measured")], "air_c": [Reading(12.0, "measured")]})


def flown(work="mapping", aircraft=AIRCRAFT, weather=GO, **over):
    checks = checklist(work, aircraft)
    entries = {c.key: True for c in checks if c.entry == "tick"} | {k: v for k, v in FINE.items() if k in {c.key for c in checks}}
    more = {k: over.pop(k) for k in ("grounded", "cannot_fly", "computed", "cells_test") if k in over}
    entries |= over
    return judge_preflight(checks, entries, strictest([HOUSE_SHEET, HERON]), cells=aircraft.cells, weather=weather, **more)


def test_a_full_list_in_order_is_a_go():
    done = flown()
    assert (done.word, done.open_count, done.hard) == ("go", 0, ())
    parts = [line.check.part for line in done.lines]
    assert parts == sorted(parts, key=["day", "site", "take-off", "climb"].index)
    assert "Live the moment it is plugged in" in next(x for x in done.lines if x.check.key == "power_1").check.caution


def test_lists_differ_by_work_and_aircraft():
    keys = {w: [c.key for c in checklist(w, AIRCRAFT)] for w in ("mapping", "spraying", "search")}
    assert "drift" in keys["spraying"]
    assert "drift" not in keys["mapping"]
    assert "exposure" in keys["mapping"]
    takeoff = [c.key for c in checklist("search", AIRCRAFT) if c.part == "take-off"]
    assert takeoff[:2] == ["pack_c", "power_1"], "what takes longest comes first where a minute counts"
    climb = [c.key for c in checklist("search", AIRCRAFT) if c.part == "climb"]
    assert climb == ["cells", "hover"], "the load test is never skipped, and is flown"
    total = checklist("mapping", AircraftTraits("T", 4, shows="total"))
    assert next(c for c in total if c.key == "cells").entry == "number"
    blind = next(c for c in checklist("mapping", AircraftTraits("N", 4, shows="none")) if c.key == "cells")
    assert blind.entry == "tick"
    assert "no volts" in blind.caution


def test_an_open_check_is_no_go_and_can_be_overridden_but_a_hard_floor_cannot():
    left = flown(home=False)
    assert (left.word, left.open_count, left.may_override) == ("no", 1, True)
    few = flown(satellites_count=8.0)
    assert few.word == "no"
    assert few.may_override
    assert "Satellites 8" in few.reasons[0]
    weak = flown(cells=[3.95, 3.41, 3.95, 3.96])
    assert (weak.word, weak.climb) == ("go", "no"), "it was found in flight: come back"
    assert "Lowest cell under load 3.41 V" in weak.climb_reasons[0]
    assert "cell 2" in next(x for x in weak.lines if x.check.key == "cells").row.working.steps[0].formula
    assert not flown(grounded="swollen").may_override
    assert not flown(cannot_fly="Pack 04 would sag below its floor.").may_override
    assert not flown(pack_c=-6.0).may_override
    assert flown(cells=[3.95, 3.7, 3.95, 3.96]).climb == "care"


def test_what_only_flight_can_show_holds_up_no_launch_and_is_open_until_it_is_flown():
    ready = flown(cells=None, hover=False)
    assert (ready.word, ready.open_count) == ("go", 0)
    assert (ready.climb, ready.climb_open_count) == ("no", 2)
    assert flown().climb == "go"


def test_the_list_says_no_more_than_the_page_of_the_pack():
    said = ("care", "Cell 2 fell to 3.88 V: replace soon, about 10–20 cycles left. Order its successor.")
    soft = flown(cells=[3.95, 3.88, 3.95, 3.96], cells_test=said)
    assert (soft.climb, soft.climb_reasons) == ("care", (said[1],))
    assert flown(cells=[3.95] * 4, cells_test=("go", "")).climb == "go"
    assert flown(cells=[3.95] * 4, cells_test=("no", "bad")).climb == "no"


def test_without_weather_it_is_never_a_go():
    lost = flown(weather=None)
    assert lost.word == "no"
    assert lost.reasons[0].startswith("Nothing is known of the weather")
    closed = flown(weather=Verdict("no", gust(12.0).rows))
    assert closed.word == "no"
    assert "exceeded" in closed.reasons[0]


def test_what_the_plan_knows_is_judged_too():
    assert flown(computed={"height_m": 130.0}).word == "no"
    assert flown(computed={"height_m": 80.0, "payload_kg": 3.0}).word == "go", "no sheet limits the load here"


@pytest.mark.parametrize(
    ("key", "value"),
    [
        ("satellites_count", -3.0),
        ("satellites_count", True),
        ("cells", [3.9, 3.9]),
        ("cells", [3.9, 3.9, 3.9, 39.0]),
        ("home", 3.0),
    ],
)
def test_an_entry_that_cannot_be_is_refused_at_its_line(key, value):
    check = next(c for c in checklist("mapping", AIRCRAFT) if c.key == key)
    with pytest.raises((MissingInput, OutOfRange)) as bad:
        check_entry(check, value, 4)
    assert bad.value.field == key


def test_every_quantity_can_be_said():
    assert len(QUANTITIES) >= 20
    assert BandPolicy().gust_no_frac == 0.9


def with_remark(key, answer, words, **over):
    checks = checklist("mapping", AIRCRAFT)
    entries = {c.key: True for c in checks if c.entry == "tick"} | {k: v for k, v in FINE.items() if k in {c.key for c in checks}}
    del entries[key]
    return judge_preflight(
        checks,
        entries | over,
        strictest([HOUSE_SHEET, HERON]),
        cells=AIRCRAFT.cells,
        weather=GO,
        remarks={key: Remark(answer, words)},
    )


def test_a_defect_is_no_go_with_what_was_seen_and_what_follows_and_may_be_overridden():
    found = with_remark("props", "defect", "nick in prop 3")
    assert (found.word, found.open_count, found.may_override) == ("no", 0, True)
    assert any("nick in prop 3. The aircraft stays on the ground" in r for r in found.reasons)


def test_nobody_overrides_a_defect_of_the_pack():
    found = with_remark("contacts", "defect", "swollen on one side")
    assert not found.may_override
    assert "ground it and take another" in found.hard[0]


def test_what_does_not_apply_leaves_a_go_and_a_limit_that_is_not_checked_is_said():
    assert with_remark("compass", "not applicable", "dry grass").word == "go"
    missed = with_remark("satellites_count", "not applicable", "flown by hand indoors")
    assert missed.word == "care"
    assert any("Its limit is not checked" in r for r in missed.reasons)


def test_a_defect_in_the_first_climb_says_come_back():
    found = with_remark("hover", "defect", "drifts to the left")
    assert (found.word, found.climb) == ("go", "no")
    assert "Come back and land." in found.climb_reasons[0]


@pytest.mark.parametrize("words", ["", "  ", "x", "y" * 201, "two\nlines"])
def test_a_remark_says_something_that_can_be_read(words):
    with pytest.raises(MissingInput) as bad:
        with_remark("props", "defect", words)
    assert bad.value.field == "props"


def test_likely_numbers_can_all_be_entered():
    for check in checklist("mapping", AIRCRAFT):
        for number in check.likely:
            check_entry(check, number / quantity_of(check.limits).scale, AIRCRAFT.cells)
