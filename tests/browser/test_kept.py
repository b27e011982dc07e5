"""A change that the server would not take: kept on the device, asked about before it is left, sent again by itself."""

import json

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import until
from tests.factories import make_job

pytestmark = pytest.mark.browser


def failing(page, path):
    """Let every save of this address fail as a server does that is just being started; returns the way back."""
    page.route(
        f"**{path}",
        lambda route: (
            route.fulfill(status=503, content_type="application/problem+json", body=json.dumps({"status": 503, "title": "busy"}))
            if route.request.method == "PUT"
            else route.continue_()
        ),
    )
    return lambda: page.unroute(f"**{path}")


def test_a_change_that_failed_is_asked_about_kept_and_sent_again(site, crew):
    page, job = site.page, make_job(crew["lead"], crew["fleet"])
    site.sign_in("lena")
    mend = failing(page, f"/api/jobs/{job.pk}")
    site.go(f"/jobs/{job.pk}")
    site.saved()
    page.get_by_role("button", name="Aircraft, wind").click()
    wind = page.get_by_label("Wind at flying height")
    wind.fill("7.5")
    wind.press("Enter")
    expect(page.get_by_test_id("save-state")).not_to_have_text("saved")
    page.wait_for_timeout(1500)

    # Leaving asks; who stays has lost nothing, who leaves finds it again.
    asked = []
    page.once("dialog", lambda d: (asked.append(d.message), d.dismiss()))
    page.get_by_role("link", name="Packs").first.click()
    until(page, lambda: asked, "nothing was asked")
    assert "not saved on the server" in asked[0]
    assert page.url.endswith(str(job.pk))
    page.once("dialog", lambda d: d.accept())
    page.get_by_role("link", name="Packs").first.click()
    page.wait_for_url("**/packs")

    mend()
    site.go(f"/jobs/{job.pk}")
    site.saved()
    job.refresh_from_db()
    assert 7.5 in job.wind.values()
    site.faults[:] = [f for f in site.faults if "503" not in f]
