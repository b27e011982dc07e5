"""The real server on the test database, and headless Chromium in front of it."""

from __future__ import annotations

import os
import shutil
import ssl
import subprocess
import sys
import time
from pathlib import Path
from urllib.error import URLError
from urllib.request import urlopen

import pytest

from tests.conftest import WORKER

ROOT = Path(__file__).parents[2]
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
ARGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-default-apps",
    "--no-first-run",
    "--disable-dev-shm-usage",
    "--disable-features=Translate,OptimizationHints,MediaRouter",
    "--font-render-hinting=none",
    "--force-color-profile=srgb",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1, EXCLUDE localhost",
]


LIGHTS = ("day", "sun", "night")
PATIENCE_MS = 90_000  # how long a test waits for what must come: a slow machine is no fault of the product
STILL_MS = 550  # a call that has just come, or a screen that has just moved, takes no tap for a moment


class Server:
    """The product's server on the test database; it can be killed and started again under the same address."""

    def __init__(self, wanted: int, public: str = "", tls: tuple[Path, Path] | None = None) -> None:
        from django.conf import settings
        from django.db import connection

        from quarry.project.cluster import free_port

        d = connection.settings_dict
        self.port, self.tls = free_port(wanted + 100 * WORKER), tls
        self.env = {k: v for k, v in os.environ.items() if k != "DJANGO_ALLOW_ASYNC_UNSAFE"} | {
            "QUARRY_DATABASE_URL": f"postgresql://{d['USER']}:{d['PASSWORD']}@{d['HOST']}:{d['PORT']}/{d['NAME']}",
            "QUARRY_SECRET_KEY": settings.SECRET_KEY,  # whom the tests sign in, the server knows
            "QUARRY_PUBLIC_URL": f"https://{public}:{self.port}" if public else "",
        }
        self.address = self.env["QUARRY_PUBLIC_URL"] or f"http://127.0.0.1:{self.port}"
        self.start()

    def start(self) -> None:
        """Start it, and wait until it answers."""
        command = [sys.executable, "-m", "uvicorn", "quarry.project.asgi:application", "--port", str(self.port), "--lifespan"]
        command += ["off", "--timeout-graceful-shutdown", "1", "--log-level", "warning"]
        if self.tls:
            command += ["--ssl-certfile", str(self.tls[0]), "--ssl-keyfile", str(self.tls[1])]
        self.child = subprocess.Popen(command, cwd=ROOT, env=self.env)
        context = ssl._create_unverified_context() if self.tls else None
        for _ in range(900):
            try:
                urlopen(f"http{'s' if self.tls else ''}://127.0.0.1:{self.port}/api/me", timeout=2, context=context).close()
            except (URLError, OSError):
                assert self.child.poll() is None, "the server ended"
                time.sleep(0.1)
            else:
                return
        raise AssertionError("the server does not answer")

    def kill(self) -> None:
        """End it at once, as a pulled plug would."""
        self.child.kill()
        self.child.wait(10)

    def stop(self) -> None:
        """End it."""
        self.child.terminate()
        self.child.wait(10)


@pytest.fixture(scope="session")
def server(django_db_setup):
    """Start the server as it is served, on the test database; returns its address."""
    made = Server(8_660)
    yield made.address
    made.stop()


@pytest.fixture(scope="session")
def start_chromium():
    """Return a function that starts a browser; the session has one driver for all of them."""
    from playwright.sync_api import expect, sync_playwright

    path = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    assert path, "Chromium is missing. Run: make setup"
    expect.set_options(timeout=PATIENCE_MS)
    with sync_playwright() as driver:
        yield lambda args=ARGS: driver.chromium.launch(executable_path=path, args=args)


@pytest.fixture(scope="session")
def chromium(start_chromium):
    """Start the browser once."""
    browser = start_chromium()
    yield browser
    browser.close()


@pytest.fixture(autouse=True)
def quick_passwords():
    """Hash as the server does: people sign in through its door here."""


class Site:
    """A page of the running product, with the checks that every screen must pass."""

    def __init__(self, page, address: str) -> None:
        self.page, self.address = page, address
        self.faults: list[str] = []
        page.on("pageerror", lambda e: self.faults.append(f"error: {e}"))
        page.on("console", lambda m: self.faults.append(f"console: {m.text}") if m.type == "error" else None)
        page.on("request", self._seen)
        self.open: set = set()
        page.on("requestfinished", self._ended)
        page.on("requestfailed", self._ended)

    def _ended(self, request) -> None:
        self.open.discard(request)

    def settle(self) -> None:
        """Wait until the server has answered all that was asked: the database is emptied next."""
        for _ in range(100):
            if not self.open:
                return
            self.page.wait_for_timeout(50)

    def refused(self) -> None:
        """Strike the line that the browser writes when a request was refused as it was meant to be."""
        for _ in range(100):
            if any("Failed to load resource" in f for f in self.faults):
                break
            self.page.wait_for_timeout(50)
        self.faults[:] = [f for f in self.faults if "Failed to load resource" not in f]

    def _seen(self, request) -> None:
        if not request.url.endswith("/api/stream"):  # a stream ends with its page
            self.open.add(request)
        if not request.url.startswith((self.address, "data:", "blob:")):
            self.faults.append(f"asked elsewhere: {request.url}")

    def go(self, path: str) -> None:
        """Open an address of the product."""
        self.page.goto(self.address + path)

    def sign_in(self, name: str) -> None:
        """Be signed in, without the door and its slow hash; no page is opened."""
        from django.conf import settings
        from django.test import Client

        from quarry.apps.accounts.models import User

        client = Client()
        client.force_login(User.objects.get(username=name))
        key = client.cookies[settings.SESSION_COOKIE_NAME].value
        self.page.context.add_cookies(
            [{"name": settings.SESSION_COOKIE_NAME, "value": key, "url": self.address, "httpOnly": True}]
        )

    def sign_in_at_the_door(self, name: str, password: str) -> None:
        """Sign in as people do; leads to today."""
        self.go("/sign-in")
        self.page.get_by_label("Name or e-mail").fill(name)
        self.page.get_by_label("Password").fill(password)
        self.page.keyboard.press("Enter")
        self.page.wait_for_url("**/today")

    def drawn(self) -> None:
        """Wait until the map is drawn."""
        self.page.locator("[data-testid=map][data-drawn]").wait_for()

    def saved(self) -> None:
        """Wait until what was entered is saved and planned."""
        from playwright.sync_api import expect

        expect(self.page.get_by_test_id("save-state")).to_have_text("saved")

    def axe(self, *rules: str) -> None:
        """Let axe look at the screen: nothing serious, and targets large enough; or only by some of its rules."""
        self.page.evaluate("script => window.axe || (0, eval)(script)", AXE.read_text(encoding="utf-8"))
        asked = rules or ("wcag2a", "wcag2aa", "wcag21aa", "wcag22aa", "best-practice")
        found = self.page.evaluate("asked => axe.run(document, { runOnly: asked, resultTypes: ['violations'] })", asked)
        serious = [
            f"{v['id']} ({v['impact']}): {v['nodes'][0]['html'][:160]} {v['nodes'][0].get('failureSummary', '')[:200]}"
            for v in found["violations"]
            if v["impact"] in ("serious", "critical")
        ]
        assert not serious

    def axe_in_every_light(self) -> None:
        """Let axe look at the screen; in the other lights at its colours, which are all that differs there."""
        self.axe()
        light = self.page.evaluate("document.documentElement.dataset.light")
        for other in LIGHTS:
            if other != light:
                self.page.evaluate("light => { document.documentElement.dataset.light = light }", other)
                self.axe("color-contrast")
        self.page.evaluate("light => { document.documentElement.dataset.light = light }", light)


def until(page, true, words: str) -> None:
    """Wait until something is true, as long as a slow machine may need."""
    for _ in range(PATIENCE_MS // 50):
        if true():
            return
        page.wait_for_timeout(50)
    pytest.fail(words)


def no_sideways_scroll(page, where: str = "") -> None:
    """The page is no wider than its window, once it has been laid out anew."""
    until(page, lambda: page.evaluate("document.documentElement.scrollWidth <= innerWidth"), f"scrolls sideways {where}")


def confirm(page):
    """A pack that is taken off its port long before it is full is asked about."""
    asked = page.get_by_role("dialog")
    if asked.is_visible():
        asked.get_by_role("button").last.click()


def tell_until(page, kinds, most=12, shows=None):
    """Tap the big answer until a call of one of some kinds is told, and what belongs to it is shown."""
    for _ in range(most):
        call = page.get_by_test_id("call")
        before, words = call.inner_text(), page.get_by_test_id("answer").inner_text()
        tap(page, page.get_by_test_id("answer"))
        page.wait_for_timeout(400)
        confirm(page)
        # A call counts down by itself: only what comes up shows that a tap was not in the moment after a move.
        if any(k in words for k in kinds) and (shows.is_visible() if shows else call.inner_text() != before):
            return
    pytest.fail(f"{kinds} was never called")


def insist(page, button, seen):
    """Tap until it is seen: a tap on a screen that moved just then is not taken, and people tap again."""
    from playwright.sync_api import expect

    for _ in range(30):
        if seen.count():
            return
        if button.count():
            button.click()
        page.wait_for_timeout(1200)
    expect(seen).to_be_visible()


def tap(page, target) -> None:
    """Tap on a running day as a person does: wait a moment after the screen moved, and again if it says so."""
    again = page.get_by_test_id("strip").get_by_text("tap again")
    for _ in range(8):
        page.wait_for_timeout(STILL_MS)
        again.wait_for(state="detached")
        target.click()
        page.wait_for_timeout(100)
        if not again.count():
            return
    raise AssertionError("the screen never stood still")


def window(chromium, **options):
    """Return a fresh window with the settings of all tests."""
    plain = {"viewport": {"width": 1280, "height": 800}, "locale": "en-GB", "timezone_id": "UTC", "reduced_motion": "reduce"}
    context = chromium.new_context(**plain | {"service_workers": "block"} | options)
    context.set_default_timeout(PATIENCE_MS)
    return context


@pytest.fixture
def site(chromium, server, transactional_db):
    """A fresh window; the test fails if the page threw, complained or asked another server."""
    context = window(chromium)
    made = Site(context.new_page(), server)
    yield made
    made.settle()
    context.close()
    assert not made.faults


@pytest.fixture
def crew(transactional_db):
    """An organisation with a fleet, its lead and a pilot; rows are made in its scope."""
    from django_scopes import scope

    from quarry.apps.accounts.models import Organisation
    from tests.factories import make_fleet, person

    organisation = Organisation.objects.create(name="North Crew")
    with scope(organisation=organisation):
        lead = person(organisation, "lena", "lead")
        person(organisation, "otto", "pilot")
        yield {"organisation": organisation, "lead": lead, "fleet": make_fleet(lead)}
