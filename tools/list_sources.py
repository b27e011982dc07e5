"""Write docs/sources.md from the register, with the formulas that cite each source."""

import importlib
import pkgutil
from pathlib import Path

import quarry.core
from quarry.core.base.sources import SOURCES
from quarry.core.base.working import CITED

HEAD = """# Sources

Made from the register by `.venv/bin/python tools/list_sources.py`; a test holds it true. “Quoted from memory” says that the place in the work was not looked up.

| key | source | kind | formulas that cite it |
|---|---|---|---|
"""


def text() -> str:
    """Return the page."""
    for module in pkgutil.walk_packages(quarry.core.__path__, "quarry.core."):
        importlib.import_module(module.name)
    rows = [
        f"| {s.key} | {s.words} | {s.kind} | {'; '.join(sorted(CITED.get(s.key, ()))) or 'cited in steps and notes'} |"
        for s in SOURCES.values()
    ]
    return HEAD + "\n".join(rows) + "\n"


if __name__ == "__main__":
    (Path(__file__).parents[1] / "docs" / "sources.md").write_text(text(), encoding="utf-8")
