"""A crew flies the gap that its day left before it leaves the site; a surveyor lays a folder of photos over the plan."""

import hashlib
import io
import re

import pytest
from playwright.sync_api import expect
from pypdf import PdfReader

from quarry.apps.day.services import start_run
from quarry.apps.flown.models import PhotoSet, Proof
from quarry.apps.jobs.models import Job
from tests.browser.conftest import no_sideways_scroll
from tests.factories import FIELD, make_job, make_today
from tests.flown import fly, jpeg, photo_places

pytestmark = pytest.mark.browser


def test_a_gap_is_flown_at_the_end_of_the_day_and_proof_is_given(site, crew):
    lead, fleet, page = crew["lead"], crew["fleet"], site.page
    work = {"height_m": 3.0, "swath_m": 6.0, "rate_l_ha": 20.0, "tank_l": 300.0}
    job = make_job(lead, fleet, name="Hop rows", kind="spraying", work=work)
    day = make_today(lead, fleet, [job], ago_min=300)
    fly(lead, day, telemetry={f"{job.letter}1"}, shut={3})

    page.set_viewport_size({"width": 820, "height": 1180})
    site.sign_in("lena")
    site.go(f"/days/{day.pk}/live")
    left = page.get_by_test_id("gaps-left")
    expect(left).to_contain_text("Hop rows has landed: one gap")
    site.axe()
    left.get_by_role("button", name="Fly the gaps now").click()
    expect(left).to_have_count(0)
    made = Job.objects.get(name="Gaps of Hop rows")
    sortie = f"{made.letter}1"
    expect(page.get_by_test_id("live")).to_contain_text(sortie)
    # It goes on a set that is charged: the call to launch names it.
    expect(page.get_by_text(re.compile(rf"{sortie}.*(set|on) ", re.IGNORECASE)).first).to_be_visible()

    page.set_viewport_size({"width": 1280, "height": 800})
    site.go(f"/jobs/{job.pk}?flown&day={day.pk}")
    figures = page.get_by_test_id("flown-figures")
    expect(figures).to_contain_text("Covered")
    expect(page.get_by_test_id("gaps")).to_contain_text("flown over with nothing on")
    page.get_by_role("button", name=re.compile("Covered", re.IGNORECASE)).first.click()
    expect(page.get_by_text("covered ÷ ground")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_label("Moment looked at").fill("600")
    expect(page.get_by_test_id("flown-moment")).not_to_be_empty()
    site.axe()
    no_sideways_scroll(page)
    with page.expect_download() as download:
        page.get_by_role("button", name="Make a proof").click()
    data = download.value.path().read_bytes()
    row = Proof.objects.get()
    assert hashlib.sha256(data).hexdigest() == row.digests["pdf"]
    text = "".join(p.extract_text() for p in PdfReader(io.BytesIO(data)).pages)
    for words in ("Proof of work 0001", "Hop rows", "flown over with nothing on", row.digests["tif"][:16]):
        assert words in text
    expect(page.get_by_role("button", name="Proof 0001 as geojson")).to_be_visible()


def test_a_folder_of_photos_with_three_missing(site, crew, tmp_path):
    lead, fleet, page = crew["lead"], crew["fleet"], site.page
    ring = [[7.1, 46.2], [7.102, 46.2], [7.102, 46.2012], [7.1, 46.2012]]
    job = make_job(lead, fleet, name="Bank", areas=[{"ring": ring}], home=[7.1, 46.1999])
    day = make_today(lead, fleet, [job], ago_min=120)
    fly(lead, day)
    folder = tmp_path / "card 1"
    folder.mkdir()
    missing = {(f"{job.letter}1", 2, k) for k in (5, 6, 7)}
    for k, (at_s, lon, lat) in enumerate(photo_places(job, day, left_out=missing)):
        (folder / f"P{k:04d}.JPG").write_bytes(jpeg(lon, lat, at_s))
    (folder / "notes.txt").write_text("no photo")
    (folder / "broken.JPG").write_bytes(b"no picture at all")

    site.sign_in("lena")
    site.go(f"/jobs/{job.pk}?flown")
    expect(page.get_by_test_id("gaps-words")).to_contain_text("No gap")
    page.get_by_label("Folder of photos").set_input_files(folder)
    expect(page.get_by_text("1 could not be read: broken.JPG")).to_be_visible()
    expect(page.get_by_test_id("gaps")).to_contain_text("no picture was taken")
    expect(page.get_by_test_id("photo-lines")).to_contain_text("One line short of photos")
    assert PhotoSet.objects.get().name == "card 1"
    site.axe()
    page.get_by_role("button", name="Archive card 1").click()
    expect(page.get_by_test_id("gaps-words")).to_contain_text("No gap")
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_test_id("gaps")).to_contain_text("no picture was taken")


def test_a_wind_that_turns_towards_the_stream_is_called_and_called_off(site, crew):
    """Planned in a wind from the north; measured from the south, sorties are called off until it turns back."""
    lead, fleet, page = crew["lead"], crew["fleet"], site.page
    work = {"height_m": 3.0, "swath_m": 6.0, "rate_l_ha": 20.0, "tank_l": 300.0}
    north = max(p[1] for p in FIELD) + 0.0001
    stream = {"ring": [[7.099, north], [7.108, north]], "name": "stream", "distance_m": 40.0}
    wind = {"speed_m_s": 3.0, "from_deg": 0.0, "assumed": False, "origin": "entered"}
    job = make_job(lead, fleet, name="Hop rows", kind="spraying", work=work, site={"sensitive": [stream]}, wind=wind)
    day = make_today(lead, fleet, [job], ago_min=30)
    start_run(actor=lead, day_id=day.pk)

    page.set_viewport_size({"width": 820, "height": 1180})
    site.sign_in("lena")
    site.go(f"/days/{day.pk}/live")
    form = page.get_by_test_id("weather-measured")
    expect(form).to_contain_text("Measure the wind: stream kept clear by it")
    form.get_by_label("Wind, m/s").fill("3")
    form.get_by_label("From, °").fill("180")
    form.get_by_role("button", name="Record").click()
    expect(form).to_contain_text("from 180°")
    called = page.get_by_text(f"Do not spray {job.letter}: wind towards stream")
    expect(called).to_have_count(1)
    form.get_by_label("Wind, m/s").fill("3,2")
    form.get_by_label("From, °").fill("350")
    page.wait_for_timeout(600)  # what has just moved under a finger takes no tap for 400 ms
    form.get_by_role("button", name="Record").click()
    expect(form).to_contain_text("from 350°")
    expect(called).to_have_count(0)
    site.axe()
    no_sideways_scroll(page)
