"""How every screen opens and moves on a device whose processor is four times slower: time, requests, bytes, frames."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from bench.clock import ms, show
from bench.house import House, house

SLOWER = 4
LONG_MS = 50
# Counts frames, and how long an input waits until it is painted (Event Timing, W3C).
WATCH = """() => {
  window.__frames = []; window.__waits = [];
  let last = performance.now(), on = true;
  const tick = (now) => { window.__frames.push(now - last); last = now; if (on) requestAnimationFrame(tick); };
  requestAnimationFrame(tick);
  const seen = new PerformanceObserver((l) => l.getEntries().forEach((e) => window.__waits.push(e.duration)));
  seen.observe({ type: 'event', durationThreshold: 16 });
  window.__stop = () => { on = false; seen.disconnect(); };
}"""
# Notes when what was waited for has been painted; a question asked over and over would slow the page down by itself.
PAINTED = """there => {
  const look = () => {
    if (window.__usable !== undefined || !document.querySelector(there)) return;
    window.__usable = 0;
    seen.disconnect();
    requestAnimationFrame(() => setTimeout(() => { window.__usable = performance.now(); }));
  };
  const seen = new MutationObserver(look);
  seen.observe(document, { childList: true, subtree: true, attributes: true });
}"""


def table() -> None:
    """Print both tables for the demo's data in a throwaway house."""
    path = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    if path is None:
        print("\nChromium is missing: opening is not measured.")
        return
    from playwright.sync_api import sync_playwright

    with house() as made, sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=path, args=["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"])
        screens = _screens(made)
        show(
            f"Opening a screen for the first time, processor {SLOWER} times slower",
            ("screen", "usable after", "requests", "rounds of answers", "answers, bytes", "scripts and styles, bytes"),
            [(name, *_open(browser, made, path, there)) for name, path, there in screens],
        )
        where = {name: path for name, path, _ in screens}
        show(
            f"Moving, processor {SLOWER} times slower: frames above {LONG_MS} ms, and the longest wait for a paint",
            ("what", "frames", f"above {LONG_MS} ms", "longest frame", "longest wait of an input"),
            [(name, *_move(browser, made, where[of], act)) for name, of, act in _MOVES],
        )
        browser.close()


def _screens(made: House) -> list[tuple[str, str, str]]:
    """Name, address, and what is there once it can be used."""
    first = lambda path, key: json.loads(made.ask("GET", path))[key][0]["id"]  # noqa: E731
    job, day, pack = first("/api/jobs", "items"), first("/api/days", "items"), first("/api/packs", "packs")
    return [
        ("Today", "/today", "[data-testid=coming]"),
        ("Packs", "/packs", "[data-testid=shelf]"),
        ("Pack", f"/packs/{pack}", "[data-testid=rules]"),
        ("Jobs", "/jobs", "[data-testid=jobs]"),
        ("Job", f"/jobs/{job}", "[data-testid=sorties]"),
        ("Days", "/days", f"a[href*='{day}']"),
        ("Day", f"/days/{day}", "[data-testid=finish]"),
        ("Limits", "/limits", "[data-testid=hour-rows]"),
        ("Logbook", "/logbook", "[data-testid=flights]"),
        ("Totals", "/logbook/totals", "[data-testid=totals]"),
        ("Rated and measured", "/logbook/claims", "[data-testid=days]"),
        ("Calculators", "/bench", "[data-testid=answer]"),
        ("Fleet", "/fleet", "[data-testid=fleet]"),
        ("Policy", "/policy", "[data-testid=policy]"),
    ]


@contextmanager
def _page(browser: Any, made: House) -> Iterator[tuple[Any, Any]]:
    address = f"http://127.0.0.1:{made.port}"
    context = browser.new_context(viewport={"width": 1280, "height": 800}, service_workers="block", base_url=address)
    context.add_cookies([{"name": k, "value": v, "url": address} for k, v in made.cookies.items()])
    page = context.new_page()
    tools = context.new_cdp_session(page)
    tools.send("Network.enable")
    tools.send("Emulation.setCPUThrottlingRate", {"rate": SLOWER})
    yield page, tools
    context.close()


def _open(browser: Any, made: House, path: str, there: str) -> tuple[str, ...]:
    with _page(browser, made) as (page, tools):
        asked: dict[str, list[Any]] = {}
        tools.on(
            "Network.requestWillBeSent",
            lambda e: asked.__setitem__(e["requestId"], [e["request"]["url"], e["timestamp"], None, 0]),
        )
        tools.on(
            "Network.loadingFinished",
            lambda e: (
                e["requestId"] in asked
                and asked[e["requestId"]].__setitem__(slice(2, 4), [e["timestamp"], e["encodedDataLength"]])
            ),
        )
        page.add_init_script(f"({PAINTED})({json.dumps(there)})")
        page.goto(path, wait_until="commit")
        usable = 0.0
        while not usable:
            page.wait_for_timeout(200)
            usable = (page.evaluate("window.__usable") or 0.0) / 1000
        page.wait_for_timeout(1500)
        answers = sorted((r for r in asked.values() if "/api/" in r[0] and "/api/stream" not in r[0]), key=lambda r: r[1])
        parts = [r for r in asked.values() if "/_app/" in r[0]]
        return (
            ms(usable),
            str(len(answers)),
            str(_rounds(answers)),
            f"{sum(r[3] for r in answers):,.0f}",
            f"{sum(r[3] for r in parts):,.0f}",
        )


def _rounds(answers: list[list[Any]]) -> int:
    """How often a question waited for the answer to one before: what a slow link pays for."""
    rounds, ends = 0, 0.0
    group_end = 0.0
    for _, start, end, _size in answers:
        if start >= ends:
            rounds += 1
            ends = group_end = end or start
        else:
            group_end = max(group_end, end or start)
            ends = min(ends, end or start)
    return rounds


def _move(browser: Any, made: House, path: str, act: Callable[[Any], None]) -> tuple[str, ...]:
    with _page(browser, made) as (page, _tools):
        page.goto(path)
        page.wait_for_timeout(4000)
        page.evaluate(WATCH)
        act(page)
        page.evaluate("window.__stop()")
        frames, waits = page.evaluate("[window.__frames.slice(1), window.__waits]")
        return (
            str(len(frames)),
            str(sum(f > LONG_MS for f in frames)),
            f"{max(frames):.0f} ms",
            f"{max(waits, default=0):.0f} ms",
        )


def _drag(page: Any) -> None:
    box = page.get_by_test_id("map").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    for k in range(40):
        page.mouse.move(x + 3 * k, y + k)
        page.wait_for_timeout(16)
    page.mouse.up()


def _zoom(page: Any) -> None:
    box = page.get_by_test_id("map").bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    for k in range(20):
        page.mouse.wheel(0, -120 if k < 10 else 120)
        page.wait_for_timeout(60)
    page.wait_for_timeout(500)


def _hover(page: Any) -> None:
    box = page.locator("main svg").first.bounding_box()
    for k in range(60):
        page.mouse.move(box["x"] + 80 + k * 10 % box["width"], box["y"] + 40 + (k * 7) % max(60, box["height"] - 80))
        page.wait_for_timeout(16)


def _search(page: Any) -> None:
    page.locator("main input").first.click()
    for letter in ("1", "0", "Backspace", "2", "Backspace", "Backspace"):
        page.keyboard.press(letter)
        page.wait_for_timeout(120)


_MOVES: list[tuple[str, str, Callable[[Any], None]]] = [
    ("moving the map", "Job", _drag),
    ("zooming the map", "Job", _zoom),
    ("hovering over the day", "Day", _hover),
    ("searching packs", "Packs", _search),
]
