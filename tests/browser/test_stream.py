"""Two screens of one running day: what is told on one is heard on the other."""

import pytest
from django.utils import timezone

from quarry.apps.day import queries, services
from tests.browser.conftest import until
from tests.factories import make_job, make_today

pytestmark = pytest.mark.browser

LISTEN = """id => { window.heard = [];
  const s = new EventSource('/api/stream'); window.stream = s;
  const heard = revision => window.heard.push({ revision, at: performance.now() });
  s.addEventListener('all', () => heard(0));
  s.addEventListener('day', e => { const [day, n] = e.data.split(':'); if (day === id) heard(Number(n)); });
  return new Promise(done => { s.onopen = () => done(true); }); }"""


@pytest.fixture
def run(crew):
    """A day that opened an hour ago and is being flown."""
    day = make_today(crew["lead"], crew["fleet"], [make_job(crew["lead"], crew["fleet"])], ago_min=60)
    return services.start_run(actor=crew["lead"], day_id=day.pk)


def heard_one(page):
    """Wait until the screen has heard something; how soon is measured by the bench."""
    until(page, lambda: page.evaluate("window.heard.length"), "nothing was heard")


def test_a_second_screen_hears_it(site, crew, run):
    page = site.page
    site.sign_in("lena")
    site.go("/jobs")
    assert page.evaluate(LISTEN, str(run.day_id))
    heard_one(page)
    page.wait_for_timeout(300)
    other = page.context.new_page()
    other.goto(f"{site.address}/jobs")
    body = {
        "device": "other",
        "device_now": timezone.now().isoformat(),
        "events": [{"key": "n1", "kind": "note", "at": queries.hours_of(run.day)[0].isoformat(), "figures": {"words": "sheep"}}],
    }
    page.evaluate("window.heard.length = 0; window.began = performance.now()")
    answer = other.evaluate(
        """async ([id, body]) => { const t = document.cookie.match(/csrftoken=([^;]*)/)[1];
        const r = await fetch(`/api/days/${id}/events`, { method: 'POST', body: JSON.stringify(body),
          headers: { 'Content-Type': 'application/json', 'X-CSRFToken': t } }); return [r.status, await r.json()]; }""",
        [str(run.day_id), body],
    )
    assert answer[0] == 200
    heard_one(page)
    heard = page.evaluate("window.heard.at(-1)")
    assert heard["revision"] == answer[1]["live"]["revision"] == 2
    page.evaluate("window.stream.close()")
    other.close()


def test_a_stranger_hears_nothing(site, crew, run):
    page = site.page
    site.go("/sign-in")
    status = page.evaluate("async () => (await fetch('/api/stream')).status")
    assert status == 404
    site.faults = [f for f in site.faults if "404" not in f]
