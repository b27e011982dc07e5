"""A winter day with gloves: snow turns checks on, cells ground a pack and turn the plan, alarms are the pack's own, the sun stands low."""

import pytest
from django.utils import timezone
from playwright.sync_api import expect

from quarry.apps.accounts.models import User
from quarry.apps.care.services import add_record
from quarry.apps.day import queries as days
from quarry.apps.day import services as day_services
from quarry.apps.fleet.models import Pack
from quarry.apps.limits import services
from quarry.apps.limits.models import Preflight
from tests.browser.conftest import no_sideways_scroll
from tests.factories import HOME, add_reading, make_day, make_job, make_today, post_events, post_telemetry

pytestmark = pytest.mark.browser
FROST = {"air_c": -4.0, "dew_point_c": -4.9, "snow_mm_h": 0.4, "wind_m_s": 3.0, "gust_m_s": 4.0}


@pytest.fixture
def winter(crew):
    """A job flown today in frost and snow, on packs with alarm levels of their own, by a crew with gloves."""
    lead, fleet = crew["lead"], crew["fleet"]
    User.objects.update(gloves=True)
    add_reading(actor=lead, lon=HOME[0], lat=HOME[1], figures=FROST)
    levels = {"first_v": 22.2, "second_v": 21.9, "loss_v": 0.3, "proven": True, "words": "trial near home"}
    add_record(actor=lead, pack_id=fleet["01"].pk, kind="alarm levels", figures=levels)
    job = make_job(lead, fleet)
    day = make_today(lead, fleet, [job], ago_min=10)
    day_services.start_run(actor=lead, day_id=day.pk)
    return crew | {"job": job, "day": day}


def airborne(winter):
    """Launch the first sortie on pack 01."""
    flight = days.live_of(winter["day"]).aircraft[0].next
    up = {"key": "u", "kind": "launched", "at": timezone.now(), "figures": {"flight": flight, "set": "01"}, "under": 1}
    post_events(actor=winter["lead"], day_id=winter["day"].pk, device="t", device_now=timezone.now(), events=[up])
    return flight


def test_snow_turns_checks_on_and_cells_of_the_first_climb_ground_the_pack_and_turn_the_plan(site, winter):
    made = services.begin_preflight(
        actor=winter["lead"],
        job_id=winter["job"].pk,
        aircraft_id=winter["fleet"]["A1"].pk,
        pack_ids=[winter["fleet"]["01"].pk],
        sortie=1,
        on=winter["day"].date,
    )
    page = site.page
    page.set_viewport_size({"width": 820, "height": 1180})
    site.sign_in("lena")
    site.go(f"/preflight/{made.pk}")
    listed = page.get_by_role("complementary")
    for words in ("Landing mat down; never land in snow", "No lower than 9 m over plain snow", "Gloves on", "free of ice"):
        expect(listed).to_contain_text(words)
    listed.get_by_role("button", name="never land in snow").click()
    expect(page.get_by_test_id("because")).to_contain_text("snow lies or falls")
    no_sideways_scroll(page)
    site.axe_in_every_light()

    flight = airborne(winter)
    entries = {"charge_frac": 0.99, "pack_c": 21.0}
    services.enter(actor=winter["lead"], preflight_id=made.pk, entries=entries)
    Preflight.objects.filter(pk=made.pk).update(state="cleared")
    site.go(f"/preflight/{made.pk}")
    page.get_by_role("complementary").get_by_role("button", name="Cells in the first climb").click()
    for digit in "".join(("397", "396", "397", "360", "396", "397")):
        page.get_by_role("group", name="Keys").get_by_role("button", name=digit, exact=True).click()
    # The last digit of the last cell saves them.
    expect(page.get_by_test_id("climb-verdict")).to_contain_text("First climb: come back.")
    expect(page.get_by_test_id("climb-verdict")).to_contain_text("Cell 4 fell to 3.60 V")
    assert Pack.objects.get(name="01").grounded

    site.go(f"/days/{winter['day'].pk}/live")
    expect(page.get_by_test_id("alerts")).to_contain_text(f"Land {flight} now")
    expect(page.get_by_test_id("alerts")).to_contain_text("cell 4 fell to 3.60 V")
    task = days.mappers.planned(days.read_run(days.run_of(winter["day"].pk)), anew=False).plan
    assert "01" not in {f.set for f in task.flights}


def test_live_warns_at_the_levels_of_the_pack_with_time_left_and_the_nearest_place(site, winter):
    flight = airborne(winter)
    page = site.page
    page.set_viewport_size({"width": 820, "height": 1180})
    site.sign_in("lena")
    site.go(f"/days/{winter['day'].pk}/live")
    alerts = page.get_by_test_id("alerts")
    told = {"flight": flight, "left_frac": 0.62, "pack_c": 6.0, "lon_deg": HOME[0] + 0.002, "lat_deg": HOME[1]}
    for volts, words in ((3.64, "bring it home"), (3.58, f"Land {flight} now")):
        post_telemetry(actor=winter["lead"], day_id=winter["day"].pk, readings=[told | {"at": timezone.now(), "lowest_v": volts}])
        if volts == 3.58:  # a dip of a moment is no alarm: it has to stay there
            page.wait_for_timeout(3_200)
            again = told | {"at": timezone.now(), "lowest_v": volts}
            post_telemetry(actor=winter["lead"], day_id=winter["day"].pk, readings=[again])
            page.wait_for_timeout(3_200)
            again["at"] = timezone.now()
            post_telemetry(actor=winter["lead"], day_id=winter["day"].pk, readings=[again])
        expect(alerts).to_contain_text(words)
        expect(alerts).to_contain_text("its own levels")
        if volts == 3.64:
            expect(alerts).to_contain_text("left · nearest: home")
    expect(alerts).to_contain_text("nearest: home")
    no_sideways_scroll(page)
    site.axe_in_every_light()


def test_a_way_home_into_a_low_sun_stands_on_the_plan_with_its_hours(site, crew):
    job = make_job(crew["lead"], crew["fleet"])
    over = {"date": "2026-12-15", "opens": "14:00", "closes": "17:30", "time_zone": "Europe/Zurich", "pauses": []}
    day = make_day(crew["lead"], crew["fleet"], [job], **over)
    page = site.page
    page.set_viewport_size({"width": 1280, "height": 800})
    site.sign_in("lena")
    site.go(f"/days/{day.pk}")
    caution = page.get_by_text("Low sun on the way home of").first
    expect(caution).to_be_visible()
    expect(caution).to_contain_text("forward sensors are blinded")
    site.axe_in_every_light()
