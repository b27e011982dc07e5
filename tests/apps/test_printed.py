"""Names on paper: whole on a label, and nothing beside them turned around."""

import math

import pytest

from quarry.apps.care.formats.labels import labels_html
from quarry.apps.care.views import LabelFigures
from quarry.apps.printed import isolated

# Advance of the widest letter of the label's type, DejaVu Sans Bold: 2258 of 2048 units (its own table of widths).
WIDEST_EM, PT_PER_MM = 2258 / 2048, 72 / 25.4


def label(name, mates=""):
    made = LabelFigures(
        id="0198f000-0000-7000-8000-000000000000", name=name, mates=mates, model="Heath 16", cells=6, capacity_ah=16.0,
        rated_wh=355.2, hard_s=900.0, gentle_s=1500.0, shown_frac=0.3, flights=3, alarms=None, storage_frac=0.55, grounded=False,
    )  # fmt: skip
    return labels_html([made], "http://127.0.0.1:8000", "1 June 2026", "sheet")


@pytest.mark.parametrize("length", range(1, 25))
def test_a_name_of_the_widest_letters_stands_whole_on_its_label(length):
    text = label("W" * length)
    size_pt = float(text.split("font-size:")[1].split("pt")[0])
    wide_pt, high_mm = (62 - 2 * 2.2 - 2 * 0.35 - 21) * PT_PER_MM, 19.0
    lines = math.ceil(length / math.floor(wide_pt / (size_pt * WIDEST_EM)))
    assert "W" * length in text
    # Two lines of model and set and one of cells, 6.6 pt at 1.3 lines, stand below it.
    assert lines * size_pt / PT_PER_MM + 3 * 6.6 * 1.3 / PT_PER_MM <= high_mm


@pytest.mark.parametrize("name", ["סוללה 12", "بطارية ٣", "الحقل-7"])
def test_a_name_written_from_right_to_left_turns_nothing_beside_it(name):
    assert isolated(name) == f"\u2068{name}\u2069"
    assert f"set \u2068{name}\u2069" in label("07", name)


@pytest.mark.parametrize("name", ["07", "Pack-β", "Žižkov", "№ 5", ""])
def test_other_names_stay_as_they_are(name):
    assert isolated(name) == name
