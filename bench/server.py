"""The API of the demo against an empty view of the same server, over one kept connection."""

from __future__ import annotations

import http.client
import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.clock import ms, show
from quarry.project.cluster import Cluster, free_port, new_password
from quarry.project.demo import NAMES, _answers

ROOT = Path(__file__).parents[1]
RUNS = 40


def table() -> None:
    """Start a throwaway server with the demo's data, ask it, print, and end it."""
    folder = Path(tempfile.mkdtemp(prefix="gq-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "pg", new_password(), throwaway=True)
    child = None
    try:
        cluster.start(55_600)
        password, word = new_password(), new_password()
        cluster.ensure_database("bench", password, "bench")
        env = {
            **os.environ,
            "QUARRY_DATABASE_URL": cluster.url("bench", password, "bench"),
            "QUARRY_SECRET_KEY": "of-the-bench-" + "x" * 40,
            "DJANGO_SETTINGS_MODULE": "bench.settings",
        }
        env.pop("QUARRY_TERRAIN_URL", None)
        manage = [sys.executable, str(ROOT / "manage.py")]
        subprocess.run([*manage, "migrate", "-v", "0"], cwd=ROOT, env=env, check=True)
        people = json.dumps(dict.fromkeys(NAMES, word))
        subprocess.run([*manage, "load_demo"], cwd=ROOT, env=env, check=True, input=people, text=True, capture_output=True)
        port = free_port(8_690)
        command = [sys.executable, "-m", "uvicorn", "quarry.project.asgi:application", "--port", str(port), "--lifespan", "off"]
        child = subprocess.Popen([*command, "--log-level", "error"], cwd=ROOT, env=env)
        if not _answers(f"http://127.0.0.1:{port}/api/me", 30, child):
            raise SystemExit("the server did not answer")
        _measure(port, word)
    finally:
        if child is not None:
            child.terminate()
            child.wait(10)
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def _measure(port: int, word: str) -> None:
    link = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    cookies: dict[str, str] = {}

    def ask(method: str, path: str, body: object = None) -> bytes:
        headers = {"Content-Type": "application/json", "Cookie": "; ".join(f"{k}={v}" for k, v in cookies.items())}
        headers["X-CSRFToken"] = cookies.get("csrftoken", "")
        link.request(method, path, json.dumps(body) if body is not None else None, headers)
        answer = link.getresponse()
        for line in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = line.split(";")[0].partition("=")
            cookies[name] = value
        data = answer.read()
        if answer.status >= 400:
            raise SystemExit(f"{path}: {answer.status} {data[:200]!r}")
        return data

    ask("POST", "/api/session", {"username": NAMES[0], "password": word})
    job = json.loads(ask("GET", "/api/jobs"))[-1]["id"]
    day = json.loads(ask("GET", "/api/days"))[0]["id"]
    pack = json.loads(ask("GET", "/api/packs"))["packs"][0]["id"]
    data = json.loads(ask("GET", f"/api/jobs/{job}"))["job"]
    figures = {k: v for k, v in data.items() if k not in ("id", "version", "archived", "changed_at")}
    version = [data["version"]]

    def move(step: list[int]) -> bytes:
        step[0] += 1
        area = [list(p) for p in figures["area"]]
        area[0][0] += step[0] * 1e-6
        told = ask("PUT", f"/api/jobs/{job}", {"version": version[0], "job": figures | {"area": area}})
        version[0] = json.loads(told)["job"]["version"]
        return told

    count = [0]
    calls = {
        "empty view": lambda: ask("GET", "/empty"),
        "who am I": lambda: ask("GET", "/api/me"),
        "list of jobs": lambda: ask("GET", "/api/jobs"),
        "a job with its plan": lambda: ask("GET", f"/api/jobs/{job}"),
        "a moved point, 51 ha: save and plan": lambda: move(count),
        "working of a number": lambda: ask("GET", f"/api/jobs/{job}/working/endurance"),
        "a day with its plan": lambda: ask("GET", f"/api/days/{day}"),
        "the shelf": lambda: ask("GET", "/api/packs"),
        "a pack with its story": lambda: ask("GET", f"/api/packs/{pack}"),
        "the fleet": lambda: ask("GET", "/api/fleet"),
    }
    times: dict[str, list[float]] = {name: [] for name in calls}
    sizes: dict[str, int] = {}
    for k in range(RUNS):
        for name, call in calls.items():
            if name.startswith("a moved") and k % 4:
                continue
            began = time.perf_counter()
            sizes[name] = len(call())
            times[name].append(time.perf_counter() - began)
    base = statistics.median(times["empty view"])
    rows = [
        (name, ms(statistics.median(t)), f"{statistics.median(t) / base:.1f} ×", f"{sizes[name]:,}") for name, t in times.items()
    ]
    show("API against an empty view of the same server", ("call", "median", "ratio", "bytes"), rows)
