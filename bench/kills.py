"""Hard kills in a running day: three clients report through whatever is killed, and nothing is lost, doubled or stuck."""

from __future__ import annotations

import http.client
import json
import os
import random
import shutil
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from bench.clock import show

ROOT = Path(__file__).parents[1]
KILLS = int(os.environ.get("KILLS", "40"))
BACK_S, STUCK_S = 120.0, 120.0
# What is killed, by words of its command; the last is one link of the database, which then begins anew as a whole.
TARGETS = {
    "server": "uvicorn",
    "worker": " -q plans",
    "reader": " -q tables",
    "caretaker": "look_after",
    "rehearsal service": "rehearsal_service",
    "supervisor": "supervisor.supervisord",
    "database": "postgres -D",
    "a link of the database": "postgres: quarry_app",
}


class Person:
    """Somebody with a tablet: signs in, and sends each thing under its own key until the server has taken it."""

    def __init__(self, address: str, name: str, password: str) -> None:
        self.address, self.name, self.password = urlsplit(address), name, password
        self.cookies: dict[str, str] = {}

    def ask(self, method: str, path: str, body: object = None) -> tuple[int, Any]:
        """Ask once, over a link of its own; raises OSError where nobody answers."""
        link = http.client.HTTPConnection(self.address.hostname or "", self.address.port, timeout=20)
        head = {
            "Content-Type": "application/json",
            "Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items()),
            "X-CSRFToken": self.cookies.get("csrftoken", ""),
        }
        try:
            link.request(method, f"/api{path}", json.dumps(body) if body is not None else None, head)
            answer = link.getresponse()
            data = answer.read()
        except http.client.HTTPException as broken:
            raise ConnectionError(str(broken)) from broken
        finally:
            link.close()
        for line in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = line.split(";")[0].partition("=")
            self.cookies[name] = value
        return answer.status, json.loads(data) if data else None

    def surely(self, method: str, path: str, body: object = None) -> Any:
        """Ask until it is answered well; what cannot be done raises."""
        while True:
            try:
                status, answer = self.ask(method, path, body)
            except OSError:
                status, answer = 0, None
            if 200 <= status < 300:
                return answer
            if 400 <= status < 500:
                raise AssertionError(f"{method} {path}: {status} {answer}")
            time.sleep(0.2)

    def sign_in(self) -> None:
        """Open a session."""
        self.surely("GET", "/me")
        self.surely("POST", "/session", {"username": self.name, "password": self.password})


@dataclass
class Reporting:
    """Three people who report of one day until they are told to stop; each note has a key of its own."""

    people: list[Person]
    day: str
    sent: list[str] = field(default_factory=list)
    broken: list[str] = field(default_factory=list)
    _over: threading.Event = field(default_factory=threading.Event)
    _threads: list[threading.Thread] = field(default_factory=list)

    def __enter__(self) -> Reporting:
        self._threads = [threading.Thread(target=self._report, args=(p,), daemon=True) for p in self.people]
        for thread in self._threads:
            thread.start()
        return self

    def __exit__(self, *_failed: object) -> None:
        self._over.set()
        for thread in self._threads:
            thread.join(60)

    def _report(self, person: Person) -> None:
        while not self._over.is_set():
            key = uuid.uuid4().hex
            try:
                live = person.surely("GET", f"/days/{self.day}/live")["live"]
                at = datetime.fromisoformat(live["opens_at"]) + timedelta(seconds=live["now_s"])
                note = {"key": key, "kind": "note", "at": at.isoformat(), "figures": {"words": "all quiet"}}
                body = {"device": person.name, "device_now": at.isoformat(), "events": [note]}
                answer = person.surely("POST", f"/days/{self.day}/events", body)
                if answer["taken"] != [key]:
                    raise AssertionError(answer["refused"])
            except AssertionError as bad:
                self.broken.append(str(bad))
                return
            self.sent.append(key)
            time.sleep(0.3)

    def amiss(self) -> dict[str, int]:
        """Return what was lost and what was doubled."""
        kept = Counter(e["key"] for e in self.people[0].surely("GET", f"/days/{self.day}/events"))
        ours = set(self.sent)
        return {"lost": len(ours - kept.keys()), "doubled": sum(n - 1 for n in kept.values()), "broken off": len(self.broken)}


def processes(state: Path, words: str) -> list[int]:
    """Return the processes of a state folder whose command holds some words; wrappers do not count."""
    found = []
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            command = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
            mine = str(state).encode() in (entry / "environ").read_bytes() or str(state) in command
        except OSError:
            continue
        if mine and words in command and not command.startswith(("setpriv", "runuser", "unshare")):
            found.append(int(entry.name))
    return sorted(found)


def of_the_database(state: Path) -> tuple[int, list[int]]:
    """Return the database's first process, and those that serve links of the program."""
    first = int((state / "pg" / "data" / "postmaster.pid").read_text().split("\n")[0])
    children = []
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            parent = int((entry / "stat").read_text().rsplit(")", 1)[1].split()[1])
            if parent == first and b"quarry_app" in (entry / "cmdline").read_bytes():
                children.append(int(entry.name))
        except (OSError, ValueError):
            continue
    return first, children


def kill(state: Path, what: str) -> float:
    """Kill what goes by this name, hard; returns when."""
    if what == "database":
        victims = [of_the_database(state)[0]]
    elif what == "a link of the database":
        victims = of_the_database(state)[1][:1]
    else:
        victims = processes(state, TARGETS[what])[:1]
    for pid in victims:
        os.kill(pid, signal.SIGKILL)
    return time.monotonic()


def back_after(person: Person, begun: float, within_s: float = BACK_S) -> float:
    """Return how long it took until the server answered again: twice in a row, as the first may be the last of the old."""
    well = 0
    while well < 2:
        if time.monotonic() - begun > within_s:
            raise AssertionError(f"no answer for {within_s:.0f} s")
        try:
            well = well + 1 if person.ask("GET", "/days")[0] == 200 else 0
        except OSError:
            well = 0
        if well < 2:
            time.sleep(0.1)
    return time.monotonic() - begun


def begin_day(person: Person) -> str:
    """Begin a day of the demo whose clock goes as any, whatever hour it is; returns its key."""
    day = person.surely("GET", "/days")["items"][0]["id"]
    begun = {"speed": 1, "by_hand": True, "seed": 1, "faults": []}
    return str(person.surely("POST", f"/days/{day}/rehearsals", begun)["id"])


def nothing_stuck(person: Person, day: str, within_s: float = STUCK_S) -> bool:
    """Tell whether every search comes to its end."""
    end = time.monotonic() + within_s
    while time.monotonic() < end:
        plans = person.surely("GET", f"/days/{day}/plans")
        if not [p for p in plans if p["state"] in ("queued", "searching")]:
            return True
        time.sleep(1)
    return False


def table() -> None:
    """Start the demo, kill forty times, and print how long the service was away after each kind of kill."""
    state = Path(tempfile.mkdtemp(prefix="gq-kills-"))
    state.chmod(0o755)
    env = {k: v for k, v in os.environ.items() if not k.startswith(("QUARRY_", "DJANGO_"))} | {"QUARRY_STATE": str(state)}
    log = (state / "out.log").open("wb")
    demo = subprocess.Popen([sys.executable, "-m", "quarry.project.demo"], cwd=ROOT, env=env, stdout=log, stderr=log)
    try:
        address = _ready(state, demo)
        words = json.loads((state / "secrets.json").read_text())["demo"]
        people = [Person(address, name, words[name]) for name in ("marrable", "oduya", "lindqvist")]
        for person in people:
            person.sign_in()
        day = begin_day(people[0])
        away: dict[str, list[float]] = {}
        order = [name for _ in range(KILLS // len(TARGETS)) for name in TARGETS]
        random.Random(1).shuffle(order)
        with Reporting(people, day) as reporting:
            for name in order:
                away.setdefault(name, []).append(back_after(people[0], kill(state, name)))
                time.sleep(2)
        amiss, rests = reporting.amiss(), nothing_stuck(people[0], day)
        rows = [(n, str(len(t)), f"{statistics.median(t):.1f} s", f"{max(t):.1f} s") for n, t in sorted(away.items())]
        every = [x for t in away.values() for x in t]
        rows.append(("all", str(len(every)), f"{statistics.median(every):.1f} s", f"{max(every):.1f} s"))
        show(
            f"{len(every)} hard kills in a running day: {len(reporting.sent)} notes, "
            f"{amiss['lost']} lost, {amiss['doubled']} doubled; {'nothing' if rests else 'SOMETHING'} stuck after two minutes",
            ("killed", "times", "away, median", "longest"),
            rows,
        )
    finally:
        demo.send_signal(signal.SIGINT)
        demo.wait(60)
        shutil.rmtree(state, ignore_errors=True)


def _ready(state: Path, demo: subprocess.Popen[bytes]) -> str:
    read: Callable[[], str] = lambda: (state / "out.log").read_text(errors="replace")  # noqa: E731
    while "Ctrl-C ends it" not in read():
        if demo.poll() is not None:
            raise SystemExit(read())
        time.sleep(0.2)
    return next(w for w in read().split() if w.startswith("http"))


if __name__ == "__main__":
    table()
