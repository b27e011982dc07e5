"""The working of a number: steps, links, and that replaying a step gives its value."""

import ast
import math
import subprocess
import sys
from pathlib import Path

import pytest

import quarry.core.ground.mapping
import quarry.core.ground.search
import quarry.core.power.charging
import quarry.core.power.supply
import quarry.core.rotation.steady_state
import quarry.core.sorties.plan
import quarry.core.spraying.rate
from quarry.core.base.errors import OutOfRange, require_range
from quarry.core.base.sources import ALGEBRA, SOURCES, Source
from quarry.core.base.units import SUFFIXES, kmh_from_m_s, m_s_from_kmh, seconds_from_energy, unit_of, wh_from_power
from quarry.core.base.working import LEAVES, as_dict, explain, formula, given, note_step, working_of
from quarry.core.flight.energy import Airframe, PackFigures, ReservePolicy, endurance
from quarry.core.ground.mapping import Camera, MappingTask, mapping_figures

CORE = Path(quarry.core.ground.mapping.__file__).parents[1]
SAMPLE = {
    "_m_s": 9.0,
    "_frac": 0.4,
    "_count": 3,
    "_px": 4000,
    "_mm": 12.0,
    "_deg": 35.0,
    "_wh": 200.0,
    "_w": 150.0,
    "_s": 900.0,
    "_m": 60.0,
    "_m2": 40_000.0,
    "_ha": 4.0,
    "_l": 12.0,
    "_l_ha": 15.0,
    "_l_min": 2.0,
    "_pa": 95_000.0,
    "_hpa": 1010.0,
    "_kg_m3": 1.15,
    "_n": 60.0,
    "_kg": 6.0,
    "rough_m": 0.1,
    "lift_m": 1.0,
    "start_c": 50.0,
    "limit_c": 40.0,
    "air_c": 20.0,
    "dew_point_c": 12.0,
}


def sample(name: str) -> float:
    fits = [k for k in SAMPLE if name.endswith(k)]
    return SAMPLE[max(fits, key=len)] if fits else 1.5


@pytest.mark.parametrize("name", sorted(LEAVES))
def test_replaying_the_inputs_of_a_step_gives_its_value(name):
    leaf = LEAVES[name]
    if name.startswith("tests.") or "<locals>" in name:
        pytest.skip("a leaf made by a test")
    code = leaf.__wrapped__.__code__
    args = {a: sample(a) for a in code.co_varnames[: code.co_argcount]}
    for whole in ("packs", "ports"):
        if whole in args:
            args[whole] = 3
    if "headwind_m_s" in args:
        args |= {"headwind_m_s": 2.0, "crosswind_m_s": 3.0}
    first = explain(leaf, **args)
    step = first.steps[-1]
    again = leaf(**{q.name: q.value for q in step.inputs})
    assert again == first.value == step.value
    assert step.unit == unit_of(step.name)
    assert step.source.key in SOURCES
    assert math.isfinite(float(step.value))


def test_every_leaf_has_a_formula_in_words_and_a_sentence():
    for name, leaf in LEAVES.items():
        step = explain(leaf, **_arguments(leaf)).steps[-1]
        assert len(step.formula) > 8, name
        assert leaf.__doc__ or leaf.__name__.startswith("_"), name


def _arguments(leaf):
    code = leaf.__wrapped__.__code__
    args = {a: sample(a) for a in code.co_varnames[: code.co_argcount]}
    if "headwind_m_s" in args:
        args |= {"headwind_m_s": 2.0, "crosswind_m_s": 3.0}
    return args


def test_a_step_links_to_the_one_earlier_step_that_fits_and_to_no_guess():
    @formula("a × 2", source=ALGEBRA, result="twice_m")
    def twice(a_m: float) -> float:
        return a_m * 2

    @formula("b + 1", source=ALGEBRA, result="more_m")
    def more(b_m: float) -> float:
        return b_m + 1

    @formula("c", source=ALGEBRA, result="same_m")
    def same(c_m: float) -> float:
        return c_m

    try:
        linked = explain(lambda: more(twice(3.0)))
        assert linked.steps[1].uses == ("twice_m",)
        unsure = explain(lambda: (twice(3.0), same(6.0), more(6.0)))
        assert unsure.steps[2].uses == (), "two earlier steps hold 6 m: neither is claimed"
    finally:
        for key in [k for k in LEAVES if "<locals>" in k]:
            del LEAVES[key]


def test_nothing_is_recorded_outside_explain_and_nested_calls_keep_apart():
    note_step(given("x_m", 1.0, source=ALGEBRA))
    inner = {}

    def outer() -> float:
        note_step(given("a_m", 1.0, source=ALGEBRA))
        inner["told"] = explain(lambda: note_step(given("b_m", 2.0, source=ALGEBRA)))
        return 1.0

    told = explain(outer)
    assert [s.name for s in told.steps] == ["a_m"]
    assert [s.name for s in inner["told"].steps] == ["b_m"]


def test_the_trace_is_closed_when_the_function_raises():
    with pytest.raises(ZeroDivisionError):
        explain(lambda: 1 / 0)
    assert explain(lambda: 1).steps == ()


def test_the_working_of_an_endurance_names_pack_power_and_method():
    craft = Airframe("A", 400.0, 10.0, 60.0, 3.0)
    value, working = working_of("flight time", endurance, craft, PackFigures("07", 200.0, 0.9), ReservePolicy(0.3))
    assert working.value == pytest.approx(value.usable_s)
    words = " ".join(s.formula for s in working.steps)
    assert "pack 07" in words
    assert "share × rated" in words
    assumed = next(s for s in working.steps if s.name == "power_w")
    assert assumed.kind == "assumption"
    assert "own flights" in assumed.note
    told = as_dict(working)
    assert told["unit"] == "s"
    assert all(step["source"] for step in told["steps"])


def test_units_come_from_names():
    assert [unit_of(n) for n in ("v_m_s", "h_m", "a_ha", "rate_l_ha", "f_l_min", "p_w", "e_wh", "t_s", "x")] == [
        "m/s",
        "m",
        "ha",
        "L/ha",
        "L/min",
        "W",
        "Wh",
        "s",
        "",
    ]
    assert m_s_from_kmh(kmh_from_m_s(7.5)) == pytest.approx(7.5)
    assert seconds_from_energy(wh_from_power(300.0, 1200.0), 300.0) == pytest.approx(1200.0)


def test_a_range_error_names_field_value_and_range():
    with pytest.raises(OutOfRange) as bad:
        require_range(float("nan"), 0.0, 5.0, "wind.speed_m_s", "Wind speed", "m/s")
    assert bad.value.field == "wind.speed_m_s"
    assert "from 0 to 5 m/s" in bad.value.message


FLOATS_WITHOUT_UNIT = {
    "coverage",
    "slowness",
    "most_rate_c",
    "value",
    "low",
    "high",
    "speed_km_h",
    # Images or litres, as the field beside it says; how the unit of a log becomes that of the core.
    "work",
    "factor",
    "offset",
    # A figure of two groups of flights, in whatever unit it has.
    "of",
    "against",
    "difference",
    # Cycles, and trends and thresholds of figures that have each a unit of their own.
    "cycles",
    "cycles_before",
    "cycles_apart",
    "resistance_ratio",
    "scale",
    "day",
    "slope",
    "slope_low",
    "slope_high",
    "now",
    "watch",
    "replace",
    # Pure numbers: exponents, factors and ratios of the air, the rotor and the circuit.
    "alpha",
    "peak_factor",
    "gust_factor",
    "solidity",
    "drag_ratio",
    "profile_drag",
    "correction",
    "weak_times",
    # Charge of a pack, as the events of a day call it.
    "frac",
    "measured_ratio",
    "power_factor",
    "limit_rate",
    "swap_ratio",
    "flight_ratio",
    "limit",
    # In the unit that stands beside them.
    "claimed",
    "measured",
    # In the unit of whatever is limited.
    "care",
    "margin",
    "bound",
    "fixed",
    "climb_slope",
    "descent_slope",
}


def test_every_float_of_the_core_carries_its_unit_in_its_name():
    """A number without a unit is a mistake waiting; shares end in ``_frac``, counts are whole."""
    suffixes = tuple(f"_{s}" for s in SUFFIXES)
    bare = []
    for path in sorted(CORE.rglob("*.py")):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        for node in [
            n for top in tree.body for n in (top, *(top.body if isinstance(top, ast.ClassDef) and top.name[0] != "_" else ()))
        ]:
            fields = []
            if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                fields = [(a.arg, a.annotation) for a in [*node.args.args, *node.args.kwonlyargs]]
            elif isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                fields = [(n.target.id, n.annotation) for n in node.body if isinstance(n, ast.AnnAssign)]
            for name, note in fields:
                plain = isinstance(note, ast.Name) and note.id == "float"
                if plain and not name.endswith(suffixes) and name not in FLOATS_WITHOUT_UNIT:
                    bare.append(f"{path.relative_to(CORE)}: {name}")
    assert bare == []


def test_every_source_is_used_and_memory_is_said():
    text = "\n".join(p.read_text(encoding="utf-8") for p in CORE.parent.rglob("*.py") if p.name != "sources.py")
    names = [k for k, v in vars(quarry.core.base.sources).items() if isinstance(v, Source)]
    unused = [n for n in names if n not in text]
    assert not unused
    assert any("quoted from memory" in s.words for s in SOURCES.values())


def test_mapping_figures_tell_every_step():
    camera = Camera("c", 13.2, 8.8, 8.8, 5472, 3648)
    told = explain(mapping_figures, MappingTask(camera, 100.0, 0.7, 0.8, 10.0))
    assert [s.name for s in told.steps].count("footprint_m") == 2
    assert told.value.interval_s == pytest.approx(told.value.trigger_m / 10.0)


def test_the_page_of_sources_is_true():
    """After a change: .venv/bin/python tools/list_sources.py."""
    page = CORE.parents[1] / "docs" / "sources.md"
    done = subprocess.run(
        [
            sys.executable,
            "-c",
            "import sys; sys.path.insert(0, 'tools'); import list_sources; print(list_sources.text(), end='')",
        ],
        cwd=CORE.parents[1],
        capture_output=True,
        text=True,
        check=True,
    )
    assert page.read_text(encoding="utf-8") == done.stdout
