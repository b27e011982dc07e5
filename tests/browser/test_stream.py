"""Two screens of one running day: what is told on one is heard on the other."""

import subprocess
import sys
from pathlib import Path

import pytest
from django.utils import timezone

from quarry.apps.accounts import services as accounts
from quarry.apps.accounts.models import User
from quarry.apps.day import queries, services
from quarry.apps.day.models import DayTelemetry
from tests.browser.conftest import until
from tests.factories import make_job, make_today

pytestmark = pytest.mark.browser

EXAMPLE = Path(__file__).parents[2] / "examples" / "bridge.py"
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
        "events": [
            {"key": "n1", "kind": "note", "at": queries.moments_of(run.day)[0].isoformat(), "figures": {"words": "sheep"}}
        ],
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


def test_a_stream_ends_when_the_rights_do(site, crew, run):
    """At once, not when the browser next asks; and it is not opened again."""
    page = site.page
    site.sign_in("otto")
    site.go("/jobs")
    page.evaluate(LISTEN, str(run.day_id))
    heard_one(page)
    page.evaluate("window.over = 0; window.stream.addEventListener('over', () => { window.over = 1; window.stream.close(); })")
    otto = User.objects.get(username="otto")
    accounts.change_person(actor=crew["lead"], person_id=otto.pk, change=accounts.PersonChange(active=False))
    until(page, lambda: page.evaluate("window.over"), "the stream went on")
    assert page.evaluate("async () => (await fetch('/api/stream')).status") == 404
    site.refused()


def test_the_example_of_a_bridge_replays_a_table(server, crew, run, tmp_path):
    """The program that the documents show, run as a crew would run it, against the product as it is served."""
    table = tmp_path / "readings.csv"
    table.write_text("seconds,port,pack_v,into_a,frac\n0,1,22.2,8.0,0.31\n5,1,22.4,8.0,0.33\n9,2,21.9,,0.2\n")
    _, secret = accounts.make_token(actor=crew["lead"], name="van", scope="telemetry", days=1)
    command = [sys.executable, str(EXAMPLE), server, str(table), "50"]
    done = subprocess.run(command, env={"QUARRY_TOKEN": secret}, capture_output=True, text=True, timeout=60, check=False)
    assert (done.returncode, done.stdout) == (0, "3 readings reported.\n"), done.stderr
    kept = {t.flight: t.figures for t in DayTelemetry.objects.filter(day=run.day)}
    assert kept == {"port 1": {"pack_v": 22.4, "into_a": 8.0, "frac": 0.33}, "port 2": {"pack_v": 21.9, "frac": 0.2}}
