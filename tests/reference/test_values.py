"""The core against the project's own copy of the published check values."""

import json

import pytest

from tests.reference.runner import VALUES, report, run
from tests.reference.topics import TOPICS

NEEDED = {
    *("1a", "1b", "1c", "1d", "1e", "1f", "1g", "1h", "2", "3a", "3b", "3c", "3d", "3e", "6b", "6c", "9b"),
    "5a",
    "5b",
    "5b2",
    "5b3",
    "6a",
    "14",
    "17a",
    "17b",
    "4a",
    "4b",
    "8",
    "9a",
    "10a",
    "10b",
    "10c",
    "10d",
    "11",
    "12a",
    "13a",
    "13b",
    "13c",
    "13d",
    "12b",
    "16",
    "16b",
}


@pytest.fixture(scope="module")
def outcome():
    return run()


@pytest.mark.parametrize("name", sorted(TOPICS))
def test_core_meets_published_values(outcome, name):
    told = next(t for t in outcome[0] if t.name == name)
    assert told.rows > 0
    assert told.compared > 0
    assert not told.failures


def test_all_topics_of_this_stage_are_mapped_and_the_rest_is_listed(outcome):
    told, unmapped = outcome
    assert {t.name.split("_")[0] for t in told} == NEEDED
    assert "7a_ageing" in unmapped
    assert "7a_ageing" in report(told, unmapped)


def test_a_wrong_value_is_reported(tmp_path):
    values = json.loads(VALUES.read_text())
    rows = values["9a_spraying"]
    rows[0]["outputs"]["rate_L_ha"] *= 1.01
    path = tmp_path / "values.json"
    path.write_text(json.dumps({"9a_spraying": rows}))
    told, _ = run(path)
    assert len(told[0].failures) == 1
    assert "rate_L_ha" in told[0].failures[0]
    assert told[0].worst == pytest.approx(0.01 / 1.01 / 0.001, rel=0.02)


def test_a_bearing_just_west_of_north_is_near_one_just_east(tmp_path):
    row = json.loads(VALUES.read_text())["4a_wind_triangle"][1]
    row["outputs"]["heading_deg"] = 359.99
    path = tmp_path / "values.json"
    path.write_text(json.dumps({"4a_wind_triangle": [row]}))
    assert not run(path)[0][0].failures
