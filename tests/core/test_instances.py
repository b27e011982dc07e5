"""The calculators on instances with known optima, judged by the checkers that came with them."""

import json
import time
from pathlib import Path

import pytest
from shapely import MultiLineString, Polygon

from quarry.compute.catalogue import compute
from tests.reference.checkers import check_coverage, check_rotation, check_sorties

FOLDER = Path(__file__).parents[1] / "reference" / "instances"
LISTED = {p.stem: json.loads(p.read_text()) for p in sorted(FOLDER.glob("*.json"))}
ROTATIONS = [n for n in LISTED if n[0] == "A"]


def seconds(rule):
    """A rule's last landing; rules are listed as a number, a record, or null where they do not apply."""
    return rule.get("makespan_s") if isinstance(rule, dict) else rule


FULL = [n for n in ROTATIONS if LISTED[n]["instance"]["policy"] == "full"]


@pytest.mark.parametrize("name", ROTATIONS)
def test_rotation_is_valid_and_never_worse_than_earliest_ready(name):
    data = LISTED[name]
    found = compute("rotation", {"instance": data["instance"]})
    valid, makespan, _, errors = check_rotation.check(data["instance"], found)
    assert valid, errors
    assert makespan == found["makespan_s"] <= seconds(data["reference"]["rules"]["earliest_ready"])
    assert found["lower_bound_s"] <= data["reference"]["makespan_s"], "a bound above the best known would be false"
    assert found["makespan_s"] >= data["reference"]["lower_bound_s"]


def test_rotation_beats_the_best_listed_rule_on_average():
    """Full packs; the random search of two seconds is no simple rule and left out."""
    shares = []
    for name in FULL:
        rules = LISTED[name]["reference"]["rules"]
        plain = [seconds(v) for k, v in rules.items() if k != "random_list_2s"]
        best = min(v for v in plain if v is not None)
        shares.append(compute("rotation", {"instance": LISTED[name]["instance"]})["makespan_s"] / best)
    assert len(shares) >= 8
    assert sum(shares) / len(shares) < 1.0


@pytest.mark.parametrize("name", [n for n in LISTED if n[0] == "B"])
@pytest.mark.parametrize("breaks", ["waypoints", "any_point"])
def test_sorties_are_the_fewest_and_their_time_the_optimum(name, breaks):
    data = LISTED[name]
    found = compute("sorties", {"instance": data["instance"], "breaks": breaks})
    valid, count, total, errors = check_sorties.check(data["instance"], found, breaks)
    assert valid, errors
    best = data["reference"][breaks]
    assert count <= len(best["sortie_times_s"])
    assert total <= best["optimal_total_s"] * 1.005


@pytest.mark.parametrize("name", [n for n in LISTED if n[0] == "C"])
def test_coverage_is_within_two_percent_of_the_best_known_at_equal_coverage(name):
    data = LISTED[name]
    # The references leave what is narrower than a spacing: as much may be left here.
    found = compute("coverage", {"instance": data["instance"], "ends": "clip", "most_left_frac": 1.0})
    valid, seconds, uncovered, errors = check_coverage.check(data["instance"], found, data["reference"])
    assert valid, errors
    assert seconds <= data["reference"]["best_known_time_s"] * 1.02
    assert uncovered <= data["reference"]["best"]["uncovered_pct_flat_ends"] + 0.3


@pytest.mark.parametrize("name", [n for n in LISTED if n[0] == "C"])
def test_lines_that_end_at_the_boundary_leave_little(name):
    """What lies farther than half a spacing from each line, by the general library."""
    data = LISTED[name]
    found = compute("coverage", {"instance": data["instance"], "ends": "clip"})
    polygon = data["instance"]["polygon"]
    ground = Polygon(polygon["exterior"], polygon.get("holes", []))
    lines = MultiLineString([[line[:2], line[2:]] for line in found["lines"]])
    left = ground.difference(lines.buffer(data["instance"]["line_spacing_m"] / 2))
    assert left.area <= 0.003 * ground.area + 1e-6


@pytest.mark.parametrize("name", [n for n in LISTED if n[0] == "C"])
def test_cover_leaves_nothing_on_the_same_grounds(name):
    data = LISTED[name]
    found = compute("coverage", {"instance": data["instance"], "ends": "cover"})
    assert found["uncovered_frac"] < 1e-6
    assert found["on_line_m"] > 0


def test_a_longer_search_keeps_to_its_time_and_is_never_worse():
    data = LISTED["A16"]
    first = compute("rotation", {"instance": data["instance"]})
    began = time.monotonic()
    longer = compute("rotation", {"instance": data["instance"], "time_limit_s": 1.5})
    assert time.monotonic() - began < 6.0
    valid, makespan, _, errors = check_rotation.check(data["instance"], longer)
    assert valid, errors
    assert makespan <= first["makespan_s"]
