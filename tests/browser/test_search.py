"""A search as its manager does it: from a last known point to the first launch, a report that moves the map, a find."""

import os
import re
import time
from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import Site, no_sideways_scroll, window


@pytest.fixture
def ready(crew):
    """Packs are full, and the company has a table of distances."""
    from django_scopes import scope

    from quarry.apps.fleet.models import Pack
    from quarry.apps.search.services import keep_kind

    with scope(organisation=crew["organisation"]):
        Pack.objects.update(charge_frac=1.0)
        keep_kind(actor=crew["lead"], name="walker", within=[(0.25, 300.0), (0.5, 700.0), (0.95, 2500.0)])
    return crew


def pictured(page, name):
    folder = os.environ.get("QUARRY_PICTURES")
    if folder:
        page.screenshot(path=str(Path(folder) / f"search-{name}.png"))


def begun(site):
    page = site.page
    site.sign_in("lena")
    site.go("/searches")
    page.get_by_label("Last known point").fill("46 12.12 N 7 06.18 E")
    page.get_by_label("Name", exact=True).fill("Fell above the dam")
    page.get_by_label("Kind of person").select_option(label="walker")
    page.get_by_label("Radius").fill("500")
    page.get_by_role("button", name="Begin search").click()
    page.wait_for_url(re.compile(r"/searches/[0-9a-f-]{36}"))
    page.get_by_role("heading", name="Fell above the dam").wait_for()


def test_from_the_last_known_point_to_the_first_launch(site, ready):
    page = site.page
    start = time.monotonic()
    begun(site)
    first = page.get_by_role("listitem").filter(has_text="expanding square")
    first.get_by_text("POD").wait_for()
    pictured(page, "first")
    first.get_by_role("button", name="Begin with it").click()
    page.wait_for_url(re.compile(r"/live/"))
    page.get_by_text(re.compile("load test|Load test|launch|Launch|take off", re.I)).first.wait_for()
    assert time.monotonic() - start < 60, "a search is in the air's hands in under a minute"
    pictured(page, "live")


def test_segments_are_laid_searched_and_found(site, ready):
    page = site.page
    begun(site)
    page.get_by_label("Net, m").fill("250")
    page.get_by_role("button", name="Lay net").click()
    expect(page.get_by_test_id("next")).to_contain_text("Next: segment", timeout=20_000)
    said = page.get_by_test_id("next").inner_text()
    pictured(page, "next")
    site.axe()
    page.get_by_role("button", name="Segment searched").click()
    name = re.search(r"segment (\S+) at", said).group(1)
    form = page.locator("form")
    form.get_by_label("Segment").select_option(label=name)
    form.get_by_label("By whom").fill("Team 1")
    form.get_by_label("POD", exact=True).last.fill("80")
    form.get_by_role("button", name="Record report").click()
    page.get_by_text(f"Segment {name} searched by Team 1").wait_for()
    expect(page.get_by_test_id("next")).not_to_contain_text(f"segment {name} at", timeout=20_000)
    page.get_by_role("button", name="Take back").click()
    expect(page.get_by_test_id("next")).to_contain_text(f"segment {name} at", timeout=20_000)
    page.get_by_role("button", name="Found").click()
    form.get_by_label("Where, in any notation").fill("nowhere at all")
    form.get_by_role("button", name="Record find").click()
    expect(form.get_by_role("alert")).to_contain_text("no place that can be read")
    site.refused()
    form.get_by_label("Where, in any notation").fill("46.2021, 7.1032")
    form.get_by_role("button", name="Record find").click()
    page.get_by_text("Found: call all home.").wait_for()
    page.get_by_text("32T").wait_for()
    pictured(page, "found")
    site.axe()


def test_a_search_fits_a_phone(chromium, server, ready):
    context = window(chromium, viewport={"width": 390, "height": 844})
    site = Site(context.new_page(), server)
    begun(site)
    no_sideways_scroll(site.page)
    pictured(site.page, "phone")
    site.axe()
    site.settle()
    context.close()
    assert not site.faults
