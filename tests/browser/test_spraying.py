"""A contractor's order: product and store, mix sheet, a day on which the wind turns, and the record that is asked for."""

import csv
import os
import re
from datetime import timedelta

import pytest
from django.utils import timezone
from playwright.sync_api import expect

from quarry.apps.day.queries import live_of, moments_of
from quarry.apps.day.services import start_run
from quarry.apps.spraying.models import SprayRecord
from tests.browser.conftest import STILL_MS, insist, no_sideways_scroll
from tests.factories import FIELD, make_job, make_today, plain, post_events

pytestmark = pytest.mark.browser
WORK = {"height_m": 3.0, "swath_m": 6.0, "rate_l_ha": 20.0, "tank_l": 300.0, "nozzle_size": "03", "nozzles_count": 4}


def picture(page, name):
    """Keep a picture where somebody who looks at the test wants one."""
    folder = os.environ.get("QUARRY_PICTURES")
    if folder:
        page.screenshot(path=f"{folder}/{name}.png")


def stream_beside(ring):
    north = max(p[1] for p in ring) + 0.0001
    return {"ring": [[7.099, north], [7.108, north]], "name": "stream", "distance_m": 40.0}


def test_from_order_to_record_with_the_wind_turning(site, crew):
    """Product, batch, mix, sheet; start, stop, go on; landings with litres; what lacks is asked; closed, corrected, handed in."""
    lead, fleet, page = crew["lead"], crew["fleet"], site.page
    wind = {"speed_m_s": 3.0, "from_deg": 0.0, "assumed": False, "origin": "entered"}
    job = make_job(
        lead, fleet, name="Hop rows", kind="spraying", work=WORK, site={"sensitive": [stream_beside(FIELD)]}, wind=wind
    )

    site.sign_in("lena")
    site.go("/fleet?of=products&new")
    form = page.get_by_role("dialog")
    form.get_by_label("Name or number").fill("Aldra 250")
    form.get_by_label("Registration number").fill("NC 7-114")
    form.get_by_label(re.compile("^Rate")).fill("0,6")
    form.get_by_label("Protective clothing").fill("gloves, visor")
    form.get_by_role("button", name=re.compile("^(Save|Add)")).click()
    expect(page.get_by_test_id("fleet")).to_contain_text("Aldra 250")

    site.go("/store")
    page.get_by_role("button", name="Add a batch").first.click()
    form = page.get_by_role("dialog")
    form.get_by_label("Batch number").fill("L-77")
    form.get_by_label("Received").fill("20")
    form.get_by_role("button", name="Add batch").click()
    expect(page.get_by_test_id("store")).to_contain_text("20.00 L")
    site.axe()

    site.go(f"/jobs/{job.pk}")
    page.get_by_role("button", name="Crop and mix").click()
    mix = page.get_by_test_id("mix")
    mix.get_by_label("Crop").fill("Hops")
    mix.get_by_label("Crop").press("Tab")
    mix.get_by_label("Add a product").select_option(label="Aldra 250")
    expect(mix.get_by_test_id("mix-sum")).to_contain_text("Aldra 250")
    picture(page, "mix")
    site.axe()
    mix.get_by_role("link", name="Mix sheet").click()
    expect(page.get_by_test_id("load").first).to_contain_text("Aldra 250")
    expect(page.get_by_text("gloves, visor")).to_be_visible()
    picture(page, "mix-sheet")
    site.axe()

    day = make_today(lead, fleet, [job], ago_min=60)
    run = start_run(actor=lead, day_id=day.pk)
    opens = moments_of(day)[0]
    planned = run.frame["plan"]["flights"]

    def tell(key, kind, minutes, **figures):
        event = {"key": key, "kind": kind, "at": opens + timedelta(minutes=minutes), "figures": figures}
        post_events(actor=lead, day_id=day.pk, device="t", device_now=timezone.now(), events=[event])

    first, *later = planned
    tell("u0", "launched", 55, flight=first["flight"], set=first["set"])
    page.set_viewport_size({"width": 820, "height": 1180})
    site.go(f"/days/{day.pk}/live")
    asked = page.get_by_test_id("weather-measured")
    expect(page.get_by_test_id("weather-due")).to_contain_text(f"{job.letter} at the start")

    def measure(from_deg):
        for label, value in (("Wind, m/s", "3"), ("From, °", from_deg), ("Temperature, °C", "18"), ("Humidity, %", "60")):
            asked.get_by_label(label, exact=True).fill(value)
        page.wait_for_timeout(STILL_MS)
        asked.get_by_role("button", name="Record").click()
        expect(asked).to_contain_text(f"from {from_deg}°")

    measure("10")
    expect(page.get_by_test_id("weather-due")).to_have_count(0)
    measure("185")
    stop = page.get_by_text(f"Stop {first['flight']}: wind towards stream")
    expect(stop).to_have_count(1)
    picture(page, "live-stop")
    measure("5")
    expect(stop).to_have_count(0)
    site.axe()
    no_sideways_scroll(page)

    tell("d0", "landed", 59, flight=first["flight"], left_frac=0.5, work=34.5)
    for k, f in enumerate(later):
        tell(f"x{k}", "dropped", 59.5, flight=f["flight"])
    assert plain(live_of(day))["weather_due"][-1]["words"] == "at the end"

    site.go(f"/days/{day.pk}/live")
    lacks = page.get_by_test_id("day-lacks")
    insist(page, page.get_by_role("button", name="End day …"), lacks)
    expect(lacks).to_contain_text("Batch of Aldra 250: not entered.")
    expect(page.get_by_role("button", name="End day", exact=True)).to_be_disabled()
    picture(page, "end-day")
    site.axe()
    lacks.get_by_role("link", name=f"Open record {job.letter}").click()
    expect(page.get_by_test_id("lacks")).to_contain_text("Licence of the operator")
    page.set_viewport_size({"width": 1280, "height": 800})
    picture(page, "record-open")
    site.axe()
    for name, value in (
        ("Enter licence of the operator", "GQ 12-4"),
        ("Enter batch of Aldra 250", "L-77"),
    ):
        page.get_by_role("button", name=name).click()
        field = page.get_by_role("dialog").get_by_role("combobox")
        field.fill(value)
        page.get_by_role("dialog").get_by_role("button", name="Save").click()
        expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page.get_by_test_id("lacks")).to_contain_text("Nothing is missing.")

    site.go(f"/days/{day.pk}/live")
    end = page.get_by_role("button", name="End day", exact=True)
    insist(page, page.get_by_role("button", name="End day …"), end)
    end.click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    assert SprayRecord.objects.get().closed_at is not None

    site.go("/logbook/spraying")
    expect(page.get_by_test_id("spray-records")).to_contain_text("34.5 L")
    picture(page, "records")
    site.axe()
    page.get_by_text("Columns of the CSV").click()
    for words in ("lacks", "notes"):
        page.get_by_label(words, exact=True).uncheck()
    with page.expect_download() as download:
        page.get_by_role("button", name="CSV").click()
    head, row = list(csv.reader(download.value.path().read_text("utf-8-sig").splitlines()))
    told = dict(zip(head, row, strict=True))
    assert "notes" not in told
    assert (told["product"], told["batch"], told["litres"], told["crop"]) == ("Aldra 250", "L-77", "34.5", "Hops")
    page.get_by_test_id("spray-records").get_by_role("link", name="0001").click()
    page.get_by_role("button", name="Correct crop").click()
    page.get_by_role("dialog").get_by_label("Crop").fill("Hops, second cut")
    page.get_by_role("dialog").get_by_role("button", name="Save").click()
    expect(page.get_by_role("dialog").get_by_role("alert")).to_contain_text("Say why")
    site.refused()  # the refusal just asked for
    page.get_by_role("dialog").get_by_label("Why it is corrected").fill("misread")
    page.get_by_role("dialog").get_by_role("button", name="Save").click()
    expect(page.get_by_test_id("record-fields")).to_contain_text("Hops, second cut")
    row = page.get_by_test_id("record-entries").get_by_role("row").last
    expect(row).to_contain_text("misread")
    expect(row.get_by_role("cell").nth(1)).to_have_text("Hops")
    picture(page, "record-closed")
    site.go("/store")
    expect(page.get_by_test_id("store")).to_contain_text("18.96 L")
    page.set_viewport_size({"width": 390, "height": 844})
    for path in ("/store", "/logbook/spraying", f"/days/{day.pk}/spray/{job.pk}", f"/jobs/{job.pk}/mix"):
        site.go(path)
        no_sideways_scroll(page)
