"""Packs and what is done to packs, by mouse, by glove and by keyboard alone."""

import re

import pytest
from playwright.sync_api import expect

from quarry.apps.accounts.models import User
from quarry.apps.care.models import Charging, PackRecord
from quarry.apps.care.services import add_record
from quarry.apps.fleet.models import Pack
from tests.browser.conftest import until
from tests.factories import make_day, make_job, person

pytestmark = pytest.mark.browser


@pytest.fixture
def handler(crew):
    return person(crew["organisation"], "hanna", "handler")


def row(page, name):
    return page.get_by_test_id("shelf").get_by_role("row").filter(has=page.get_by_role("link", name=name, exact=True))


def test_a_failing_load_test_grounds_the_pack_takes_it_out_of_planning_and_onto_the_care_list(site, crew, handler):
    day = make_day(crew["lead"], crew["fleet"], [make_job(crew["lead"], crew["fleet"])])
    pack = crew["fleet"]["02"]
    page = site.page
    site.sign_in("hanna")
    site.go(f"/days/{day.pk}")
    page.get_by_test_id("finish").wait_for()
    bed = page.get_by_role("img", name=re.compile(r"\b02\b"))
    site.go("/packs")
    row(page, "02").get_by_role("link").click()
    page.get_by_role("link", name="Load test").click()
    for key in "396395397":
        page.get_by_role("button", name=key, exact=True).click()
    page.keyboard.type("344396397")
    verdict = page.get_by_test_id("verdict")
    expect(verdict).to_contain_text("not judged")  # nobody has noted yet whether it was full
    page.get_by_label("charge at the start more").click()
    page.get_by_label("pack temperature more").click()
    expect(verdict).to_contain_text("Cell 4 fell to 3.44 V: land now, do not fly this pack again.")
    site.axe()
    page.get_by_role("button", name="Record").click()
    expect(page.get_by_test_id("kept")).to_contain_text("out of every plan, on the care list")
    page.get_by_role("link", name="All packs").click()
    expect(row(page, "02")).to_contain_text("grounded")
    expect(page.get_by_test_id("care").get_by_role("listitem").filter(has_text="take out of service")).to_contain_text("02")
    site.go(f"/days/{day.pk}")
    page.get_by_test_id("finish").wait_for()
    page.get_by_text("load test: cell 4 fell to 3.44 V").first.wait_for()
    assert bed.count() <= 1
    pack.refresh_from_db()
    assert pack.grounded
    # A handler cannot let it fly again; a lead can, and says why.
    site.go(f"/packs/{pack.pk}")
    page.get_by_test_id("rules").wait_for()
    assert not page.get_by_role("button", name="Release it").is_visible()


def test_a_wrong_entry_is_corrected_and_taken_back_never_erased(site, crew):
    pack = crew["fleet"]["03"]
    made = add_record(
        actor=crew["lead"],
        pack_id=pack.pk,
        kind="load test",
        figures={"cell_v": [3.4, 3.9, 3.9, 3.9, 3.9, 3.9], "start_frac": 0.98},
    )
    page = site.page
    site.sign_in("lena")
    site.go(f"/packs/{pack.pk}")
    page.get_by_text("Grounded", exact=True).first.wait_for()
    page.get_by_role("button", name="Correct", exact=True).first.click()
    form = page.get_by_role("dialog")
    form.get_by_label("Lowest volts of 6 cells").fill("3.94 3.9 3.9 3.9 3.9 9.9")
    form.get_by_role("button", name="Replace record").click()
    form.get_by_text(re.compile("Cell 6")).wait_for()
    site.refused()  # the browser notes the refusal
    assert form.get_by_label("Lowest volts of 6 cells").input_value().startswith("3.94")
    form.get_by_label("Lowest volts of 6 cells").fill("3.94 3.92 3.92 3.92 3.92 3.92")
    form.get_by_role("button", name="Replace record").click()
    page.get_by_text("In service", exact=True).first.wait_for()
    page.get_by_role("button", name="Undo").click()
    page.get_by_text("Grounded", exact=True).first.wait_for()
    page.get_by_role("button", name="Take back").first.click()
    expect(page.get_by_test_id("records").locator("tr.line-through")).to_have_count(2)
    assert PackRecord.objects.filter(pack=pack).count() == 4
    assert PackRecord.objects.get(key=made.key).figures["cell_v"][0] == 3.4


def test_rest_volts_of_the_shelf_by_keyboard_alone(site, crew, handler):
    page = site.page
    site.sign_in("hanna")
    site.go("/jobs")
    page.locator("main h1").first.wait_for()
    page.keyboard.press("1")
    page.get_by_test_id("shelf").wait_for()
    page.keyboard.press("v")
    page.get_by_label("Resting voltage of 01").focus()
    for text in ("385 385 384 385 385 386", "3.84 3.84 3.84 3.84 3.84", "", "22.9"):
        page.keyboard.type(text)
        page.keyboard.press("Enter")
    page.get_by_text("5 of 6 cells.").wait_for()
    expect(page.get_by_role("button", name="Keep 3 rows")).to_be_disabled()
    page.get_by_label("Resting voltage of 02").focus()
    page.keyboard.press("End")
    page.keyboard.type(" 3.84")
    page.get_by_label("Resting voltage of 04").focus()
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    page.get_by_text("Resting voltages of 3 packs recorded").wait_for()
    assert sorted(PackRecord.objects.filter(kind="rest volts").values_list("pack__name", flat=True)) == ["01", "02", "04"]


def test_the_care_list_is_done_with_one_key_and_taken_back_with_one(site, crew):
    page = site.page
    site.sign_in("lena")
    site.go("/packs")
    task = page.get_by_test_id("care").get_by_role("listitem").filter(has_text="recycle")
    task.wait_for()
    page.keyboard.press("d")
    task.wait_for(state="detached")
    page.get_by_text("09: recycle done").wait_for()
    assert PackRecord.objects.filter(kind="care").get().figures == {"task": "recycle"}
    page.get_by_role("button", name="Undo").click()
    task.wait_for()


def test_a_charge_is_put_on_step_by_step_and_taken_off(site, crew, handler):
    page = site.page
    site.sign_in("hanna")
    site.go("/packs/charging")
    page.get_by_label("Pack", exact=True).select_option(label="02, P6")
    page.get_by_label("Charger and port").select_option(label="Bench, port 2")
    page.get_by_text("6 cells, 25.2 V when full").wait_for()
    page.get_by_label("Rate").fill("9")
    page.get_by_label("Rate").press("Tab")
    page.get_by_text("give a value from 0.05 to 2 C").wait_for()
    site.refused()  # the browser notes the refusal
    page.get_by_label("Rate").fill("1")
    page.get_by_label("Rate").press("Tab")
    steps = page.get_by_test_id("steps").get_by_role("checkbox")
    expect(steps).to_have_count(10)
    for k in range(10):
        steps.nth(k).check()
    page.get_by_role("button", name="It charges").click()
    page.get_by_test_id("charging").wait_for()
    assert Charging.objects.get(ended_at=None).port == 2
    page.get_by_role("button", name="It is done").click()
    page.get_by_role("textbox", name="Put back").fill("4600")
    page.get_by_role("button", name="Off and kept").click()
    page.get_by_text("No pack is on charge.").wait_for()
    assert PackRecord.objects.get(kind="charge").figures["put_back_ah"] == 4.6


def test_a_table_goes_out_and_a_wrong_one_says_where(site, crew):
    page = site.page
    site.sign_in("lena")
    site.go("/packs")
    page.get_by_role("button", name="Tables").click()
    with page.expect_download() as got:
        page.get_by_role("link", name="packs.csv").click()
    text = got.value.path().read_text(encoding="utf-8")
    assert text.splitlines()[0].startswith("name,model,mates")

    def read(data):
        page.locator("input[type=file]").set_input_files({"name": "old.csv", "mimeType": "text/csv", "buffer": data})

    read(b"name,model,cycles\n21,P6,3\n22,Q9,4\n")
    expect(page.get_by_test_id("importing")).to_contain_text("Nothing was imported")
    expect(page.get_by_test_id("importing").get_by_role("row").nth(1)).to_contain_text("3model")
    site.axe()
    read(b"name,model,cycles\n21,P6,3\n22,P6,4\n")
    expect(page.get_by_test_id("importing")).to_contain_text("2 packs added")
    page.get_by_role("button", name="Close").click()
    row(page, "21").wait_for()


def test_the_policy_is_set_with_a_reason_and_judges_at_once(site, crew):
    add_record(actor=crew["lead"], pack_id=crew["fleet"]["04"].pk, kind="capacity", figures={"capacity_ah": 10.0})
    page = site.page
    site.sign_in("lena")
    site.go("/policy")
    line = page.get_by_role("row").filter(has_text="Capacity: watch from")
    line.get_by_role("button", name="Set").click()
    line.get_by_label("New, %").fill("8000")
    line.get_by_label("Why").fill("our work needs the full minutes")
    line.get_by_role("button", name="Set it").click()
    line.get_by_text("give 30 to 100 %").wait_for()
    site.refused()  # the browser notes the refusal
    line.get_by_label("New, %").fill("82")
    line.get_by_role("button", name="Set it").click()
    line.get_by_text("our work needs the full minutes").wait_for()
    site.go("/packs")
    expect(row(page, "04")).to_contain_text("in service")
    site.go("/policy")
    line.get_by_role("button", name="Set").click()
    line.get_by_role("button", name="Back to usual").click()
    line.get_by_text("our work needs").first.wait_for(state="detached")
    site.go("/packs")
    expect(row(page, "04")).to_contain_text("watch")


def test_three_hundred_packs_are_found_sorted_and_walked_by_keyboard(site, crew):
    model = crew["fleet"]["P6"]
    Pack.objects.bulk_create(
        Pack(organisation=crew["organisation"], name=f"{k:03d}", model=model, cycles=k, charge_frac=(k % 90 + 10) / 100)
        for k in range(100, 395)
    )
    page = site.page
    site.sign_in("lena")
    site.go("/packs")
    links = page.locator("a[data-pack]")
    expect(page.get_by_text("300 of 300 packs")).to_be_visible()
    assert 40 <= links.count() < 200, "a long list comes piece by piece"
    until(page, lambda: page.mouse.wheel(0, 4000) or links.count() == 300, "all are there at its end")
    page.evaluate("scrollTo(0, 0)")
    page.keyboard.press("/")
    page.keyboard.type("39")
    expect(links).to_have_count(8)
    page.get_by_label("Search packs").fill("")
    page.get_by_label("Search packs").press("Tab")
    page.locator("h1").click()
    for _ in range(5):
        page.keyboard.press("s")
    expect(links.first).to_have_text("394")  # by cycles, most first
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="393").wait_for()
    page.keyboard.press("Escape")
    page.get_by_test_id("shelf").wait_for()
    page.get_by_role("button", name=re.compile("grounded")).click()
    expect(links).to_have_count(1)


TOOLS = ["load-test", "sustainable-current", "charge-back", "alarm-levels", "rest-voltage", "transport", "compare-packs"]


def test_every_calculator_of_the_bench_answers_with_curve_and_working(site, crew):
    page = site.page
    site.sign_in("lena")
    for name in TOOLS:
        site.go(f"/bench/{name}")
        answer = page.get_by_test_id("answer")
        answer.wait_for()
        assert page.locator("section svg[role=img]").count() == 1, name
        site.axe()
        answer.get_by_role("button").click()
        page.locator("[data-working] li").first.wait_for()


def test_a_viewer_sees_all_and_changes_nothing(site, crew):
    User.objects.filter(username="otto").update(role="viewer")
    page = site.page
    site.sign_in("otto")
    site.go("/packs")
    expect(page.get_by_test_id("care").get_by_role("button").first).to_be_disabled()
    assert not page.get_by_role("link", name="Resting voltage").is_visible()
    site.go(f"/packs/{crew['fleet']['01'].pk}/test")
    page.get_by_text("Your role cannot record").wait_for()
    site.go("/policy")
    expect(page.get_by_test_id("policy").first.get_by_role("button").first).to_be_disabled()
