"""The start command as a whole: what a newcomer gets, and that nothing is left behind however it ends."""

import json
import os
import shutil
import signal
import ssl
import subprocess
import sys
import time
from http.cookiejar import CookieJar
from pathlib import Path
from urllib.request import HTTPCookieProcessor, HTTPSHandler, Request, build_opener

import pytest

from bench import kills

ROOT = Path(__file__).parents[2]
# What is asked is whether it comes, not how soon: the rest of the tests may run beside it.
_PATIENT_S = 420.0


class Start:
    """A start of the demo with a state folder of its own."""

    def __init__(self, state: Path, **settings: str) -> None:
        env = {k: v for k, v in os.environ.items() if not k.startswith(("QUARRY_", "DJANGO_"))}
        self.state, self.log = state, state.with_name(f"{time.monotonic_ns()}.log")
        with self.log.open("wb") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "quarry.project.demo"],
                cwd=ROOT,
                env=env | {"QUARRY_STATE": str(state)} | settings,
                stdout=log,
                stderr=log,
                start_new_session=True,
            )

    def told(self) -> str:
        """Return what it has printed."""
        return self.log.read_text(encoding="utf-8", errors="replace")

    def ready(self, seconds: float = _PATIENT_S) -> str:
        """Wait until it is ready; returns the address."""
        end = time.monotonic() + seconds
        while "Ctrl-C ends it" not in self.told():
            assert self.process.poll() is None, self.told()
            assert time.monotonic() < end, self.told()
            time.sleep(0.1)
        return next(w for w in self.told().split() if w.startswith("http"))

    def says(self, words: str, seconds: float = _PATIENT_S) -> bool:
        """Wait until it has printed these words."""
        end = time.monotonic() + seconds
        while words not in self.told() and time.monotonic() < end:
            time.sleep(0.1)
        return words in self.told()

    def ours(self) -> list[str]:
        """Return the commands that still run out of this state folder or as children of this start."""
        found = []
        for entry in Path("/proc").glob("[0-9]*"):
            try:
                if (
                    str(self.state).encode() in (entry / "environ").read_bytes()
                    or str(self.state).encode() in (entry / "cmdline").read_bytes()
                ):
                    found.append((entry / "cmdline").read_bytes().replace(b"\0", b" ").decode())
            except OSError:
                continue
        return found

    def gone(self, seconds: float = 60) -> bool:
        """Wait until nothing of it runs."""
        end = time.monotonic() + seconds
        while self.ours() and time.monotonic() < end:
            time.sleep(0.1)
        return not self.ours()


@pytest.fixture(scope="module")
def state():
    folder = Path("/tmp") / f"gq demo {os.getpid()}"
    yield folder / "state"
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="module")
def first(state):
    state.parent.mkdir(mode=0o755)
    start = Start(state)
    yield start
    if start.process.poll() is None:
        start.process.send_signal(signal.SIGINT)
        start.process.wait(120)


def opener(cafile=None):
    context = ssl.create_default_context(cafile=cafile) if cafile else None
    handlers = [HTTPCookieProcessor(CookieJar())] + ([HTTPSHandler(context=context)] if context else [])
    return build_opener(*handlers)


def sign_in(address, state, link):
    passwords = json.loads((state / "secrets.json").read_text())["demo"]
    link.open(f"{address}/api/me", timeout=20).close()
    body = json.dumps({"username": "marrable", "password": passwords["marrable"]}).encode()
    request = Request(f"{address}/api/session", body, {"Content-Type": "application/json"})
    with link.open(request, timeout=20) as answer:
        return json.load(answer)


def test_a_first_start_gives_a_planned_day_and_says_each_step(first, state):
    address = first.ready()
    told = first.told()
    assert [f"{k}/5" in told for k in range(1, 6)] == [True] * 5
    assert all(name in told for name in ("marrable", "oduya", "lindqvist", "guest"))
    assert address.startswith("http://127.0.0.1:")
    link = opener()
    assert sign_in(address, state, link)["role"] == "lead"
    days = json.load(link.open(f"{address}/api/days", timeout=20))["items"]
    assert days[0]["finish_s"] is not None
    plan = f"{address}/api/days/{days[0]['id']}"
    until(
        lambda: json.load(link.open(plan, timeout=20))["plan"]["state"] in ("best", "proven"), "no worker searches the day's plan"
    )
    assert "had ended and was started again" not in first.told()
    page = link.open(address, timeout=20)
    assert b"<title>Gentle Quarry</title>" in page.read()
    assert "default-src 'none'" in page.headers["Content-Security-Policy"]


def test_a_second_start_while_one_runs_says_so_and_ends(first, state):
    first.ready()
    second = Start(state)
    assert second.process.wait(120) == 0
    assert "is running already: http://127.0.0.1" in second.told()


def test_whatever_is_killed_in_a_running_day_comes_back_and_nothing_is_lost_doubled_or_stuck(first, state):
    """Three people report through it; the bench kills forty times."""
    address = first.ready()
    words = json.loads((state / "secrets.json").read_text())["demo"]
    people = [kills.Person(address, name, words[name]) for name in ("marrable", "oduya", "lindqvist")]
    for person in people:
        person.sign_in()
    day = kills.begin_day(people[0])
    with kills.Reporting(people, day) as reporting:
        for what in ("reader", "server", "database", "a link of the database", "worker", "supervisor"):
            before = len(reporting.sent)
            begun = kills.kill(state, what)
            assert kills.back_after(people[0], begun, within_s=_PATIENT_S) < _PATIENT_S, what
            until(lambda n=before: len(reporting.sent) > n + 3, f"nobody reports any more after a kill of the {what}")
            assert first.process.poll() is None, what
    assert reporting.amiss() == {"lost": 0, "doubled": 0, "broken off": 0}, reporting.broken
    assert kills.nothing_stuck(people[0], day)
    assert first.says("The database had ended and was started again"), first.told()
    assert first.says("The supervisor had ended and was started again"), first.told()
    for words in (" -q tables", " -q plans", "weather_service", "look_after", "uvicorn"):
        until(lambda w=words: len(kills.processes(state, w)) == 1, f"{words} is not started again")


def until(holds, words, seconds=_PATIENT_S):
    end = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < end, words
        time.sleep(0.1)


def test_after_a_kill_the_next_start_takes_over_and_speaks_tls_and_an_interrupt_ends_everything(first, state):
    first.ready()
    first.process.kill()
    first.process.wait()
    start = Start(state, QUARRY_BIND="127.0.0.1:8740", QUARRY_PUBLIC_URL="https://localhost:8740")
    assert start.ready() == "https://localhost:8740"
    assert "to trust this server on a tablet" in start.told()
    link = opener(cafile=str(state / "tls" / "localhost-authority.crt"))
    assert sign_in("https://localhost:8740", state, link)["signed_in"]
    answer = link.open("https://localhost:8740/", timeout=20)
    assert "max-age" in answer.headers["Strict-Transport-Security"]
    assert len(start.ours()) >= 4
    start.process.send_signal(signal.SIGINT)
    assert start.process.wait(180) == 0
    assert start.gone(), f"{start.ours()}: an interrupt ends all, the database that the kill left too"
    assert not (state / "demo.pid").exists()


@pytest.mark.parametrize(("step", "number"), [("2/5", signal.SIGHUP), ("4/5", signal.SIGTERM)])
def test_a_closed_terminal_ends_a_start_that_is_under_way(state, step, number):
    start = Start(state)
    assert start.says(step), start.told()
    start.process.send_signal(number)
    start.process.wait(180)
    assert start.gone(), start.ours()


def test_a_network_address_without_a_public_one_is_refused_with_a_remedy(state):
    start = Start(state, QUARRY_BIND="0.0.0.0:8741")
    assert start.process.wait(120) == 1
    assert "set QUARRY_PUBLIC_URL too" in start.told()
    assert start.gone(), start.ours()
