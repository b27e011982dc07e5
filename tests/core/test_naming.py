"""Names of real fleets where there is little room: told apart, short, and the same every time."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.core.base.naming import short_names

NAMES = st.lists(st.text(min_size=1, max_size=24), min_size=1, max_size=40, unique=True)


@given(NAMES, st.integers(4, 8))
def test_all_differ_none_is_too_long_and_a_short_one_stays(names, most):
    short = short_names(names, most)
    assert list(short) == names
    assert len(set(short.values())) == len(names)
    assert all(0 < len(s) <= most for s in short.values())
    assert all(short[n] == n for n in names if len(n) <= most)
    assert short_names(names, most) == short


@pytest.mark.parametrize(
    ("names", "short"),
    [
        (["Packhouse-North-000123", "Packhouse-North-000124"], ["000123", "000124"]),
        (["Sprayer pack 22000 A", "Sprayer pack 22000 B"], ["A", "B"]),
        (["KestrelSparePackNumberOne", "07"], ["K", "07"]),
        (["Long Meadow Pack 12"], ["LMP12"]),
        (["חבילת סוללות גדולה 11", "חבילת סוללות גדולה 12"], ["11", "12"]),
        (["9" * 40, "9" * 39 + "8"], ["…99999", "…99998"]),
    ],
)
def test_names_as_fleets_have_them(names, short):
    assert list(short_names(names).values()) == short
