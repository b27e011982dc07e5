"""The calculators' doors: over HTTP for people signed in, and on the command line without a database."""

import json
import re
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from quarry.compute.catalogue import CALCULATORS, compute
from quarry.compute.cli import main
from quarry.core.base.errors import CoreError
from tests.api.test_routes import assert_problem

ROOT = Path(__file__).parents[2]
INSTANCES = ROOT / "tests" / "reference" / "instances"
SQUARE = {"exterior": [[0, 0], [200, 0], [200, 200], [0, 200]]}
CAMERA = {"sensor_w_mm": 13.2, "sensor_h_mm": 8.8, "focal_mm": 8.8, "image_w_px": 5472, "image_h_px": 3648}
GOOD = {
    "mapping": {"camera": CAMERA, "height_m": 100},
    "spraying": {"rate_l_ha": 15, "swath_m": 5, "tank_l": 16, "speed_m_s": 5, "area_ha": 4},
    "search": {"sweep_width_m": 60, "area_m2": 1e6},
    "nozzles": {"rate_l_ha": 20, "speed_m_s": 5, "swath_m": 5},
    "catches": {"caught_ml": [400, 410, 470, 395], "caught_s": 30, "nozzle_size": "02", "pressure_bar": 3},
    "falling": {"droplet_um": 150, "height_m": 3, "wind_m_s": 3},
    "swath-test": {"catches": [{"at_m": x, "caught": max(0, 4 - abs(x))} for x in range(-4, 5)]},
    "way": {"distance_m": 800, "track_deg": 40, "airspeed_m_s": 10, "wind_speed_m_s": 4, "wind_from_deg": 220},
    "charge": {"energy_wh": 300, "from_frac": 0.3, "power_w": 250},
    "steady": {"slot_s": 1200, "rest_after_flight_s": 1200, "charge_s": 2400, "rest_after_charge_s": 0, "packs": 4, "ports": 2},
    "coverage": {"instance": {"polygon": SQUARE, "line_spacing_m": 20, "speed_mps": 8, "turn_s": 3}},
    "sorties": {
        "instance": {
            "route": [[0, 0], [500, 0], [500, 40], [0, 40]],
            "home": [0, -50],
            "airspeed_mps": 10,
            "usable_s": 150,
            "takeoff_landing_s": 40,
            "turn_s": 3,
        }
    },
    "load-test": {"cells_count": 3, "cell_volts": [3.97, 3.71, 3.96], "start_frac": 0.98, "pack_c": 22},
    "sustainable-current": {"capacity_ah": 5, "cell_ohm": [0.003, 0.0031], "pack_c": 18, "label_c_count": 45, "pack_ohm": 0.008},
    "resistance-from-load": {"volts": [24.0, 23.5, 23.1, 23.6], "amperes": [10, 30, 50, 28]},
    "charge-back": {"flights": [{"flown_s": 700, "put_back_ah": 2.1}, {"flown_s": 650, "put_back_ah": 2.0}], "rated_ah": 3.0},
    "alarm-levels": {
        "cells_count": 4,
        "readings": [
            {"at_s": 0, "rest_v": 16.7},
            {"at_s": 300, "rest_v": 15.6, "loaded_v": 14.9},
            {"at_s": 600, "loaded_v": 13.8},
        ],
        "return_s": 60,
    },
    "rest-voltage": {"pack_v": 22.8, "cells_count": 6},
    "compare-packs": {
        "a": {"name": "light", "price_count": 90, "flight_s": 900},
        "b": {"name": "long", "price_count": 160, "flight_s": 1300},
    },
    "transport": {"cells_count": 6, "nominal_cell_v": 3.7, "capacity_ah": 16},
    "air": {"elevation_m": 300, "qnh_hpa": 1009, "air_c": 24, "humidity_frac": 0.45, "wind_m_s": 4},
    "way-home": {
        "distance_m": 900,
        "bearing_deg": 55,
        "reading_m_s": 5,
        "from_deg": 235,
        "airspeed_m_s": 12,
        "power_w": 620,
        "energy_wh": 40,
    },
    "flight-minutes": {"mass_kg": 6.2, "rotors_count": 4, "rotor_m": 0.53, "energy_wh": 350, "claimed_hover_s": 1900},
    "depth-of-use": {"cycles_count": 220, "full_s": 1700, "price_count": 310},
    "cold-pack": {"cells_count": 6, "capacity_ah": 16, "pack_c": 12, "air_c": -4, "mean_w": 600, "peak_w": 950},
    "metar": {"metar": "METAR ZZZZ 121350Z 24015G28KT 9999 SCT030 BKN045 18/09 Q1016", "year": 2031, "month": 5},
    "rotation": json.loads((INSTANCES / "A01.json").read_text()),
}
BAD = [
    ("mapping", {"camera": CAMERA, "height_m": -5}, "work.height_m"),
    ("mapping", {"height_m": 50}, "camera"),
    ("mapping", {"camera": CAMERA, "height_m": 50, "colour": "red"}, "colour"),
    ("spraying", GOOD["spraying"] | {"area_ha": 1e9}, "area_ha"),
    ("search", GOOD["search"] | {"law": "hope"}, "law"),
    ("nozzles", GOOD["nozzles"] | {"flow_l_min": 2.0}, "flow_l_min"),
    ("nozzles", GOOD["nozzles"] | {"nozzle_size": "7"}, "nozzle_size"),
    ("catches", GOOD["catches"] | {"caught_s": 0}, "caught_s"),
    ("swath-test", {"catches": []}, "catches"),
    ("falling", {"droplet_um": 1}, "droplet_um"),
    ("falling", {"wind_m_s": 99}, "wind_m_s"),
    ("way", GOOD["way"] | {"wind_speed_m_s": 12, "wind_from_deg": 40}, "wind.speed_m_s"),
    ("way", GOOD["way"] | {"wind_from_deg": "north"}, "wind_from_deg"),
    ("charge", GOOD["charge"] | {"energy_wh": 0}, "energy_wh"),
    ("steady", GOOD["steady"] | {"packs": 0}, "packs"),
    ("coverage", {"instance": {"polygon": {"exterior": [[0, 0], [1, 1]]}, "line_spacing_m": 20, "speed_mps": 8}}, "area"),
    ("sorties", {"instance": {**GOOD["sorties"]["instance"], "usable_s": 60}}, ""),
    ("sorties", {"instance": {**GOOD["sorties"]["instance"], "wind_mps": [15, 0]}}, "wind.speed_m_s"),
    ("rotation", {"instance": {**GOOD["rotation"]["instance"], "sorties": []}}, "jobs"),
    ("rotation", {}, "instance"),
    ("load-test", GOOD["load-test"] | {"cell_volts": [3.9, 3.9]}, "cell_volts"),
    ("load-test", GOOD["load-test"] | {"chemistry": "coal"}, "chemistry"),
    ("sustainable-current", GOOD["sustainable-current"] | {"pack_c": 300}, "pack_c"),
    ("resistance-from-load", GOOD["resistance-from-load"] | {"amperes": [20, 20, 20, 20]}, "amperes"),
    ("charge-back", GOOD["charge-back"] | {"rated_ah": 0.5}, "flights.0.put_back_ah"),
    ("alarm-levels", GOOD["alarm-levels"] | {"readings": []}, "readings"),
    ("rest-voltage", GOOD["rest-voltage"] | {"cells_count": 3}, "volts"),
    ("compare-packs", {"a": GOOD["compare-packs"]["a"] | {"flight_s": 1}, "b": GOOD["compare-packs"]["b"]}, "flight_s"),
    ("air", {"air_c": 12.0}, "humidity_frac"),
    ("air", GOOD["air"] | {"air_c": -300}, "air_c"),
    ("way-home", GOOD["way-home"] | {"reading_m_s": 14}, "wind.speed_m_s"),
    ("way-home", GOOD["way-home"] | {"into_m_s": 6}, "with_m_s"),
    ("flight-minutes", GOOD["flight-minutes"] | {"mass_kg": -1}, "mass_kg"),
    ("cold-pack", GOOD["cold-pack"] | {"launch_c": 80}, "launch_c"),
    ("metar", GOOD["metar"] | {"metar": "windy"}, "metar"),
    ("transport", GOOD["transport"] | {"capacity_ah": -1}, "capacity_ah"),
]


def _paths(value, path=()):
    """Yield the way to each number of an input."""
    if isinstance(value, dict | list):
        for key, inner in value.items() if isinstance(value, dict) else enumerate(value):
            yield from _paths(inner, (*path, key))
    elif isinstance(value, int | float):
        yield path


def _with(value, path, new):
    if not path:
        return new
    copied = dict(value) if isinstance(value, dict) else list(value)
    copied[path[0]] = _with(value[path[0]], path[1:], new)
    return copied


SMALL = sorted(set(GOOD) - {"coverage", "sorties", "rotation"})


@given(st.data())
def test_whatever_is_typed_a_calculator_gives_numbers_or_says_which_figure_cannot_be(data):
    name = data.draw(st.sampled_from(SMALL))
    given_ = GOOD[name]
    for _ in range(data.draw(st.integers(1, 3))):
        path = data.draw(st.sampled_from(sorted(_paths(given_), key=str)))
        nasty = st.sampled_from([1e300, -1e300, 1e12, 1e9, 1e6, -1.0, 0.0, 1e-9, 1e-300]) | st.floats(-1e4, 1e4)
        given_ = _with(given_, path, data.draw(nasty))
    try:
        told = json.dumps(compute(name, given_))
    except CoreError:
        return  # said at a field, as the other tests show
    assert "Infinity" not in told
    assert "NaN" not in told


@pytest.mark.parametrize(
    ("name", "path", "value", "field"),
    [
        ("search", ("sweep_width_m",), 1e300, "sweep_width_m"),
        ("cold-pack", ("pack_c",), 1e300, "pack_c"),
        ("sustainable-current", ("pack_ohm",), 0.002, "pack_ohm"),
        ("resistance-from-load", ("volts",), [23.0, 23.6, 24.1, 23.5], "amperes"),
    ],
)
def test_what_cannot_be_is_refused_at_its_field(name, path, value, field):
    with pytest.raises(CoreError) as bad:
        compute(name, _with(GOOD[name], path, value))
    assert bad.value.field == field


def test_every_calculator_is_exercised_here():
    assert set(GOOD) == set(CALCULATORS)


@pytest.mark.parametrize("name", sorted(GOOD))
def test_both_doors_give_the_same_answer(web, name, tmp_path, capsys):
    over_http = web.post(f"/compute/{name}", GOOD[name])
    assert over_http.status_code == 200, over_http.content
    file = tmp_path / "in.json"
    file.write_text(json.dumps(GOOD[name]))
    extra = ["--time-limit", "0.2"] if name == "rotation" else []
    assert main(["compute", name, str(file), *extra]) == 0
    by_hand = json.loads(capsys.readouterr().out)
    web_answer = over_http.json()
    if name == "rotation":
        assert by_hand["makespan_s"] == web_answer["makespan_s"]
        return
    assert by_hand == web_answer


@pytest.mark.parametrize("name", sorted(set(GOOD) - {"coverage", "sorties"}))
def test_answers_carry_their_working(name):
    working = compute(name, GOOD[name])["working"]
    assert working["steps"]
    assert all(s["formula"] and s["source"] for s in working["steps"])


@pytest.mark.parametrize(("name", "data", "field"), BAD)
def test_bad_input_is_refused_at_its_field_at_both_doors(web, capsys, tmp_path, name, data, field):
    body = assert_problem(web.post(f"/compute/{name}", data), 422)
    assert body["field"].startswith(field)
    file = tmp_path / "in.json"
    file.write_text(json.dumps(data))
    assert main(["compute", name, str(file)]) == 1
    told = json.loads(capsys.readouterr().err)
    assert told["error"] == body["detail"]


def test_size_and_shape_are_limited(web):
    assert_problem(web.post("/compute/way", {"x": "y" * 2_100_000}), 413, "too_large")
    assert_problem(web.client.post("/api/compute/way", "[1, 2]", "application/json"), 422)
    assert_problem(web.client.post("/api/compute/way", "{oops", "application/json"), 422)
    assert_problem(web.post("/compute/astrology", {}), 404)
    with pytest.raises(CoreError, match="no calculator called astrology"):
        compute("astrology", {})


def test_the_list_and_the_schemas(capsys, web):
    assert {c["name"] for c in web.get("/compute").json()} == set(CALCULATORS)
    assert main(["compute", "--list"]) == 0
    listed = capsys.readouterr().out
    assert all(name in listed for name in CALCULATORS)
    assert main(["compute", "charge", "--schema"]) == 0
    assert json.loads(capsys.readouterr().out)["properties"]["energy_wh"]["exclusiveMinimum"] == 0
    assert main(["compute", "nothing"]) == 2
    assert "--list" in capsys.readouterr().err


@pytest.mark.parametrize(("text", "words"), [("[]", "JSON object"), ("{", "not JSON")])
def test_files_that_are_no_input(tmp_path, capsys, text, words):
    file = tmp_path / "x.json"
    file.write_text(text)
    assert main(["compute", "way", str(file)]) == 1
    assert words in capsys.readouterr().err
    assert main(["compute", "way", str(tmp_path / "missing")]) == 1
    assert "cannot be read" in capsys.readouterr().err


def test_the_installed_command_needs_no_database_and_no_framework():
    """As a person runs it: bench files as they are, with none of the server's settings."""
    code = (
        "import sys; from quarry.compute.cli import main; status = main(sys.argv[1:]);"
        "assert 'django' not in sys.modules, 'the command line loads the framework'; sys.exit(status)"
    )
    file = INSTANCES / "B01.json"
    done = subprocess.run(
        [sys.executable, "-c", code, "compute", "sorties", str(file), "--breaks", "waypoints"],
        cwd="/",
        env={"PATH": "/usr/bin:/bin", "PYTHONPATH": str(ROOT)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert set(told) == {"sorties", "total_s", "working"}
    assert set(told["sorties"][0]) == {"from_m", "to_m", "time_s"}


def test_every_calculator_of_the_register_is_on_the_screen():
    folder = Path(__file__).resolve().parents[2] / "web/src/features/bench"
    shown = {n for f in folder.glob("*calculators.ts") for n in re.findall(r"^    name: '([a-z-]+)'", f.read_text(), re.M)}
    assert shown == set(CALCULATORS)


@pytest.mark.parametrize(
    ("name", "data"),
    [
        (
            "coverage",
            {
                "instance": {
                    "polygon": {"exterior": [[0, 0], [420, 20], [460, 310], [40, 330]]},
                    "line_spacing_m": 18.0,
                    "speed_mps": 8.0,
                    "turn_s": 4.0,
                },
                "ends": "cover",
            },
        ),
        (
            "sorties",
            {
                "instance": {
                    "route": [[0, 0], [2000, 0], [2000, 40], [0, 40]],
                    "home": [-60, 40],
                    "airspeed_mps": 9.0,
                    "usable_s": 540.0,
                    "takeoff_landing_s": 75.0,
                    "turn_s": 4.0,
                }
            },
        ),
    ],
)
def test_the_working_of_ground_gives_its_number_again(name, data):
    found = compute(name, data)
    steps = {s["name"]: s for s in found["working"]["steps"]}
    if name == "coverage":
        time_s = steps["way_m"]["value"] / 8.0 + steps["turns"]["value"] * 4.0
        assert time_s == pytest.approx(found["time_s"], rel=1e-6)
        assert steps["time_s"]["value"] == pytest.approx(found["time_s"], rel=1e-6)
        assert found["bearing_deg"] == pytest.approx((90.0 - found["angle_deg"]) % 180.0)
    else:
        assert sum(s["time_s"] for s in found["sorties"]) == pytest.approx(steps["total_s"]["value"])
        assert len(found["sorties"]) == len(steps) - 1 > 1


def test_nozzles_that_cannot_give_it_say_what_would():
    found = compute("nozzles", {**GOOD["nozzles"], "nozzle_size": "01", "most_bar": 4.0})
    assert not found["fits"]
    assert "size 02 (yellow) at 2.6 bar, or 3.1 m/s at 4.0 bar" in found["words"]
    assert compute("nozzles", GOOD["nozzles"])["words"] == "Size 02 (yellow) gives it at 2.6 bar."


def test_a_swath_is_even_up_to_half_a_triangle():
    found = compute("swath-test", GOOD["swath-test"])
    assert found["back_and_forth_m"] == pytest.approx(found["racetrack_m"], abs=0.11)
    assert 4.0 <= found["racetrack_m"] <= 5.6
    worn = compute("catches", GOOD["catches"])
    assert worn["words"].startswith("Worn, change: nozzle 3")
