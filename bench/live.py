"""A running day: 200 open screens on one pair of server processes, replanning by the number of packs, first useful paint."""

from __future__ import annotations

import asyncio
import json
import shutil
import statistics
import time
import uuid
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime

from bench.clock import ms, seconds, show
from bench.house import House, house
from bench.speed import rotation_day
from quarry.core.day.events import Event
from quarry.core.day.replan import replan
from quarry.core.day.state import Frame, fold
from quarry.core.rotation.dispatch import dispatch, earliest_ready

SCREENS, NOTICES = 200, 20
SLOWER = 4


def table() -> None:
    """Print all three tables."""
    replanning()
    with house(workers=2) as made:
        begun = {"speed": 1, "by_hand": True, "seed": 1, "faults": []}
        day = json.loads(made.ask("GET", "/api/days"))["items"][0]["id"]
        run = json.loads(made.ask("POST", f"/api/days/{day}/rehearsals", begun))["id"]
        asyncio.run(_screens(made, run))
        _paint(made, run)


def replanning() -> None:
    """Print how long a new plan from the middle takes, against one play of the plain rule of what is left."""
    rows = []
    for count in (4, 9, 20, 40):
        task = rotation_day(2 * count, sets=count)
        plan = dispatch(task)
        members = {s.id: tuple(f"{s.id}-{k}" for k in range(s.packs)) for s in task.sets}
        frame = Frame(task, members, {f.flight: f.set for f in plan.flights})
        first = plan.flights[0]
        events = [
            Event("1", "launched", first.takeoff_s, "", {"flight": first.flight, "set": first.set}),
            Event("2", "landed", first.landing_s, "", {"flight": first.flight, "left_frac": 0.3}),
        ]
        state, now = fold(frame, events), first.landing_s + 60.0
        had = replan(frame, state, plan, now)
        follow = seconds(lambda f=frame, s=state, p=plan, n=now: replan(f, s, p, n, anew=False))
        anew = seconds(lambda f=frame, s=state, p=plan, n=now: replan(f, s, p, n))
        bare = seconds(lambda t=had.task: earliest_ready(replace(t)))
        rows.append((f"{count} packs, {2 * count} sorties", ms(bare), ms(follow), ms(anew), f"{anew / bare:.0f} ×"))
    show("Replanning from the middle of a day", ("day", "plain rule once", "times moved", "order anew", "ratio"), rows)


async def _stream(port: int, path: str, cookie: str, heard: list[float], ready: asyncio.Event) -> None:
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    try:
        writer.write(f"GET {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: {cookie}\r\n\r\n".encode())
        async for line in reader:
            if line.startswith(b"retry"):
                ready.set()
            elif line.startswith(b"event: day"):
                heard.append(time.perf_counter())
    finally:
        writer.close()


async def _ask(port: int, path: str, cookie: str) -> float:
    began = time.perf_counter()
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    writer.write(f"GET {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\nCookie: {cookie}\r\n\r\n".encode())
    answer = await reader.read()
    writer.close()
    if b" 200 " not in answer[:20]:
        raise SystemExit(f"{path}: {answer[:200]!r}")
    return time.perf_counter() - began


async def _screens(made: House, day: str) -> None:
    path, live = "/api/stream", f"/api/days/{day}/live"
    empty = made.memory_mb()
    heard: list[list[float]] = [[] for _ in range(SCREENS)]
    ready = [asyncio.Event() for _ in range(SCREENS)]
    open_at = time.perf_counter()
    tasks = [asyncio.create_task(_stream(made.port, path, made.cookie(), h, r)) for h, r in zip(heard, ready, strict=True)]
    await asyncio.gather(*(r.wait() for r in ready))
    opened = time.perf_counter() - open_at
    await asyncio.sleep(1.5)
    for h in heard:
        h.clear()
    late: list[float] = []
    posted: list[float] = []
    for _ in range(NOTICES):
        now = datetime.now(UTC).isoformat()
        event = {"key": uuid.uuid4().hex, "kind": "note", "at": now, "figures": {"words": "bench"}}
        began = time.perf_counter()
        body = {"device_now": now, "events": [event]}
        await asyncio.to_thread(made.ask, "POST", f"/api/days/{day}/events", body)
        posted.append(time.perf_counter() - began)
        await asyncio.sleep(0.4)
        late += [h[-1] - began for h in heard if h]
        if any(not h for h in heard):
            raise SystemExit("a screen was not told")
        for h in heard:
            h.clear()
    one = [await _ask(made.port, live, made.cookie()) for _ in range(10)]
    began = time.perf_counter()
    asked = await asyncio.gather(*(_ask(made.port, live, made.cookie()) for _ in range(SCREENS)))
    storm = time.perf_counter() - began
    full = made.memory_mb()
    for t in tasks:
        t.cancel()
    await asyncio.gather(*tasks, return_exceptions=True)
    late.sort()
    rows = [
        ("memory without a screen", f"{empty:.0f} MB"),
        (f"memory with {SCREENS} screens", f"{full:.0f} MB"),
        (f"opening {SCREENS} streams", ms(opened)),
        ("a tap taken and planned", ms(statistics.median(posted))),
        ("from the tap to a screen's notice, median", ms(statistics.median(late))),
        ("… 99 of 100", ms(late[int(0.99 * len(late))])),
        ("… the last", ms(late[-1])),
        ("the day asked for by one screen", ms(statistics.median(one))),
        (f"by all {SCREENS} at once: the median screen", ms(statistics.median(asked))),
        ("… the last screen", ms(storm)),
    ]
    show(f"Live: {SCREENS} open screens on two server processes", ("", ""), rows)


def _paint(made: House, day: str) -> None:
    """Print when the next call can be read on a device whose processor is four times slower, and what it loads."""
    from playwright.sync_api import sync_playwright

    path = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    if path is None:
        print("\nChromium is missing: first paint is not measured.")
        return
    rows: list[Sequence[str]] = []
    address = f"http://127.0.0.1:{made.port}"
    with sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=path, args=["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"])
        context = browser.new_context(viewport={"width": 820, "height": 1180})
        context.add_cookies([{"name": k, "value": v, "url": address} for k, v in made.cookies.items()])
        for name in ("first visit", "again: the page is kept on the device", "without a link"):
            page = context.new_page()
            tools = context.new_cdp_session(page)
            tools.send("Network.enable")
            tools.send("Emulation.setCPUThrottlingRate", {"rate": SLOWER})
            loaded = [0.0]
            tools.on("Network.loadingFinished", lambda e, n=loaded: n.__setitem__(0, n[0] + e["encodedDataLength"]))
            if name == "without a link":
                context.set_offline(True)
            began = time.perf_counter()
            page.goto(f"{address}/days/{day}/live", wait_until="commit")
            page.get_by_test_id("answer").wait_for(timeout=60_000)
            rows.append((name, ms(time.perf_counter() - began), f"{loaded[0]:,.0f}"))
            if name == "first visit":
                page.wait_for_function("navigator.serviceWorker.controller !== null", timeout=60_000)
                page.wait_for_timeout(2000)
            page.close()
        browser.close()
    show(f"Live: the next call can be read, processor {SLOWER} times slower", ("visit", "after", "bytes from the net"), rows)
