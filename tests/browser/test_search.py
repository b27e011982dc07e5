"""A search as its manager does it: from a last known point to the first launch, a report that moves the map, a find."""

import os
import re
from datetime import UTC, datetime
from pathlib import Path

import pytest
from playwright.sync_api import expect

from quarry.apps.accounts.models import Organisation
from tests.browser.conftest import Site, insist, no_sideways_scroll, tap, tell_until, until, window
from tests.factories import person
from tests.flown import jpeg


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


@pytest.fixture
def forenoon():
    """Return the longitude at which it is about ten by the sun: eyes see there, at whatever hour the tests run."""
    now = datetime.now(UTC)
    lon_deg = (10 * 60 - now.hour * 60 - now.minute) / 4
    return (lon_deg + 180.0) % 360.0 - 180.0 if abs(abs(lon_deg) - 180.0) > 1.0 else 178.0


def pictured(page, name):
    folder = os.environ.get("QUARRY_PICTURES")
    if folder:
        page.screenshot(path=str(Path(folder) / f"search-{name}.png"))


def begun(site, lon_deg, late=()):
    page = site.page
    site.sign_in("lena")
    site.go("/searches")
    page.get_by_label("Last known point").fill(f"46.202, {lon_deg:.4f}")
    page.get_by_label("Name", exact=True).fill("Fell above the dam")
    page.get_by_label("Kind of person").select_option(label="walker")
    page.get_by_label("Radius").fill("500")
    page.get_by_role("button", name="Begin search").click()
    if late:
        page.wait_for_timeout(1000)
        late[0].continue_()
    page.wait_for_url(re.compile(r"/searches/[0-9a-f-]{36}"))
    page.get_by_role("heading", name="Fell above the dam").wait_for()


def tab(page, words):
    page.get_by_role("tab", name=words, exact=True).click()


def test_from_the_last_known_point_to_the_first_launch_and_a_find_calls_all_home(site, ready, forenoon):
    page = site.page
    late = []

    def wait(route):
        late.append(route)

    # Who is quicker than the list of aircraft begins with the first of them all the same.
    page.route("**/api/fleet", wait, times=1)
    begun(site, forenoon, late)
    first = page.get_by_test_id("first-launch")
    expect(first).to_contain_text(re.compile(r"\d\d:\d\d"))
    page.get_by_role("button", name=re.compile("^expanding square")).click()
    pictured(page, "first")
    site.axe()
    page.get_by_role("button", name="Begin: expanding square").click()
    page.wait_for_url(re.compile(r"/days/.*/live"))
    call = page.get_by_test_id("call")
    expect(call).to_contain_text("Load-test", timeout=20_000)
    pictured(page, "live")
    answered = re.compile("It is checked|It is in|It is up|It is good|It is warming|It is on|It is off")
    insist(page, page.get_by_role("button", name=answered).first, page.get_by_role("button", name="Coming home"))
    alert = page.get_by_test_id("alerts").get_by_text("Found: call home")
    insist(page, page.get_by_role("button", name="Found: call all home"), alert)
    expect(call).to_contain_text("home", timeout=20_000)
    pictured(page, "live-found")
    site.axe()
    insist(page, page.get_by_role("button", name="It comes home"), call.get_by_text("Land"))
    page.wait_for_timeout(900)
    page.get_by_role("link", name="report the find in its search").click()
    page.wait_for_url(re.compile(r"/searches/[0-9a-f-]{36}"))
    expect(page.get_by_test_id("found")).to_contain_text("says Live")


def flown(page, search):
    """Fly the sortie that is called next to its landing, and report what it covered."""
    tell_until(page, ["It is up"])
    landing = page.get_by_test_id("landing")
    tell_until(page, ["It is down"], shows=landing)
    landing.get_by_role("textbox", name="Charge left").fill("45")
    tap(page, landing.get_by_role("button", name="It is down"))
    expect(landing).to_have_count(0)
    page.goto(search)
    tab(page, "Reports")
    page.get_by_role("button", name="Report as flown").first.click()
    page.get_by_text("reported", exact=True).first.wait_for()


def test_a_whole_search_from_the_point_to_another_company(chromium, site, ready, tmp_path, forenoon):
    page = site.page
    begun(site, forenoon)
    search = page.url
    tab(page, "Where")
    page.get_by_label("Net, side").fill("250")
    page.get_by_role("button", name="Lay net").click()
    page.get_by_text(re.compile(r"\d+ segments")).wait_for()
    tab(page, "Next")
    page.get_by_role("button", name=re.compile("^expanding square")).click()
    page.get_by_role("button", name="Begin: expanding square").click()
    page.wait_for_url(re.compile(r"/days/.*/live"))
    live = page.url
    flown(page, search)
    looked = page.get_by_text(re.compile("Segment .* searched"))
    first = looked.count()
    assert first > 0, "reported for each segment that it flew over"
    tab(page, "Next")
    before = page.get_by_test_id("next").inner_text()
    page.get_by_role("button", name="Give out").first.click()
    page.get_by_text("joined the day").wait_for()
    page.goto(live)
    flown(page, search)
    until(page, lambda: looked.count() > first, "the second sortie was not reported")
    both = looked.count()
    tab(page, "Next")
    expect(page.get_by_test_id("next")).not_to_have_text(before)
    tab(page, "Reports")
    page.get_by_role("button", name="Found").click()
    form = page.locator("form")
    form.get_by_label("Where, in any notation").fill(f"46.2021, {forenoon:.4f}")
    form.get_by_label("Take or choose a photo").set_input_files(
        {"name": "find.jpg", "mimeType": "image/jpeg", "buffer": jpeg(forenoon, 46.2021, 0.0)}
    )
    form.get_by_role("img", name="Taken for this record").wait_for()
    pictured(page, "find-photo")
    site.axe()
    form.get_by_role("button", name="Record find").click()
    expect(page.get_by_test_id("found")).to_contain_text("All aircraft are called home in Live.")
    with page.expect_download() as got:
        page.get_by_role("link", name="GeoJSON").click()
    got.value.save_as(tmp_path / "handover.geojson")

    person(Organisation.objects.create(name="South Crew"), "sven", "lead")
    other = Site(window(chromium).new_page(), site.address)
    other.sign_in("sven")
    other.go("/searches")
    page = other.page
    page.get_by_label("Handover file").set_input_files(tmp_path / "handover.geojson")
    page.get_by_role("link", name="The search was imported").click()
    expect(page.get_by_test_id("found")).to_contain_text("Lena, North Crew")
    tab(page, "Reports")
    assert page.get_by_text(re.compile("Segment .* searched")).count() == both
    photo = page.get_by_role("img", name="Photo: find")
    until(page, lambda: photo.evaluate("i => i.naturalWidth") > 0, "the photo is not shown")
    pictured(page, "taken-over")
    page.get_by_role("button", name="End search").click()
    page.get_by_role("button", name="Delete what is known of the person").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete").click()
    expect(photo).to_have_count(0)
    tab(page, "Where")
    page.get_by_text("Photos no longer here: 1").wait_for()
    other.settle()
    page.context.close()
    assert not other.faults


def test_segments_are_laid_searched_and_found_and_handed_over(site, ready, tmp_path, forenoon):
    page = site.page
    begun(site, forenoon)
    tab(page, "Where")
    page.get_by_label("Net, side").fill("250")
    page.get_by_role("button", name="Lay net").click()
    page.get_by_text(re.compile(r"\d+ segments")).wait_for()
    pictured(page, "where")
    site.axe()
    tab(page, "Who")
    page.get_by_role("button", name="Add dog").click()
    page.get_by_role("region", name="Dog 1").wait_for()
    pictured(page, "who")
    site.axe()
    page.get_by_role("button", name="Remove").click()
    tab(page, "Next")
    expect(page.get_by_test_id("next")).to_contain_text("Next: segment", timeout=20_000)
    said = page.get_by_test_id("next").inner_text()
    pictured(page, "next")
    site.axe()
    name = re.search(r"segment (\S+) at", said).group(1)
    tab(page, "Reports")
    page.get_by_role("button", name="Segment searched").click()
    form = page.locator("form")
    form.get_by_label("Segment").select_option(label=name)
    form.get_by_label("By whom").fill("Team 1")
    form.get_by_label("POD", exact=True).last.fill("80")
    form.get_by_role("button", name="Record report").click()
    page.get_by_text(f"Segment {name} searched by Team 1").wait_for()
    tab(page, "Next")
    expect(page.get_by_test_id("next")).not_to_contain_text(f"segment {name} at", timeout=20_000)
    tab(page, "Reports")
    page.get_by_role("button", name="Take back").click()
    tab(page, "Next")
    expect(page.get_by_test_id("next")).to_contain_text(f"segment {name} at", timeout=20_000)
    tab(page, "Reports")
    page.get_by_role("button", name="Found").click()
    form.get_by_label("Where, in any notation").fill("nowhere at all")
    form.get_by_role("button", name="Record find").click()
    expect(form.get_by_role("alert")).to_contain_text("no place that can be read")
    site.refused()
    form.get_by_label("Where, in any notation").fill(f"46.2021, {forenoon:.4f}")
    form.get_by_role("button", name="Record find").click()
    expect(page.get_by_test_id("found")).to_contain_text("Call all home.")
    page.get_by_text(re.compile(r"\d{1,2}T [A-Z]{2} \d+")).first.wait_for()
    pictured(page, "found")
    site.axe()
    with page.expect_download() as got:
        page.get_by_role("link", name="GeoJSON").click()
    file = tmp_path / "handover.geojson"
    got.value.save_as(file)
    site.go("/searches")
    page.get_by_label("Handover file").set_input_files(file)
    page.get_by_role("link", name="The search was imported").click()
    expect(page.get_by_test_id("found")).to_contain_text("Lena, North Crew")
    tab(page, "Reports")
    page.get_by_text(f"Segment {name} searched by Team 1").wait_for()
    tab(page, "Where")
    page.get_by_role("table", name="Shares by each way of estimating").wait_for()


def test_tables_and_trials_are_kept_and_put_away(site, ready):
    page = site.page
    site.sign_in("lena")
    site.go("/searches/kinds")
    page.get_by_role("button", name="Add a kind of person").click()
    form = page.locator("form")
    form.get_by_label("Name").fill("forester")
    form.get_by_label("Share %").fill("25 600\n50 300")
    form.get_by_role("button", name="Save").click()
    expect(form.get_by_role("alert")).to_be_visible()
    site.refused()
    form.get_by_label("Share %").fill("25 300\n50 600\n95 2400")
    form.get_by_role("button", name="Save").click()
    page.get_by_text("50 % within 600 m").wait_for()
    page.get_by_role("button", name="Record a trial").click()
    passes = [(d, d < 30 or (d < 45 and d % 2 == 0)) for d in range(2, 80, 3)]
    form.get_by_label("Metres to the side").fill("\n".join(f"{d} {'yes' if seen else 'no'}" for d, seen in passes))
    form.get_by_role("button", name="Save trial").click()
    page.get_by_text(re.compile(r"eye on the screen over open: \d+ m")).wait_for()
    pictured(page, "kinds")
    site.axe()


def test_a_search_fits_a_phone(chromium, server, ready, forenoon):
    context = window(chromium, viewport={"width": 390, "height": 844})
    site = Site(context.new_page(), server)
    begun(site, forenoon)
    no_sideways_scroll(site.page)
    pictured(site.page, "phone")
    site.axe()
    site.settle()
    context.close()
    assert not site.faults
