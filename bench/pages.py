"""How many bytes each page loads, packed as served."""

from __future__ import annotations

import re
from pathlib import Path

from bench.clock import show
from quarry.project.build import scripts_of

BUILD = Path(__file__).parents[1] / "web" / "build"


def table() -> None:
    """Print script and style bytes of each route: what all share, and what only it needs."""
    assets = BUILD / "_app" / "immutable"
    if not assets.is_dir():
        print("\nThe front end is not built: run make setup.")
        return
    manifest = next(assets.glob("entry/app.*.js")).read_text(encoding="utf-8")
    start = BUILD / "index.html"
    shared = scripts_of(BUILD, set(re.findall(r"_app/immutable/[\w./~-]+\.(?:js|css)", start.read_text(encoding="utf-8"))))
    rows = []
    for node in sorted(assets.glob("nodes/*.js"), key=lambda p: int(p.name.split(".")[0])):
        own = scripts_of(BUILD, {f"_app/immutable/nodes/{node.name}"}) - shared
        css = {str(p.relative_to(BUILD)) for p in assets.glob(f"assets/{node.name.split('.')[0]}.*.css")}
        if node.name.split(".")[0] in ("0", "1"):
            shared |= own | css
            continue
        rows.append((node.name.split(".")[0], own | css))
    order = re.findall(r'"(/[^"]*)":\[(\d+)', manifest)
    names = {number: route for route, number in order}
    show(
        "Pages: bytes of scripts and styles (brotli as served)",
        ("page", "only its own", "with what all share"),
        [
            (names.get(number, f"node {number}"), f"{_size(own):,}", f"{_size(own | shared):,}")
            for number, own in rows
            if names.get(number, "") != "/"
        ],
    )


def _size(paths: set[str]) -> int:
    total = 0
    for path in paths:
        packed = BUILD / f"{path}.br"
        total += (packed if packed.is_file() else BUILD / path).stat().st_size
    return total
