"""The built front end: its files, served before anything else is asked, and which of them a page needs at once."""

from __future__ import annotations

import functools
import re
from pathlib import Path
from typing import TYPE_CHECKING

from django.conf import settings
from servestatic import ServeStaticASGI

from quarry.project.headers import safety_headers

if TYPE_CHECKING:
    from asgiref.typing import ASGI3Application
    from servestatic.responders import Headers

_IMPORTED = re.compile(r"""(?:from|import)\s*["'](\.{1,2}/[^"']+\.js)["']""")


def with_build(application: ASGI3Application) -> ASGI3Application:
    """Return an application that answers with files of the build where there is one of that name."""
    if not settings.BUILD.is_dir():
        return application

    def more(headers: Headers, _path: str, url: str) -> None:
        for name, value in safety_headers().items():
            headers[name] = value
        if url in ("/service-worker.js", "/index.html"):
            headers["Cache-Control"] = "no-cache"

    served: ASGI3Application = ServeStaticASGI(
        application,
        root=str(settings.BUILD),
        immutable_file_test=lambda _path, url: url.startswith("/_app/immutable/"),
        add_headers_function=more,
    )
    return served


@functools.lru_cache(maxsize=1)
def _routes(build: Path) -> list[tuple[re.Pattern[str], tuple[str, ...]]]:
    """Return for each kind of address the scripts that only its screen needs."""
    assets = build / "_app" / "immutable"
    manifest = next(assets.glob("entry/app.*.js"), None)
    if manifest is None:
        return []
    start = (build / "index.html").read_text(encoding="utf-8")
    shared = scripts_of(build, set(re.findall(r"_app/immutable/[\w./~-]+\.js", start)))
    found = []
    for route, number in re.findall(r'"(/[^"]*)":\[(\d+)', manifest.read_text(encoding="utf-8")):
        node = next(assets.glob(f"nodes/{number}.*.js"), None)
        if node is None:
            continue
        own = scripts_of(build, {f"_app/immutable/nodes/{node.name}"}) - shared
        address = re.sub(r"\\\[\w+\\\]", "[^/]+", re.escape(route))
        found.append((re.compile(address), tuple(sorted(own))))
    return found


def scripts_for(path: str) -> tuple[str, ...]:
    """Return the scripts that only the screen at an address needs; none where no screen is."""
    return next((scripts for address, scripts in _routes(settings.BUILD) if address.fullmatch(path.rstrip("/") or "/")), ())


def scripts_of(build: Path, paths: set[str]) -> set[str]:
    """Return scripts of a build with all that they import at once, as paths within it."""
    found: set[str] = set()
    todo = list(paths)
    while todo:
        path = todo.pop()
        if path in found or not (build / path).is_file():
            continue
        found.add(path)
        if path.endswith(".js"):
            folder = (build / path).parent
            for name in _IMPORTED.findall((build / path).read_text(encoding="utf-8")):
                todo.append(str((folder / name).resolve().relative_to(build.resolve())))
    return found
