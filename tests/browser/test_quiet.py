"""What a screen asks of the server when nobody touches it, and how many streams a browser holds."""

import time

import pytest
from playwright.sync_api import expect

from quarry.apps.day import services
from quarry.apps.day.models import DayPlan
from quarry.apps.day.queries import plan_of
from quarry.project.pages import answers_for
from tests.browser.conftest import PATIENCE_MS, until
from tests.factories import make_day, make_job, make_today

pytestmark = pytest.mark.browser
IDLE_S = 10
OPENED_S = 2.5  # a screen that asked nothing for so long has opened; one that asks for ever never has
MOST = 2  # requests in that time: a clock that is set right, never a loop
TABS = 8  # a browser holds six links to one server


def rows(crew):
    """A planned day, a running one, and the address of every screen."""
    job = make_job(crew["lead"], crew["fleet"])
    day = make_day(crew["lead"], crew["fleet"], [job])
    plan_of(day)
    today = make_today(crew["lead"], crew["fleet"], [job], ago_min=60)
    services.start_run(actor=crew["lead"], day_id=today.pk)
    # No worker runs here: nobody waits for a search.
    DayPlan.objects.update(state="best")
    pack = crew["fleet"]["01"].pk
    return today, [
        "/jobs",
        f"/jobs/{job.pk}",
        "/packs",
        f"/packs/{pack}",
        f"/packs/{pack}/test",
        f"/packs/charging?pack={pack}",
        "/packs/rest",
        "/days",
        f"/days/{day.pk}",
        f"/days/{today.pk}",
        f"/days/{today.pk}/live",
        f"/days/{today.pk}/live?large",
        f"/days/{day.pk}/rehearse",
        "/limits",
        "/preflight",
        "/logbook",
        "/logbook/claims",
        "/logbook/totals",
        "/logbook/compare",
        "/bench",
        "/fleet",
        "/policy",
        "/people",
        "/account",
        "/history",
        "/tokens",
        "/server",
    ]


def test_no_screen_asks_the_server_for_ever(site, crew, chromium):
    _, paths = rows(crew)
    site.sign_in("lena")
    asked: dict[str, list[float]] = {path: [] for path in paths}
    urls: dict[str, list[str]] = {path: [] for path in paths}

    def count(path):
        def seen(request):
            if "/api/" in request.url:
                asked[path].append(time.monotonic())
                urls[path].append(request.url.removeprefix(site.address))

        return seen

    pages = []
    for path in paths:
        page = site.page.context.new_page()
        page.on("request", count(path))
        page.goto(site.address + path)
        pages.append((path, page))
    ends = time.monotonic() + PATIENCE_MS / 1000
    while time.monotonic() < ends and any(at and at[-1] > time.monotonic() - OPENED_S for at in asked.values()):
        site.page.wait_for_timeout(200)
    assert all(asked.values())
    opened = time.monotonic()
    for path, page in pages:
        named = page.evaluate("[...document.querySelectorAll('link[rel=preload][as=fetch]')].map(l => l.getAttribute('href'))")
        assert "/api/me" in named
        assert named[1:] == list(answers_for(path.partition("?")[0]))
        if "/live" not in path:  # whose screen asks again when its stream opens
            assert [urls[path].count(a) for a in named] == [1] * len(named), (path, urls[path])
    site.page.wait_for_timeout(1000 * IDLE_S)
    for _, page in pages:
        page.close()
    idle = {path: sum(at >= opened for at in times) for path, times in asked.items()}
    assert {path: n for path, n in idle.items() if n > MOST} == {}


def test_eight_tabs_share_one_stream_all_hear_and_the_next_takes_over(site, crew):
    today, _ = rows(crew)
    site.sign_in("lena")
    streams = []
    site.page.context.on("request", lambda r: streams.append(r) if r.url.endswith("/api/stream") else None)
    tabs = [site.page, *(site.page.context.new_page() for _ in range(TABS - 1))]
    for tab in tabs:
        tab.goto(f"{site.address}/days/{today.pk}/live")
        tab.get_by_test_id("live").wait_for()
    assert len(streams) == 1
    tabs[-1].get_by_role("button", name="No power").click()
    for tab in tabs:
        expect(tab.get_by_role("button", name="Power is back")).to_be_visible()
    # The tab that listened is closed: another listens in its place.
    site.go("/jobs")
    site.page.get_by_role("link", name="Top field").wait_for()
    until(tabs[1], lambda: len(streams) == 2, "no other tab listens")
    tabs[-1].get_by_role("button", name="Power is back").click()
    for tab in tabs[1:]:
        expect(tab.get_by_role("button", name="No power")).to_be_visible()
        tab.close()


def test_a_screen_left_while_it_opens_keeps_no_stream(site, crew):
    today, _ = rows(crew)
    site.sign_in("lena")
    site.go("/jobs")
    site.page.get_by_role("link", name="Top field").wait_for()
    page = site.page
    open_streams = set()

    def ended(request):
        open_streams.discard(request)

    page.on("request", lambda r: open_streams.add(r) if r.url.endswith("/api/stream") else None)
    page.on("requestfailed", ended)
    page.on("requestfinished", ended)

    def slow(route):
        page.wait_for_timeout(700)
        route.continue_()

    page.route(f"**/api/days/{today.pk}/live", slow)
    page.evaluate(
        "path => { const a = document.createElement('a'); a.href = path; document.body.append(a); a.click(); }",
        f"/days/{today.pk}/live",
    )
    page.wait_for_timeout(100)
    page.get_by_role("link", name="Packs").first.click()
    page.wait_for_url("**/packs")
    page.wait_for_timeout(2_500)
    until(page, lambda: not open_streams, "a stream is kept")
