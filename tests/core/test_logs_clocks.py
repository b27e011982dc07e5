"""Clocks of logs, heads of logs, and columns told by their values."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import BadReading
from quarry.core.logs.candidates import Column
from quarry.core.logs.clocks import moments
from quarry.core.logs.reading import look_at, read_log

BEGAN = datetime(2031, 5, 6, 9, 12, tzinfo=UTC)
ROWS = 40


def table(times, head="time"):
    lines = [f"{head},battery %,height m"] + [f"{t},{100 - k},{k % 7}" for k, t in enumerate(times)]
    return "\n".join(lines).encode()


def written(form):
    return [form(BEGAN + timedelta(seconds=k)) for k in range(ROWS)]


FORMS = {
    "iso with Z": (lambda t: f"{t:%Y-%m-%dT%H:%M:%SZ}", True),
    "iso, an hour ahead": (lambda t: f"{t + timedelta(hours=1):%Y-%m-%dT%H:%M:%S}+01:00", True),
    "iso, behind by half an hour more": (lambda t: f"{t - timedelta(hours=3.5):%Y-%m-%d %H:%M:%S}-0330", True),
    "day before month": (lambda t: f"{t:%d.%m.%Y %H:%M:%S}", False),
    "with parts of a second": (lambda t: f"{t:%Y-%m-%d %H:%M:%S}.250", False),
    "slashes": (lambda t: f"{t:%Y/%m/%d %H:%M:%S}", False),
    "seconds since 1970": (lambda t: f"{t.timestamp():.0f}", True),
    "milliseconds since 1970": (lambda t: f"{t.timestamp() * 1000:.0f}", True),
}


@pytest.mark.parametrize("name", FORMS)
def test_a_moment_comes_out_whatever_its_form(name):
    form, zoned = FORMS[name]
    log = read_log(table(written(form))).log
    assert log.began_s == pytest.approx(BEGAN.timestamp(), abs=0.3)
    assert log.zoned == zoned
    assert log.time_s[-1] == pytest.approx(ROWS - 1)


def test_a_header_that_says_utc_makes_its_clock_that_of_the_world():
    form = FORMS["day before month"][0]
    assert read_log(table(written(form), "time_utc")).log.zoned


def test_a_date_that_ends_like_a_zone_is_no_zone():
    log = read_log(table([f"2031-05-06 {9 + k // 60:02d}:{k % 60:02d}" for k in range(ROWS)])).log
    assert not log.zoned
    assert log.began_s == pytest.approx(datetime(2031, 5, 6, 9, tzinfo=UTC).timestamp()) or math.isnan(log.began_s)


def test_a_log_that_only_counts_has_no_moment():
    log = read_log(table([f"{0.5 * k:.1f}" for k in range(ROWS)])).log
    assert math.isnan(log.began_s)
    assert log.time_s[1] == pytest.approx(0.5)


@given(st.integers(-14 * 4, 14 * 4), st.integers(0, 86_000))
def test_any_zone_of_the_world_leads_to_the_same_moment(quarters, after):
    ahead = timedelta(minutes=15 * quarters)
    sign, minutes = "+" if quarters >= 0 else "-", abs(15 * quarters)
    zone = f"{sign}{minutes // 60:02d}:{minutes % 60:02d}"
    moment = BEGAN + timedelta(seconds=after)
    times = [f"{moment + timedelta(seconds=k) + ahead:%Y-%m-%dT%H:%M:%S}{zone}" for k in range(12)]
    log = read_log(table(times)).log
    assert log.zoned
    assert log.began_s == pytest.approx(moment.timestamp())


class TestHeads:
    def test_the_head_shows_rows_of_all_of_it_and_what_is_lacking(self):
        data = b"a,b,c\n" + b"\n".join(b"%d,x%d,%f" % (k * k % 97, k, math.sin(k)) for k in range(300))
        look = look_at(data)
        assert look.lacks.startswith("No column holds a time")
        assert len(look.rows) == 14
        assert look.rows[0] != look.rows[-1]
        assert look.shape.names == ("a", "b", "c")

    def test_what_was_told_goes_before_what_is_guessed(self):
        data = table([f"{0.5 * k:.1f}" for k in range(ROWS)], "weird")
        look = look_at(data, {"weird": Column(0, "weird", "time_s", "min")})
        assert (look.columns[0].quantity, look.columns[0].unit, look.columns[0].certain) == ("time_s", "min", True)
        assert look.asks == ()

    @pytest.mark.parametrize("data", [b"", b"\x00\x01" * 100, b"only words here\nand here\n"])
    def test_what_is_no_table_is_refused(self, data):
        with pytest.raises(BadReading):
            look_at(data)

    def test_a_huge_log_is_looked_at_by_its_head_alone(self):
        data = table([f"{k}" for k in range(60_000)])
        assert len(look_at(data).rows) == 14


class TestByValues:
    def test_a_clock_and_a_percent_are_guessed_and_asked(self):
        rows = "\n".join(f"{12.5 + 0.2 * k:.1f},{100 - k // 3},{(-1) ** k * 3}" for k in range(200))
        look = look_at(f"q,w,e\n{rows}".encode())
        assert [(c.quantity, c.certain) for c in look.columns] == [("time_s", False), ("left_frac", False), ("", True)]
        assert "as a clock does" in look.columns[0].why

    def test_what_falls_slowly_in_parts_or_rises_is_no_percent(self):
        rng = np.random.default_rng(1)
        for values in (100 - np.arange(200) / 3.7, np.arange(200) % 100, rng.integers(0, 100, 200), np.full(200, 50)):
            rows = "\n".join(f"{k},{v}" for k, v in enumerate(values))
            assert look_at(f"time,w\n{rows}".encode()).columns[1].quantity != "left_frac"

    def test_one_that_has_the_name_needs_no_guess(self):
        rows = "\n".join(f"{k},{100 - k // 3},{k * 2}" for k in range(200))
        look = look_at(f"time s,battery %,other\n{rows}".encode())
        assert [c.quantity for c in look.columns] == ["time_s", "left_frac", ""]
        assert look.asks == ()


class TestMoments:
    FORMS = {
        "compact": "%Y%m%dT%H%M%SZ",
        "halves of the day": "%m/%d/%Y %I:%M:%S %p",
        "day first": "%d.%m.%Y %H:%M:%S",
        "year first": "%Y/%m/%d %H:%M:%S",
        "two digits of the year": "%d.%m.%y %H:%M:%S",
    }

    @given(st.sampled_from(sorted(FORMS)), st.integers(1_104_537_600, 4_102_358_400))
    @settings(max_examples=120, deadline=None)
    def test_any_moment_of_a_century_comes_out_of_any_form(self, form, second):
        """Against the calendar of the standard library; a day above twelve says which comes first."""
        moment = datetime.fromtimestamp(second, UTC)
        moment = moment.replace(day=min(28, max(13, moment.day)))
        texts = [(moment + timedelta(seconds=k)).strftime(self.FORMS[form]) for k in range(5)]
        found = moments(pl.Series(texts))
        assert found.dated
        assert found.seconds == pytest.approx([moment.timestamp() + k for k in range(5)])

    def test_a_night_tells_which_comes_first(self):
        night = ["12/04/2025 23:59:59", "13/04/2025 00:00:00"]
        assert (moments(pl.Series(night)).order, moments(pl.Series(night)).sure) == ("day first", True)
        other = ["04/11/2025 23:59:59", "04/12/2025 00:00:00"]
        assert (moments(pl.Series(other)).order, moments(pl.Series(other)).sure) == ("month first", True)
        unsure = moments(pl.Series(["04/05/2025 10:00:00", "04/05/2025 10:00:01"]))
        assert not unsure.sure
        said = moments(pl.Series(["04/05/2025 10:00:00"]), "month first")
        assert said.seconds[0] == datetime(2025, 4, 5, 10, tzinfo=UTC).timestamp()

    def test_a_date_that_may_be_read_two_ways_is_asked(self):
        look = look_at(table([f"04/05/2031 10:00:{k:02d}" for k in range(ROWS)]))
        assert look.asks == ("time",)
        assert "whether the day or the month comes first" in look.columns[0].why

    def test_a_zone_above_the_table_makes_the_clock_that_of_the_world(self):
        data = b"Ortszeit;UTC+01:00\n" + table([f"06.05.2031 10:12:{k:02d}" for k in range(ROWS)]).replace(b",", b";")
        log = read_log(data).log
        assert log.zoned
        assert log.began_s == BEGAN.timestamp()
