"""The weather service silent, slow or lying; readings, reports and tables as people enter them."""

import json
import threading
import time
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer
from uuid import uuid4

import pytest
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import HistoryEntry
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.weather import mappers, queries, services
from quarry.apps.weather.fields import figures_json
from quarry.apps.weather.formats.forecast import BadForecast, read_forecast
from quarry.apps.weather.formats.readings import read_readings
from quarry.apps.weather.models import Reading
from quarry.apps.weather.source import HttpWeatherService, SourceSilent, source
from quarry.simulators import weather_service
from tests.factories import add_reading, person, plain

NOW = datetime(2031, 5, 6, 9, 20, tzinfo=UTC)
HERE = (7.1, 46.2)


class Service:
    """A source that answers what a test wants, and counts."""

    def __init__(self, answer=None, report="METAR ZZZZ 060850Z 24008KT 9999 NSC 12/06 Q1015"):
        self.answer, self.text, self.asked = answer, report, 0

    def hourly(self, lon, lat):
        self.asked += 1
        if isinstance(self.answer, Exception):
            raise self.answer
        return json.dumps(self.answer or weather_service.hourly(timezone.now(), lon, lat)).encode()

    def report(self, lon, lat):
        return self.text


def forecast(**hour):
    base = weather_service.hourly(NOW, *HERE)
    base["hours"][10] |= hour
    return base


def test_the_stand_in_gives_every_scenario_and_a_report_that_is_read():
    for name in weather_service.SCENARIOS:
        told = plain(read_forecast(json.dumps(weather_service.hourly(NOW, *HERE, name)).encode(), NOW))
        assert told["notes"] == []
        assert len(told["hours"]) == weather_service.HOURS_AHEAD + 24
        assert all(len(h["levels"]) == 4 and h["air_c"] is not None for h in told["hours"])
        at, figures, report = mappers.decode(weather_service.report(NOW, *HERE, name), NOW)
        assert at.date() == NOW.date()
        assert {"wind_m_s", "air_c", "dew_point_c", "visibility_m", "ceiling_m"} <= set(figures_json(figures))
        assert report.unread == ()
    front = weather_service.hourly(NOW, *HERE, "front after noon")["hours"]
    gusts = [h["levels"][1]["gust_m_s"] for h in front[:24]]
    assert max(gusts[12:17]) > 10.5 > 8.5 > max(gusts[6:11])
    assert min(h["air_c"] for h in weather_service.hourly(NOW, *HERE, "frost morning")["hours"][:9]) < -2


@pytest.mark.parametrize(
    ("hour", "gone", "said"),
    [
        ({"air_c": float("nan")}, "air_c", None),
        ({"air_c": 1e9}, "air_c", "air_c 1000000000.0 cannot be"),
        ({"air_c": -300.0}, "air_c", "cannot be"),
        ({"dew_point_c": 39.0}, "dew_point_c", "dew point lies above"),
        ({"visibility_m": "far"}, "visibility_m", "cannot be"),
        ({"rain_mm_h": True}, "rain_mm_h", "cannot be"),
    ],
)
def test_a_figure_that_cannot_be_is_dropped_and_told(hour, gone, said):
    told = plain(read_forecast(json.dumps(forecast(**hour)).encode(), NOW))
    assert told["hours"][10][gone] is None
    assert any(said in n for n in told["notes"]) if said else told["notes"] == []


def test_a_gust_below_the_mean_and_a_wind_of_no_number_are_dropped():
    levels = [
        {"height_m": 10, "wind_m_s": 6.0, "from_deg": 200, "gust_m_s": 3.0},
        {"height_m": 50, "wind_m_s": float("inf"), "from_deg": 200},
        "nonsense",
    ]
    hour = plain(read_forecast(json.dumps(forecast(levels=levels)).encode(), NOW))["hours"][10]
    assert hour["levels"] == [{"height_m": 10.0, "wind_m_s": 6.0, "from_deg": 200.0, "gust_m_s": None}]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"<html>", "no JSON"),
        (b"[]", "holds no hours"),
        (b'{"hours": []}', "when its forecast was made"),
        (b'{"hours": [], "issued_at": "2031-05-06T09:00:00Z"}', "no hour that can be used"),
        (b'{"hours": [{}], "issued_at": "2099-05-06T09:00:00Z"}', "lies ahead"),
        (b"[" * 100_000, "no JSON"),
    ],
)
def test_an_answer_that_is_no_forecast_is_refused_in_words(data, words):
    with pytest.raises(BadForecast, match=words):
        read_forecast(data, NOW)


def test_a_forecast_is_kept_asked_anew_when_old_and_outlives_a_silent_service(lead):
    service = Service()
    first = services.ask_weather_service(organisation=lead.organisation, lon=HERE[0], lat=HERE[1], by=service)
    assert first.problem == ""
    services.ask_weather_service(organisation=lead.organisation, lon=HERE[0], lat=HERE[1], by=service)
    assert service.asked == 1, "a fresh one is not asked for again"
    first.fetched_at -= timedelta(hours=1)
    first.tried_at -= timedelta(hours=1)
    first.save()
    silent = Service(SourceSilent("The weather service does not answer."))
    kept = services.ask_weather_service(organisation=lead.organisation, lon=HERE[0], lat=HERE[1], by=silent)
    assert kept.problem == "The weather service does not answer."
    assert kept.data["hours"], "what was known stays"
    services.ask_weather_service(organisation=lead.organisation, lon=HERE[0], lat=HERE[1], by=silent)
    assert silent.asked == 1, "a silent service is left alone for a while"
    assert (
        services.ask_weather_service(organisation=lead.organisation, lon=HERE[0], lat=HERE[1], by=service, again=True).problem
        == ""
    )
    told = plain(queries.forecast_view(kept, configured=True))
    assert told["age_s"] is not None
    assert told["source"] == "simulated weather service"


def test_a_slow_or_endless_service_counts_as_silent():
    class Slow(BaseHTTPRequestHandler):
        def do_GET(self):
            if "hourly" in self.path:
                time.sleep(1.0)
                return
            self.send_response(302)
            self.send_header("Location", "http://127.0.0.1:1/elsewhere")
            self.end_headers()

        def log_message(self, *_):
            pass

    server = HTTPServer(("127.0.0.1", 0), Slow)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    service = HttpWeatherService(f"http://127.0.0.1:{server.server_port}", 0.2)
    with pytest.raises(SourceSilent):
        service.hourly(*HERE)
    with pytest.raises(SourceSilent):
        service.report(*HERE)
    server.shutdown()
    with pytest.raises(SourceSilent):
        HttpWeatherService("http://127.0.0.1:1", 0.2).hourly(*HERE)


def test_without_an_address_there_is_no_service_and_files_are_not_opened(settings):
    settings.WEATHER_URL = ""
    assert source() is None
    settings.WEATHER_URL = "file:///etc"
    assert source() is None


def test_what_was_measured_beats_the_forecast_at_the_height_flown(lead):
    services.ask_weather_service(organisation=lead.organisation, lon=HERE[0], lat=HERE[1], by=Service())
    whole = timezone.now().replace(minute=0, second=0, microsecond=0)
    place = mappers.place_of(60.0, "grass", 3.0)

    def gusts():
        airs = queries.air_between(*HERE, whole, 1)[0][1]
        return mappers.known_at(whole, airs, place, *HERE)["gust_m_s"], plain(mappers.planning_air(airs, place, 200.0, whole))

    before, planned = gusts()
    assert [r.origin for r in before] == ["forecast"]
    assert planned["origin"] == "forecast"
    add_reading(
        actor=lead, lon=HERE[0], lat=HERE[1], figures={"gust_m_s": 9.4, "wind_m_s": 6.5, "height_m": 2.0, "from_deg": 250.0}
    )
    after, planned = gusts()
    measured = next(r for r in after if r.origin == "measured")
    assert measured.value > 9.4, "carried from 2 m to flying height"
    assert planned["origin"] == "measured"
    assert planned["from_deg"] == 250.0
    far = queries.air_between(HERE[0] + 3, HERE[1], whole, 1)[0][1]
    assert all(a.origin == "forecast" for a in far), "a reading counts near its place only"


@pytest.mark.parametrize(
    ("figures", "field"),
    [
        ({}, "gust_m_s"),
        ({"gust_m_s": 3.0, "wind_m_s": 8.0}, "gust_m_s"),
        ({"air_c": -274.0}, "air_c"),
        ({"air_c": 4.0, "dew_point_c": 9.0}, "dew_point_c"),
        ({"wind_m_s": float("nan")}, "wind_m_s"),
    ],
)
def test_a_reading_that_cannot_be_is_refused_at_its_field(lead, figures, field):
    with pytest.raises(DomainError) as bad:
        add_reading(actor=lead, lon=HERE[0], lat=HERE[1], figures=figures)
    assert bad.value.field == field
    assert not Reading.objects.exists()


def test_a_reading_sent_twice_is_one_and_can_be_taken_back(lead):
    key = uuid4()
    sent = {"actor": lead, "lon": HERE[0], "lat": HERE[1], "figures": {"gust_m_s": 5.0}, "key": key}
    one, two = add_reading(**sent), add_reading(**sent)
    assert one.pk == two.pk
    since = timezone.now() - timedelta(hours=1)
    assert queries.readings_near(*HERE, since, timezone.now() + timedelta(hours=1)) == [one]
    services.set_withdrawn(actor=lead, reading_id=one.pk, withdrawn=True)
    assert queries.readings_near(*HERE, since, timezone.now() + timedelta(hours=1)) == []
    assert HistoryEntry.objects.filter(action="weather.withdrawn").count() == 1
    with pytest.raises(DomainError, match="cannot lie ahead"):
        add_reading(**sent | {"key": None, "at": timezone.now() + timedelta(hours=2)})
    with pytest.raises(NotAllowed):
        add_reading(**sent | {"actor": person(lead.organisation, "vera", "viewer"), "key": None})


def test_a_pasted_report_counts_and_a_garbled_one_is_refused(lead):
    now = timezone.now()
    text = f"METAR ZZZZ {now:%d%H}00Z 24014G27KT 9999 BKN020 11/07 Q1008="
    row, report = services.add_report(actor=lead, lon=HERE[0], lat=HERE[1], text=text)
    told = plain(report)
    assert row.figures["gust_m_s"] == pytest.approx(13.9, abs=0.1)
    assert row.figures["height_m"] == 10.0
    assert told["station"] == "ZZZZ"
    with pytest.raises(DomainError) as bad:
        services.add_report(actor=lead, lon=HERE[0], lat=HERE[1], text="windy, I think")
    assert bad.value.field == "metar"
    got, _ = services.report_from_service(actor=lead, lon=HERE[0], lat=HERE[1], by=Service(report=text))
    assert got.kind == "report"
    with pytest.raises(DomainError, match="Paste a report"):
        services.report_from_service(actor=lead, lon=HERE[0], lat=HERE[1])


def test_a_report_of_the_last_day_of_the_month_is_of_last_month():
    at, _, _ = mappers.decode("ZZZZ 302350Z 24008KT CAVOK 12/06 Q1015", datetime(2031, 5, 1, 0, 10, tzinfo=UTC))
    assert at == datetime(2031, 4, 30, 23, 50, tzinfo=UTC)


TABLE = "time;gust_m_s;from_deg;air_c\n2031-05-06T10:20+01:00;7,5;240;12,1\n2031-05-06T10:50;8.1;250;\n"


def test_a_table_of_readings_is_read_whole_or_not_at_all(lead):
    kept, problems = services.add_table(actor=lead, lon=HERE[0], lat=HERE[1], data=TABLE.encode())
    assert (kept, problems) == (2, [])
    assert sorted(r.figures["gust_m_s"] for r in Reading.objects.all()) == [7.5, 8.1]
    kept, problems = services.add_table(actor=lead, lon=HERE[0], lat=HERE[1], data=TABLE.replace("8.1", "storm").encode())
    assert kept == 0
    assert plain(problems) == [{"line": 3, "column": "gust_m_s", "message": "storm is no number from 0 to 90."}]
    assert Reading.objects.count() == 2


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"\xff\xfe", "not text"),
        (b"when,what\n1,2\n", "names the columns"),
        (b"time,gust_m_s\nsoon,4\n", "Write the time"),
        (b"time,gust_m_s\n" + b"2031-05-06T10:20,4\n" * 2001, "Split the file"),
    ],
)
def test_a_table_that_cannot_be_read_says_why(data, message):
    found, problems = map(plain, read_readings(data))
    assert found == []
    assert message in problems[0]["message"]
