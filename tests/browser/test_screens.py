"""Each screen in its lights and widths: axe finds nothing serious, keys work, refusals stand at their field."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import LIGHTS, Site, no_sideways_scroll, window
from tests.factories import PASSWORD, make_day, make_job

pytestmark = pytest.mark.browser


@pytest.fixture
def day(crew):
    job = make_job(crew["lead"], crew["fleet"])
    return make_day(crew["lead"], crew["fleet"], [job])


def test_the_door_says_what_is_wrong_and_leads_on_to_where_one_wanted(site, crew):
    page = site.page
    site.go("/packs")
    page.wait_for_url("**/sign-in**")
    site.axe()
    page.get_by_label("Name or e-mail").fill("lena")
    page.get_by_label("Password").fill("wrong")
    page.keyboard.press("Enter")
    page.get_by_text("Name or password is wrong").wait_for()
    assert page.get_by_label("Name or e-mail").input_value() == "lena"
    site.refused()  # the browser notes the refused request
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    page.wait_for_url("**/packs")


def test_empty_lists_say_what_to_do(site, transactional_db):
    from quarry.apps.accounts.models import Organisation
    from tests.factories import person

    person(Organisation.objects.create(name="New Crew"), "nina", "lead")
    site.sign_in("nina")
    site.go("/jobs")
    site.page.get_by_text("No jobs yet").wait_for()
    site.axe()
    site.go("/days")
    site.page.get_by_text("No days yet").wait_for()
    site.go("/packs")
    site.page.get_by_text("No packs yet").wait_for()
    site.axe()


@pytest.mark.parametrize("light", LIGHTS)
def test_the_light_that_a_person_chose_is_there_at_once(site, crew, light):
    from quarry.apps.accounts.models import User

    User.objects.filter(username="lena").update(light=light)
    site.sign_in("lena")
    site.go("/jobs")
    site.page.locator(f"html[data-light='{light}']").wait_for(state="attached")


def test_every_screen_in_every_light(site, crew, day):
    page = site.page
    site.sign_in("lena")
    site.go("/jobs")
    page.get_by_role("link", name="Top field").wait_for()
    site.axe_in_every_light()
    page.get_by_role("link", name="Top field").click()
    site.drawn()
    page.get_by_test_id("sorties").wait_for()
    site.axe_in_every_light()
    site.go(f"/days/{day.pk}")
    page.get_by_test_id("finish").wait_for()
    page.get_by_role("button", name="Day settings").click()
    page.get_by_text("Swap of packs").wait_for()
    site.axe_in_every_light()
    pack = crew["fleet"]["01"].pk
    for path, word in (
        ("/today", "Next days"),
        ("/company", "Save company"),
        ("/packs", "Add a pack"),
        (f"/packs/{pack}", "Its life"),
        (f"/packs/{pack}/test", "Record"),
        (f"/packs/charging?pack={pack}", "Compare what the charger counts"),
        ("/packs/rest", "leave grounded packs out"),
        ("/fleet", "Add a pack"),
        ("/policy", "Planned landing at"),
        ("/limits", "Begin with usual values"),
        ("/preflight", "Begin the list"),
        ("/people", "Add a person"),
        ("/account", "Set up an app"),
        ("/history", "details"),
        ("/tokens", "None yet"),
        ("/server", "secret key"),
        ("/days", "Make a day"),
    ):
        site.go(path)
        page.get_by_text(word).first.wait_for()
        site.axe_in_every_light()


def test_a_tablet_with_gloves_has_large_targets_and_no_sideways_scrolling(site, crew, day):
    from quarry.apps.accounts.models import User

    User.objects.filter(username="lena").update(gloves=True)
    page = site.page
    page.set_viewport_size({"width": 820, "height": 1180})
    site.sign_in("lena")
    pack = crew["fleet"]["01"].pk
    packs = ("/packs", f"/packs/{pack}", f"/packs/{pack}/test", "/packs/rest", "/packs/charging", "/fleet")
    for path in (
        "/jobs",
        f"/jobs/{day.jobs.get().job_id}",
        f"/days/{day.pk}",
        *packs,
        "/policy",
        "/bench",
        "/people",
        "/account",
        "/history",
        "/tokens",
        "/limits",
        "/preflight",
    ):
        site.go(path)
        page.locator("main h1, main .input").first.wait_for()
        page.wait_for_timeout(300)
        no_sideways_scroll(page, path)
        small = page.evaluate(
            "() => [...document.querySelectorAll('.button, .input, nav a')]"
            ".filter(e => e.offsetParent && e.getBoundingClientRect().height < 55)"
            ".map(e => e.outerHTML.slice(0, 90))"
        )
        assert not small, path
    site.axe()


def test_keys_reach_everything(site, crew, day):
    page = site.page
    site.sign_in("lena")
    site.go("/jobs")
    page.get_by_role("link", name="Top field").wait_for()
    page.keyboard.press("?")
    page.get_by_role("dialog").get_by_text("find and do").wait_for()
    site.axe()
    page.keyboard.press("Escape")
    page.keyboard.press("3")
    page.wait_for_url("**/days")
    page.keyboard.press("Control+k")
    page.get_by_placeholder("A pack, job, day, person, setting, or what to do").fill("night")
    page.keyboard.press("Enter")
    expect(page.locator("html")).to_have_attribute("data-light", "night")
    page.reload()
    expect(page.locator("html")).to_have_attribute("data-light", "night")


def test_a_refused_figure_stands_at_its_field_and_the_rest_stays(site, crew, day):
    page = site.page
    site.sign_in("lena")
    site.go("/jobs")
    page.get_by_role("link", name="Top field").click()
    page.get_by_test_id("sorties").wait_for()
    height = page.get_by_label("Above ground")
    height.fill("-40")
    height.press("Enter")
    page.get_by_text("Height above ground is -40 m; give a value from 5 to 1000 m.").first.wait_for()
    assert height.get_attribute("aria-invalid") == "true"
    assert page.get_by_test_id("plan-problem").is_visible()
    site.axe()
    height.fill("45")
    height.press("Enter")
    page.get_by_test_id("sorties").wait_for()


def test_two_people_saving_at_once_are_asked_and_neither_loses(site, crew, day):
    from quarry.apps.jobs.models import Job

    page = site.page
    site.sign_in("lena")
    site.go("/jobs")
    page.get_by_role("link", name="Top field").click()
    page.get_by_test_id("sorties").wait_for()
    row = Job.objects.get()
    figures = {"work": row.work | {"speed_m_s": 4.5}, "wind": row.wind | {"from_deg": 11.0}}
    Job.objects.filter(name="Top field").update(name="Otto's field", version=9, **figures)
    title = page.get_by_label("Name of the job")
    title.fill("Lena's field")
    title.press("Tab")
    dialog = page.get_by_role("alertdialog").or_(page.get_by_role("dialog"))
    dialog.get_by_text(re.compile("Otto's field")).first.wait_for()
    dialog.get_by_text(re.compile("Lena's field")).first.wait_for()
    said = dialog.get_by_role("table").inner_text()
    assert re.search(r"speed\s.*4\.5 m/s", said)
    assert re.search(r"wind, from\s.*11°", said)
    assert not re.search(r"_|\[object|undefined|null", said)
    assert dialog.get_by_role("row").count() == 4, "only what differs"
    site.axe()
    site.refused()  # the browser notes the refused save
    dialog.get_by_role("button", name=re.compile("[Mm]ine")).click()
    site.saved()
    assert Job.objects.get().name == "Lena's field"
    assert Job.objects.get().version == 10


def test_a_pack_is_added_and_refused_in_the_register(site, crew):
    page = site.page
    site.sign_in("lena")
    site.go("/jobs")
    page.locator("main h1").first.wait_for()
    page.keyboard.press("1")
    page.get_by_role("link", name="Add a pack").click()
    form = page.get_by_role("dialog")
    form.get_by_label("Name").fill("01")
    form.get_by_label("Model").select_option(label="P6")
    form.get_by_role("button", name=re.compile("Add|Save")).click()
    form.get_by_text("There is already one called 01").wait_for()
    site.axe()
    site.refused()  # the browser notes the refused save
    form.get_by_label("Name").fill("12")
    form.get_by_role("button", name=re.compile("Add|Save")).click()
    page.get_by_role("row").filter(has_text="12").wait_for()
    page.get_by_role("row").filter(has_text="12").get_by_role("button", name="Archive").click()
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("row").filter(has_text="12").wait_for()


def test_an_ended_session_asks_to_sign_in_again_and_keeps_what_was_typed(site, crew, day):
    page = site.page
    site.sign_in("lena")
    site.go("/jobs")
    page.get_by_role("link", name="Top field").click()
    page.get_by_test_id("sorties").wait_for()
    page.context.clear_cookies()
    title = page.get_by_label("Name of the job")
    title.fill("Kept field")
    title.press("Tab")
    page.get_by_role("dialog", name="Sign in again").wait_for()
    site.axe()
    site.refused()  # the browser notes the refused save
    page.get_by_label("Name or e-mail").fill("lena")
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    page.get_by_role("dialog", name="Sign in again").wait_for(state="detached")
    assert title.input_value() == "Kept field"
    site.saved()  # sent again by itself


@pytest.mark.parametrize("size", [(390, 844), (640, 400), (320, 640)], ids=["phone", "200 percent", "400 percent"])
def test_no_screen_scrolls_sideways_in_the_hand_and_all_places_are_reached(site, crew, day, size):
    """390 px wide, and 1280 px at 200 and at 400 %; everything of the header lies in view."""
    page = site.page
    page.set_viewport_size({"width": size[0], "height": size[1]})
    site.sign_in("lena")
    pack, job = crew["fleet"]["01"].pk, day.jobs.get().job_id
    of_day = [f"/days/{day.pk}", f"/days/{day.pk}/rehearse", f"/days/{day.pk}/live", "/days/new", "/days"]
    of_packs = ["/packs", f"/packs/{pack}", f"/packs/{pack}/test", "/packs/charging", "/packs/rest", "/fleet"]
    others = ["/today", "/company", "/jobs", f"/jobs/{job}", "/limits", "/preflight", "/policy", "/people", "/bench"]
    others += ["/account", "/history", "/tokens", "/server"]
    of_book = ["/logbook", "/logbook/compare", "/logbook/claims", "/logbook/totals"]
    for path in (*of_packs, *others, *of_book, *of_day):
        site.go(path)
        page.locator("main :is(h1, h2)").first.wait_for()
        site.settle()
        no_sideways_scroll(page, path)
    bar = page.get_by_role("navigation", name="Main, bottom")
    bar.get_by_role("link", name="Packs").click()
    page.wait_for_url("**/packs")
    bar.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Calculators").click()
    page.wait_for_url("**/bench")
    for button in page.get_by_role("banner").get_by_role("button").all():
        box = button.bounding_box()
        assert box["x"] >= 0
        assert box["x"] + box["width"] <= size[0]
    site.axe()


def test_every_calculator_answers_what_it_begins_with_and_is_filled_from_a_pack(site, crew):
    from quarry.apps.care.models import PackRecord

    page = site.page
    site.sign_in("lena")
    site.go("/bench")
    links = page.get_by_role("navigation", name="Calculators").get_by_role("link")
    page.get_by_test_id("answer").wait_for()
    for name in links.all_inner_texts():
        links.filter(has_text=re.compile(f"^{re.escape(name)}$")).click()
        expect(links.filter(has_text=re.compile(f"^{re.escape(name)}$"))).to_have_attribute("aria-current", "page")
        expect(page.get_by_test_id("answer")).to_be_visible()
        expect(page.get_by_role("alert")).to_have_count(0)
    expect(page.get_by_text("POST /api/compute")).to_be_hidden()
    site.axe()
    links.filter(has_text=re.compile("^Alarm levels$")).click()
    page.get_by_label("Fill from a pack").select_option(label="02")
    expect(page.get_by_label("Cells in series")).to_have_value("6")
    lines = "0 25.1 –\n4 24.4 23.7\n8 23.6 22.9\n12 22.6 21.7\n14 22.0 20.9"
    page.get_by_label("Readings").fill(lines)
    page.get_by_role("button", name="Save levels to 02").click()
    page.get_by_text("02: recorded").wait_for()
    kept = PackRecord.objects.filter(pack__name="02", kind="alarm levels").get().figures
    assert 21.7 < kept["first_v"] < 25.1


def test_where_the_device_sets_the_colours_what_is_chosen_is_still_seen(chromium, server, crew, day):
    context = window(chromium, forced_colors="active")
    site = Site(context.new_page(), server)
    page = site.page
    site.sign_in("lena")

    def colour(target):
        return target.evaluate("e => getComputedStyle(e).backgroundColor")

    site.go(f"/jobs/{day.jobs.get().job_id}")
    site.drawn()
    tools = page.get_by_role("toolbar", name="Map tools")
    assert colour(tools.get_by_role("button", name="Move points")) != colour(tools.get_by_role("button", name="Draw an area"))
    rows = page.locator("[data-testid=sorties] tbody tr")
    chosen = page.locator("[data-testid=sorties] tr[aria-current]")
    expect(chosen).to_have_count(1)
    if rows.count() > 1:
        assert colour(chosen) != colour(page.locator("[data-testid=sorties] tbody tr:not([aria-current])").first)
    here = page.get_by_role("navigation", name="Main", exact=True).get_by_role("link", name="Jobs")
    assert "underline" in here.evaluate("e => getComputedStyle(e).textDecorationLine")
    site.go("/bench")
    page.get_by_test_id("answer").wait_for()
    links = page.get_by_role("navigation", name="Calculators").get_by_role("link")
    assert colour(page.locator("nav a[aria-current=page]").last) != colour(links.nth(3))
    site.settle()
    context.close()
    assert not site.faults
