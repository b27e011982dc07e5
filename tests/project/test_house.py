"""What was put in order stays in order: counts of the code that may fall and not rise."""

import ast
import importlib
import importlib.util
import inspect
import re
import tomllib
from collections import defaultdict
from pathlib import Path

import pytest

from quarry.core.spraying.nozzles import CLASS_ORDER, SIZES

ROOT = Path(__file__).parents[2]
PYTHON = [p for p in (ROOT / "quarry").rglob("*.py") if "migrations" not in p.parts]
APPS = [p for p in PYTHON if "apps" in p.parts]
SCREENS = [p for kind in ("*.ts", "*.svelte") for p in (ROOT / "web" / "src").rglob(kind) if ".test." not in p.name]


def found(files, pattern, but=()):
    """Return file and line of what a pattern finds, but in files of these names."""
    return [
        f"{p.relative_to(ROOT)}:{n}"
        for p in files
        if p.name not in but
        for n, line in enumerate(p.read_text(encoding="utf-8").splitlines(), 1)
        if re.search(pattern, line)
    ]


def line_of(place):
    """Return the line that `found` named."""
    path, n = place.rsplit(":", 1)
    return (ROOT / path).read_text(encoding="utf-8").splitlines()[int(n) - 1]


def test_the_apps_hand_typed_shapes_to_one_another():
    """JSON stands at the border of models and formats alone; an alias of it counts as well."""
    assert len(found(APPS, r"dict\[str, Any\]|\bPlain\b")) < 20
    assert sum(len(re.findall(r'(?<=[\w)\]])\["[A-Za-z_]+"\]', p.read_text(encoding="utf-8"))) for p in APPS) < 40


RETIRED = {"told", "school", "schools", "gives_today", "Give", "Story", "story", "Standing", "KeptPlan", "intake", "Intake"}
RETIRED |= {"hand_out", "standins", "desk", "Desk"}


def test_names_that_only_their_author_understood_stay_away():
    """The words of the field and of the profession stand in their place."""
    for path in PYTHON:
        names = set()
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            names |= {getattr(node, key) for key in ("id", "arg", "attr", "name") if isinstance(getattr(node, key, None), str)}
        assert not names & RETIRED, (path, names & RETIRED)


def test_no_two_shapes_of_the_api_share_a_name():
    """The document keeps one of each name: the other would be served under a shape that is not its own."""
    homes = defaultdict(set)
    for path in PYTHON:
        if "schemas" in path.parts or "views" in path.parts or path.name == "views.py":
            module = importlib.import_module(".".join(path.relative_to(ROOT).with_suffix("").parts))
            for name, made in inspect.getmembers(module, inspect.isclass):
                if made.__module__.startswith("quarry."):
                    homes[name].add(made.__module__)
    assert {name: where for name, where in homes.items() if len(where) > 1} == {}


def test_a_figure_of_a_pack_model_is_described_once():
    """Its column, its description and its use: no form, table, check or input names it again."""
    files = {p for p in (*PYTHON, *SCREENS) if re.search(r"\bdrains_after_days\b", p.read_text(encoding="utf-8"))}
    places = {str(p.relative_to(ROOT)) for p in files} - {"web/src/shared/api/schema.d.ts", "quarry/simulators/scene.py"}
    assert {p for p in places if "/core/" not in p} <= {
        "quarry/apps/fleet/models.py",
        "quarry/apps/fleet/figures.py",
        "quarry/apps/care/mappers.py",
    }


def test_a_service_is_a_file_of_its_name():
    """One verb, one file, keyword-only; who does it comes first, unless nobody does: the program itself, or who is to be signed in."""
    nobody = {
        "sign_in",
        "set_forgotten_password",
        "ask_weather_service",
        "go_on_playing",
        "halt_rehearsal",
        "look_back",
        "refresh_flown",
        "remember_world",
        "take_better",
        "tell_screens",
    }
    services = [p for p in APPS if p.parent.name == "services" and not p.name.startswith("_")]
    assert len(services) > 50
    for path in services:
        public = [
            n for n in ast.parse(path.read_text(encoding="utf-8")).body if isinstance(n, ast.FunctionDef) and n.name[0] != "_"
        ]
        assert [n.name for n in public] == [path.stem], path
        args = public[0].args
        assert not args.args, path
        assert path.stem in nobody or [a.arg for a in args.kwonlyargs[:1]] == ["actor"], path
    assert [p for p in APPS if p.name == "services.py"] == []


def test_sizes_on_screens_come_from_the_scale():
    """Type, heights of what is tapped, breakpoints and widths stand in tokens.css; single values are for grids and large print."""
    single = [at for at in found(SCREENS, r"(?<![\w-])[a-z][a-z-]*-\[[^\]\s]+\]") if "grid-cols-[" not in line_of(at)]
    assert len(single) < 40, single


def test_drawings_stand_on_one_frame():
    """Scales and lines are made in ``shared/chart``; beside it stand only the section of a day, its week, and what has no height."""
    own = {"Section.svelte", "Week.svelte", "Ratio.svelte", "Directions.svelte", "frame.ts"}
    assert found(SCREENS, r"from 'd3-(scale|shape)'", but=own) == []


def test_a_bridge_is_a_program_that_tells_of_a_day_and_no_package():
    assert not [p for p in (ROOT / "quarry").rglob("bridge*") if p.suffix in ("", ".py")]


def test_the_reserve_and_the_swap_stand_once():
    assert found(PYTHON, r"(landing|reserve)_frac\b.*[=:(] *0\.30?\b", but=("defaults.py",)) == []
    assert found(PYTHON, r"swap_s\b.*(=|default=) *240", but=("defaults.py",)) == []
    assert found(SCREENS, r"landing_frac.*\b0\.3\b|swap_s: *240") == []


def test_every_call_of_a_screen_has_the_type_of_its_path():
    assert found(SCREENS, r"\bask<|client\.(GET|POST|PUT|PATCH|DELETE)\(") == []
    assert found(SCREENS, r"data \?\? \[\]") == [], "a refusal is no empty list"


def test_the_whole_product_is_checked_for_types():
    settings = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["mypy"]
    assert settings["strict"] is True
    assert settings["plugins"] == ["mypy_django_plugin.main"]
    assert re.search(r"^\t@mypy quarry$", (ROOT / "Makefile").read_text(), re.M)
    assert found(PYTHON, r"type: ignore$|# type: ignore *$") == []


def test_no_paragraph_of_the_architecture_is_longer_than_five_lines():
    for part in (ROOT / "ARCHITECTURE.md").read_text(encoding="utf-8").split("\n\n"):
        lines = [
            line
            for line in part.splitlines()
            if not line.startswith(("|", "#", "`", "1", "2", "3", "4", "5", "6", "7", "8", "9"))
        ]
        assert len(lines) <= 5, part[:80]


def test_queries_only_read():
    """What a query works out anew is cached by the repository; no other row is written."""
    writes = r"\.(create|save|delete|update|bulk_create|get_or_create|update_or_create)\("
    queries = [p for p in APPS if p.name == "queries.py" or p.parent.name == "queries"]
    assert len(queries) > 8
    assert found(queries, writes) == []


def test_what_the_architecture_names_is_there():
    text = (ROOT / "ARCHITECTURE.md").read_text(encoding="utf-8")
    for name in re.findall(r"`((?:core|apps|api|project|simulators|tests|tools|web|shared)/[\w/.-]+\.\w+)", text):
        places = [ROOT / name, ROOT / "quarry" / name, ROOT / "web" / "src" / name]
        assert any(p.exists() for p in places), name


@pytest.mark.parametrize("path", sorted((ROOT / "bench").glob("*.py")), ids=lambda p: p.stem)
def test_every_bench_finds_what_it_measures(path):
    """What is measured by hand alone breaks unseen when a name changes."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.split(".")[0] in ("bench", "quarry", "tests"):
            there = importlib.import_module(node.module)
            for name in (n.name for n in node.names if n.name != "*"):
                inside = hasattr(there, "__path__") and importlib.util.find_spec(f"{node.module}.{name}")
                assert hasattr(there, name) or inside, name


def test_screens_name_nozzles_and_droplets_as_the_core_does():
    """Sizes, colours and classes stand in the core; the one list of the screens says the same, in the same order."""
    text = (ROOT / "web" / "src" / "shared" / "format" / "nozzles.ts").read_text(encoding="utf-8")
    sizes, classes = text.split("DROPLET_CLASSES")
    assert re.findall(r"\['(\w+)', '([\w ]+)'\]", sizes) == [(s.name, s.colour) for s in SIZES]
    assert re.findall(r"^  '([\w ]+)',$", classes, flags=re.M) == list(CLASS_ORDER)
