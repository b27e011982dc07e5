"""How deep to use a pack, what the maker still owes, and what an extra minute costs."""

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.base.errors import MissingInput, OutOfRange
from quarry.core.base.sources import ENTERED, MEASURED
from quarry.core.packs.depth import depth_table, flights_at_depth, full_depth_flights
from quarry.core.packs.forecast import PackOffer, compare
from quarry.core.packs.health import PackHistory, judge_health
from quarry.core.packs.policy import policy_of
from quarry.core.packs.warranty import WarrantyTerms, warranty_of

ROWS = json.loads((Path(__file__).parents[1] / "reference" / "values.json").read_text())["7b_arrhenius_dod"]


@pytest.mark.parametrize("row", [r for r in ROWS if "N_100" in r["inputs"]])
def test_cycles_against_depth_as_the_reference_has_them(row):
    """Topic 7b: N(D) = N_100 × D^(−k), its arithmetic."""
    i, want = row["inputs"], row["outputs"]
    flights = flights_at_depth(i["N_100"], i["DOD"], i["k"])
    assert flights == pytest.approx(want["cycles"], rel=0.002)
    assert flights * i["DOD"] == pytest.approx(want["full_equivalents"], rel=0.002)
    assert full_depth_flights(want["full_equivalents"], i["DOD"], i["k"]) == pytest.approx(i["N_100"], rel=0.002)


def test_less_deep_gives_shorter_flights_more_of_them_and_cheaper_minutes():
    rows = depth_table(240.0, 0.8, 1800.0, 400.0).rows
    assert [r.used_frac for r in rows] == [0.6, 0.7, 0.8]
    assert rows[2].cycles_count == pytest.approx(240.0)
    assert rows[0].flight_s == pytest.approx(0.6 * 1800)
    for shallow, deep in zip(rows, rows[1:], strict=False):
        assert shallow.flights_count > deep.flights_count
        assert shallow.life_s > deep.life_s
        assert shallow.per_minute < deep.per_minute
    assert rows[2].per_minute == pytest.approx(400.0 / (240 * 1800 / 60))


def test_where_depth_does_not_matter_all_give_the_same_minutes():
    rows = depth_table(200.0, 0.7, 1500.0, power_count=1.0).rows
    assert {round(r.life_s) for r in rows} == {200 * 1500}
    assert rows[0].per_minute is None


def test_it_says_whose_cycles_it_rests_on():
    assert "without a source" in depth_table(300.0, 0.8, 1800.0).rests_on
    assert depth_table(300.0, 0.8, 1800.0, source=MEASURED).rests_on == "its own trend"
    assert depth_table(300.0, 0.8, 1800.0, source=ENTERED).rests_on == "the cycles entered"
    with pytest.raises(OutOfRange):
        depth_table(300.0, 1.4, 1800.0)


@given(st.floats(1, 2000), st.floats(0.1, 1.0), st.floats(60, 7200), st.floats(1.0, 2.5))
def test_a_deeper_use_never_gives_more_over_a_life(cycles, at, full_s, power):
    lives = [r.life_s for r in depth_table(cycles, at, full_s, power_count=power).rows]
    assert lives == sorted(lives, reverse=True) or max(lives) - min(lives) < 1e-6 * max(lives)


class TestWarranty:
    TERMS = WarrantyTerms(365, 730)

    @pytest.mark.parametrize(
        ("today", "share", "words"),
        [
            (1000, 1.0, "365 days left"),
            (1365, 1.0, "0 days left"),
            (1366, 364 / 365, "pro rata"),
            (1730, 0.0, "0 days left"),
            (1731, 0.0, "over since 1 days"),
        ],
    )
    def test_each_day_has_its_term(self, today, share, words):
        found = warranty_of(self.TERMS, 1000, today)
        assert found.share_frac == pytest.approx(share)
        assert words in found.words
        assert (found.replace_until_day, found.prorata_until_day) == (1365, 1730)

    def test_without_terms_or_a_purchase_nothing_is_claimed(self):
        assert warranty_of(WarrantyTerms(), 1000, 1100) is None
        assert warranty_of(self.TERMS, None, 1100) is None
        assert warranty_of(WarrantyTerms(prorata_days=100), 1000, 1050).share_frac == 0.5

    def test_terms_that_contradict_themselves_are_refused(self):
        with pytest.raises(MissingInput) as bad:
            WarrantyTerms(400, 200)
        assert bad.value.field == "warranty_prorata_days"


def test_an_extra_minute_of_the_dearer_pack_has_its_price():
    """25 of money for 7 min against 55 for 9 min: the two minutes more cost 15 each. Common practice, no source."""
    found = compare(PackOffer("a", 25.0, 420.0), PackOffer("b", 55.0, 540.0))
    assert found.extra_minute == pytest.approx(15.0)
    assert compare(PackOffer("a", 25.0, 540.0), PackOffer("b", 55.0, 420.0)).extra_minute is None


class TestStoragePlace:
    """Best at 15 to 20 °C (common practice, no source); what was entered last is judged."""

    def rules(self, **place):
        return {r.name: r for r in judge_health(PackHistory(bought_day=1.0, **place), 10.0).rules}

    @pytest.mark.parametrize(
        ("air_c", "warm", "cold"),
        [(17.0, False, False), (20.0, True, False), (19.9, False, False), (24.0, True, False), (8.0, False, True)],
    )
    def test_too_warm_and_too_cold(self, air_c, warm, cold):
        found = self.rules(store_c=air_c)
        assert (found["storage, warm"].level == "watch") == warm
        assert (found["storage, cold"].level == "watch") == cold

    def test_too_damp(self):
        assert self.rules(store_frac=0.8)["storage, damp"].level == "watch"
        assert self.rules(store_frac=0.5)["storage, damp"].level == "in service"

    def test_the_company_may_set_its_own_and_not_contradict_itself(self):
        own = policy_of({"health.store_warm_c.watch": 24.0})
        assert judge_health(PackHistory(store_c=23.0), 10.0, own.health).rules[0].level == "in service"
        with pytest.raises(OutOfRange):
            policy_of({"health.store_cold_c.watch": 22.0})


def test_a_cell_that_fell_to_where_its_chemistry_lands_is_watched_until_it_is_tested():
    low = judge_health(PackHistory(flown_low_v=3.5, land_v=3.5), 10.0)
    assert low.level == "watch"
    assert "test it under load before it flies" in low.words
    assert judge_health(PackHistory(flown_low_v=3.6, land_v=3.5), 10.0).rules[0].level == "in service"
