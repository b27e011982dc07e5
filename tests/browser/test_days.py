"""A lead plans two aircraft with three packs and two ports: fixes a pack, sees the cost, what holds the day back, takes it out."""

import csv
import io
import re

import pytest
from icalendar import Calendar
from playwright.sync_api import expect
from procrastinate import testing
from procrastinate.contrib.django import app as tasks_app
from pypdf import PdfReader

from quarry.apps.day.models import DayPlan
from quarry.apps.day.tasks import better_day_plan
from tests.factories import make_day, make_job

pytestmark = pytest.mark.browser


@pytest.fixture
def day(crew):
    """Two jobs on two aircraft, three packs for both, two ports."""
    fleet, lead = crew["fleet"], crew["lead"]
    jobs = [make_job(lead, fleet), make_job(lead, fleet, name="Second")]
    packs = [{"pack_id": fleet[f"0{k}"].pk, "start_frac": 1.0 if k == 1 else 0.5} for k in (1, 2, 3)]
    flown = [{"job_id": j.pk, "aircraft_id": fleet[a].pk} for j, a in zip(jobs, ("A1", "A2"), strict=True)]
    return make_day(lead, fleet, [], jobs=flown, packs=packs, time_zone="UTC")


def searched():
    """Do what the worker does with the newest plan."""
    row = DayPlan.objects.order_by("-number").first()
    DayPlan.objects.filter(pk=row.pk).update(state="queued")
    with tasks_app.replace_connector(testing.InMemoryConnector()):
        better_day_plan(row.pk, 5.0)
    return DayPlan.objects.get(pk=row.pk)


def taken(page, label):
    """Click a way out and return what came."""
    with page.expect_download() as waiting:
        page.get_by_role("link", name=label, exact=True).click()
    return waiting.value.path().read_bytes()


def test_a_lead_plans_a_day_and_takes_it_along(site, crew, day):
    page = site.page
    site.sign_in("lena")
    site.go(f"/days/{day.pk}")
    page.get_by_test_id("finish").wait_for()
    row = searched()
    page.reload()
    expect(page.get_by_test_id("search-state")).to_have_text(re.compile("proven|best found"))

    levers = page.get_by_test_id("levers")
    expect(levers.get_by_role("listitem").first).to_be_visible()
    assert any(x["by"] > 0 and (x["saves_s"] or 0) > 60 for x in row.plan["levers"]), (
        "three packs for two aircraft hold a day back"
    )
    page.get_by_role("button", name="one less").click()
    expect(levers).to_contain_text("less")
    page.get_by_text("Packs × ports").click()
    expect(page.get_by_test_id("grid").locator("td.bg-ink")).to_have_count(1)
    page.get_by_role("button", name=re.compile("nine days in ten end by.*Show the working")).click()
    page.locator("[data-working]").get_by_text("spread of all flights of one day together").wait_for()
    page.keyboard.press("Escape")
    site.axe()

    before = page.get_by_test_id("finish").inner_text()
    flight = next(f for f in row.plan["flights"] if f["set"] != "03")
    target = page.locator("svg text.number", has_text="03").first.bounding_box()
    box = page.locator(f'[data-flight="{flight["flight"]}"]').bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 8, target["y"] + 20, steps=4)
    page.mouse.move(box["x"] + box["width"] / 2 + 8, target["y"] + target["height"] / 2, steps=4)
    page.mouse.up()
    fixed = page.get_by_test_id("fixed")
    expect(fixed).to_contain_text(f"{flight['flight']} flies on 03")
    expect(page.get_by_test_id("pins-cost")).to_have_text(re.compile("costs"))
    expect(page.get_by_test_id("why")).to_contain_text(f"fixed: {flight['flight']} flies on 03")
    page.get_by_role("button", name="Undo").click()
    expect(fixed).to_contain_text("Nothing.")
    expect(page.get_by_test_id("finish")).to_have_text(before)

    plan = DayPlan.objects.order_by("-number").first()
    assert len(PdfReader(io.BytesIO(taken(page, "Day sheet"))).pages) == 1
    events = list(Calendar.from_ical(taken(page, "Calendar")).walk("VEVENT"))
    assert len(events) > len(plan.plan["calls"])
    rows = list(csv.DictReader(io.StringIO(taken(page, "CSV").decode("utf-8-sig"))))
    assert {r["what"] for r in rows} == {"flight", "charge", "call"}


def test_a_day_is_worked_by_keys_beside_others_of_its_week(site, crew, day):
    page = site.page
    site.sign_in("lena")
    site.go(f"/days/{day.pk}")
    page.get_by_test_id("finish").wait_for()
    page.keyboard.press("w")
    expect(page.get_by_test_id("week").get_by_role("link")).to_have_count(1)
    page.keyboard.press("k")
    page.get_by_test_id("packing").get_by_text("pack 01").wait_for()
    page.keyboard.press("v")
    expect(page.get_by_test_id("versions").get_by_role("row")).to_have_count(2)
    first = page.locator("[data-flight]").first
    first.focus()
    page.keyboard.press(">")
    expect(page.get_by_test_id("fixed")).to_contain_text("not before")
    expect(page.get_by_test_id("versions").get_by_role("row")).to_have_count(3)
    page.get_by_test_id("versions").get_by_role("button", name="Side by side").click()
    expect(page.get_by_test_id("compare").get_by_role("row", name=re.compile("last landing"))).to_be_visible()
    site.axe()


def test_what_cannot_be_planned_is_said_where_it_was_fixed(site, crew, day):
    page = site.page
    site.sign_in("lena")
    site.go(f"/days/{day.pk}")
    page.get_by_test_id("finish").wait_for()
    fixed = page.get_by_test_id("fixed")
    fixed.get_by_label("fix").select_option("takeoff")
    fixed.get_by_label("at", exact=True).fill("17:58")
    fixed.get_by_role("button", name="Lock").click()
    expect(page.get_by_test_id("day-problem")).to_contain_text("Without it the day can be planned")
    expect(fixed.get_by_role("alert")).to_contain_text("not before 17:58")
    fixed.get_by_role("button", name=re.compile("^Free:")).click()
    page.get_by_test_id("finish").wait_for()
    page.get_by_role("button", name="Day settings").click()
    page.get_by_label("Where packs lie and charge").fill("-6")
    page.get_by_label("Where packs lie and charge").press("Enter")
    expect(page.get_by_text("a frozen cell is harmed for good").first).to_be_visible()
    expect(page.get_by_label("Where packs lie and charge")).to_have_value(re.compile("6"))
