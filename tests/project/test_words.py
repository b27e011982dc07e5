"""What screens, messages, exports and documents say: words that nobody in the trade would say do not come back."""

import ast
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
RETIRED = {
    r"\b[Pp]ut (?:it |them )?away\b|\bputs? (?:a|an|the) \w+ away\b": "archive",
    r"[Nn]othing speaks against": "no issues",
    r"\b[Tt]he gate\b(?! in the)": "weather window",
    r"\bBench\b": "Calculators",
    r"\b(?:the|a|your|our|this|that|whole) shelf\b|[Tt]he shelf\b": "packs, inventory, storage",
    r"\b(?:the|a|this|our) house\b|\bHouse\b": "company",
    r"\b[Bb]r(?:ing|ought) (?:\w+ ){0,3}back\b|\bBring back\b": "restore",
    r"[Ww]hat (?:the|a) day is made of|[Ww]hat they are made of": "day settings, models",
    r"\bair goes\b": "wind blows to",
    r"sun above the horizon": "twilight, night",
    r"[Tt]hunder near": "thunderstorm",
    r"What the camera must see|What goes on the ground|How thoroughly to look": "Camera and overlap, Application, Search settings",
    r"A picture every|Ground sample\b": "photo interval, GSD",
    r"Law of detection|Chance to detect": "detection model, probability of detection",
    r"Routes out\b|Put into the day": "Export routes, Schedule",
    r"First come, first charged|No plan could end before|What holds the day back|How sure\b": "Without optimising, Earliest possible …",
    r"The section as a table|Point at a bed": "Schedule as a table, Hover or focus a row",
    r"\b[Rr]est volts\b": "resting voltage",
    r"[Ee]vening out|[Ee]vens? the cells|Shows of the cells": "Balancing, Cell telemetry",
    r": beyond it\b|, least \{|\d, least \d": "exceeded, below minimum",
    r"Wind up there|[Ll]oad beyond the usual|nothing flies on it": "Wind at flying height, Extra payload, not valid for flight",
    r"[Kk]e(?:ep|pt) to spare|surely home": "time margin, safe return radius",
    r"each pack is cut its own": "sorties sized per pack",
    r"\btold by\b": "recorded by",
    r"\bclaimed\b": "rated",
    r"columns parted by": "separator",
    r"stands? above (?:this|every|these|it\b)": "takes precedence over",
    r"\bKeep it\b|\bLeave it\b(?! out| empty)": "Save, Cancel",
    r"[Ff]ly in spite": "Override",
    r"free to spend": "usable",
    r"\b[Rr]ead logs in\b|\bwas read in\b": "import",
    r"\b[Dd]esks?\b": "service",
    r"could be chance": "difference not significant",
    r"\bend of life\b": "replace soon",
}
# What is stored or sent under a name of old stays readable; nobody sees it.
KEYS = {"rest volts", "end of life", "claimed"}
SEEN_DOCSTRINGS = ("quarry/api/", "/views")


def of_python(path):
    """Return the texts of a module: its strings, and its docstrings where the API shows them."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    docs = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef) and node.body:
            first = node.body[0]
            if isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant):
                docs.add(id(first.value))
    shown = any(part in path.relative_to(ROOT).as_posix() for part in SEEN_DOCSTRINGS)
    for node in ast.walk(tree):
        text = node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else ""
        if text and text not in KEYS and (shown or id(node) not in docs):
            yield node.lineno, text


def of_front_end(path):
    """Return the lines of a component or module without its comments and its keys."""
    text = path.read_text(encoding="utf-8")
    for comment in (r"<!--.*?-->", r"/\*.*?\*/", r"(?m)(?<![:'\"])//.*$"):
        text = re.sub(comment, lambda m: "\n" * m.group().count("\n"), text, flags=re.S if ".*?" in comment else 0)
    for key in KEYS:
        text = re.sub(rf"'{key}'|\b\w+\.{key}\b|\b{key}:", "", text)
    yield from enumerate(text.splitlines(), start=1)


def texts():
    for path in sorted((ROOT / "quarry").rglob("*.py")):
        if "migrations" not in path.parts:
            yield path, of_python(path)
    for path in sorted((ROOT / "web" / "src").rglob("*")):
        if path.suffix in (".svelte", ".ts") and ".test" not in path.name and path.name != "schema.d.ts":
            yield path, of_front_end(path)
    for path in [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]:
        if path.name not in ("decisions.md",):
            yield path, enumerate(path.read_text(encoding="utf-8").splitlines(), start=1)


def test_retired_words_stay_away():
    retired = [(re.compile(pattern), say) for pattern, say in RETIRED.items()]
    found = []
    for path, lines in texts():
        all_lines = list(lines)
        whole = "\n".join(text for _, text in all_lines)
        for pattern, say in retired:
            if pattern.search(whole):
                found += [
                    f"{path.relative_to(ROOT)}:{line}: {m.group()!r}, say {say}"
                    for line, text in all_lines
                    if (m := pattern.search(text))
                ]
    assert not found, "\n".join(found)


@pytest.mark.parametrize("words", ["Job put away", "The gate is closed", "told by otto", "stands above this plan"])
def test_the_words_are_found_where_they_stand(words):
    assert any(re.search(pattern, words) for pattern in RETIRED)
