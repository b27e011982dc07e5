"""A stranger with an empty company comes to a first planned day: with the mouse alone, and with the keyboard alone."""

import json
import re

import pytest
from django_scopes import scopes_disabled
from playwright.sync_api import expect

from quarry.apps.accounts.models import Organisation
from quarry.apps.fleet.models import Pack
from tests.browser.test_main_job import BOUNDARY, DROP, sorties, take
from tests.factories import PASSWORD, make_day, make_job, person

pytestmark = pytest.mark.browser
PASTE = """text => {
  const data = new DataTransfer();
  data.setData('text/plain', text);
  document.activeElement.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true }));
}"""


@pytest.fixture
def newcomer(site, transactional_db):
    """The lead of a company that has nothing yet, at the door."""
    person(Organisation.objects.create(name="New Crew"), "nina", "lead")
    return site


class Mouse:
    """Clicks, and typing into what was clicked; counts each."""

    def __init__(self, page) -> None:
        self.page, self.steps = page, 0

    def press(self, target) -> None:
        target.click()
        self.steps += 1

    def write(self, target, text) -> None:
        target.click()
        target.fill(text)
        self.steps += 1

    def home(self) -> None:
        self.press(self.page.get_by_role("link", name="Today").first)


class Keys(Mouse):
    """The same without a mouse: Tab to a thing, then Enter or typing."""

    def reach(self, target) -> None:
        target.wait_for()
        for _ in range(160):
            if target.evaluate("e => e === document.activeElement"):
                return
            self.page.keyboard.press("Tab")
        pytest.fail(f"Tab never reaches {target}")

    def press(self, target) -> None:
        self.reach(target)
        self.page.keyboard.press("Enter")
        self.steps += 1

    def write(self, target, text) -> None:
        self.reach(target)
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)
        self.steps += 1

    def home(self) -> None:
        self.page.locator("body").press("0")
        self.steps += 1


@pytest.mark.parametrize("hand", [Mouse, Keys])
def test_an_empty_company_comes_to_its_first_planned_day(newcomer, hand):
    page, by = newcomer.page, hand(newcomer.page)
    newcomer.sign_in_at_the_door("nina", PASSWORD)
    setup = page.get_by_test_id("setup")
    step = setup.locator("[aria-current=step]")
    expect(step).to_contain_text("Company")
    newcomer.axe()

    by.press(step.get_by_role("link", name="Set company"))
    expect(page.get_by_label("Time zone")).not_to_have_value("")
    by.press(page.get_by_role("button", name="Save company"))
    page.get_by_text("Company saved").first.wait_for()
    by.home()
    expect(step).to_contain_text("Aircraft")
    by.press(step.get_by_role("button", name="Start with sample models"))
    expect(step.get_by_role("button", name="Start with sample models")).to_have_count(0)
    by.press(step.get_by_role("link", name="Add aircraft"))
    form = page.get_by_role("dialog")
    by.write(form.get_by_label("Name or number"), "Kite")
    by.press(form.get_by_role("button", name="Add the aircraft"))
    form.wait_for(state="detached")
    by.home()
    by.press(step.get_by_role("link", name="Add packs"))
    by.write(form.get_by_label("Name or number"), "01")
    by.write(form.get_by_label("How many alike"), "4")
    by.page.keyboard.press("Tab")
    by.press(form.get_by_role("button", name="Add 4"))
    form.wait_for(state="detached")
    by.home()
    by.press(step.get_by_role("link", name="Add charger and supply"))
    by.write(form.get_by_label("Name or number"), "Bench")
    by.press(form.get_by_role("button", name="Add the charger"))
    form.wait_for(state="detached")
    # A charger without a supply says so where it stands.
    by.press(page.get_by_test_id("no-supply").get_by_role("button", name="Add a supply"))
    by.write(form.get_by_label("Name or number"), "Farm outlet")
    by.press(form.get_by_role("button", name=re.compile("^Add the")))
    form.wait_for(state="detached")
    fleet_steps = by.steps
    with scopes_disabled():
        names = list(Pack.objects.order_by("name").values_list("name", flat=True))
    assert names == ["01", "02", "03", "04"]

    by.home()
    by.press(step.get_by_role("link", name="Add field"))
    by.write(form.get_by_label("What is it called?"), "Lower meadow")
    by.press(form.get_by_role("button", name="Make it"))
    page.wait_for_url("**/jobs/*")
    newcomer.drawn()
    text = json.dumps(BOUNDARY)
    if hand is Mouse:
        page.evaluate(DROP, ["meadow.geojson", text])
        take(page, home="home")
    else:
        page.evaluate(PASTE, text)
        asked = page.get_by_role("dialog", name="What to take from this file")
        by.reach(asked.get_by_label("Take home as", exact=True))
        page.keyboard.type("home")
        by.press(asked.get_by_role("button", name="Use this"))
        asked.wait_for(state="detached")
    newcomer.saved()
    sorties(page).first.wait_for()
    field_steps = by.steps - fleet_steps

    by.press(page.get_by_role("button", name="Schedule"))
    by.press(page.get_by_role("link", name="Make a day for it"))
    by.press(page.get_by_role("button", name="Make the day"))
    page.get_by_test_id("finish").wait_for()
    assert page.get_by_test_id("calls").locator("li").count() >= 4
    day_steps = by.steps - fleet_steps - field_steps
    by.home()
    expect(page.get_by_test_id("coming").first).to_contain_text("Lower meadow")
    expect(setup).to_have_count(0)
    newcomer.axe()
    assert (fleet_steps, field_steps, day_steps) <= (24, 8, 4), (fleet_steps, field_steps, day_steps)


def test_a_step_can_be_skipped_and_taken_up_again(newcomer):
    page = newcomer.page
    newcomer.sign_in_at_the_door("nina", PASSWORD)
    setup = page.get_by_test_id("setup")
    setup.get_by_role("button", name="Skip Company").click()
    expect(setup.locator("[aria-current=step]")).to_contain_text("Aircraft")
    page.reload()
    expect(setup.locator("[aria-current=step]")).to_contain_text("Aircraft")
    setup.get_by_role("button", name="Do not skip Company").click()
    expect(setup.locator("[aria-current=step]")).to_contain_text("Company")


def test_everything_with_a_name_is_found_from_anywhere_by_key(site, crew):
    make_day(crew["lead"], crew["fleet"], [make_job(crew["lead"], crew["fleet"])])
    page = site.page
    site.sign_in("lena")
    site.go("/limits")
    page.get_by_role("heading").first.wait_for()
    page.keyboard.press("Control+k")
    box = page.get_by_placeholder("A pack, job, day, person, setting, or what to do")
    for words, kind, address in (
        ("top fi", "Job", "**/jobs/*"),
        ("field d", "Day", "**/days/*"),
        ("storage", "Setting", "**/policy#*"),
    ):
        box.fill(words)
        page.get_by_role("option").filter(has_text=kind).first.wait_for()
        inside = page.get_by_role("dialog").bounding_box()
        assert inside["y"] >= 0
        assert inside["y"] + inside["height"] <= 800
        page.keyboard.press("ArrowDown")
        page.get_by_role("option").filter(has_text=kind).first.click()
        page.wait_for_url(address)
        page.keyboard.press("Control+k")
    site.axe()
