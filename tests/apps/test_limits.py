"""Sheets of limits, the gate, windows in the day's plan, preflight lists and overrides."""

from datetime import UTC, date, datetime, timedelta
from uuid import uuid4

import pytest
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError, Stale
from quarry.apps.accounts.models import HistoryEntry
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.care.models import PackRecord
from quarry.apps.care.queries import shelf
from quarry.apps.care.services import add_record
from quarry.apps.day import queries as days
from quarry.apps.day import services as days_services
from quarry.apps.fleet.queries import thing_dict
from quarry.apps.fleet.services import change_thing
from quarry.apps.limits import queries, services
from quarry.apps.limits.models import LimitSheet, Preflight
from quarry.apps.weather.services import ask_weather_service
from tests.apps.test_weather import Service
from tests.factories import (
    HOME,
    add_reading,
    make_day,
    make_job,
    make_today,
    person,
    plain,
    post_events,
    post_telemetry,
    save_sheet,
    set_rules,
)


def set_model(lead, fleet, **figures):
    row = fleet["Quad"]
    row.refresh_from_db()
    change_thing(actor=lead, model=type(row), thing_id=row.pk, version=row.version, figures=thing_dict(row) | figures)


@pytest.fixture
def limited(lead, fleet):
    """Starter sheets, and an aircraft with the maker's limits."""
    services.begin_with_starter(actor=lead)
    set_model(lead, fleet, most_wind_m_s=10.7, least_air_c=0.0, most_air_c=40.0, least_pack_c=4.0, most_load_kg=0.6)
    return fleet


def forecast_for(lead, hours, at=None):
    """Keep a forecast whose hours from now on are as given: gust at 50 m."""
    now = (at or timezone.now()).replace(minute=0, second=0, microsecond=0)
    told = {"issued_at": (timezone.now() - timedelta(minutes=10)).isoformat(), "source": "a test", "hours": []}
    for k, gust in enumerate(hours):
        told["hours"].append(
            {
                "at": (now + timedelta(hours=k)).isoformat(),
                "levels": [{"height_m": 50.0, "wind_m_s": gust * 0.7, "from_deg": 240.0, "gust_m_s": gust}],
                "air_c": 14.0,
                "dew_point_c": 7.0,
                "pressure_hpa": 1000.0,
                "rain_mm_h": 0.0,
                "snow_mm_h": 0.0,
                "cloud_base_m": None,
                "visibility_m": 20_000.0,
                "thunder": False,
            }
        )
    return ask_weather_service(organisation=lead.organisation, lon=HOME[0], lat=HOME[1], again=True, by=Service(told))


def test_starter_sheets_come_once_and_say_whom_to_ask(lead):
    made = services.begin_with_starter(actor=lead)
    assert [s.level for s in made] == ["organisation", "work", "work", "work"]
    assert services.begin_with_starter(actor=lead) == []
    page = plain(queries.page())
    house = next(s for s in page["sheets"] if s["level"] == "organisation")
    assert any("check your law and the manual" in r["why"] for r in house["rules"])
    assert all(r["by"] == "Lena" for r in house["rules"])


def test_the_strictest_of_house_data_sheet_work_and_job_decides(lead, limited, job):
    gust = queries.limits_for(job)["gust_m_s"].most
    assert (gust.value, gust.sheet) == (10.7, "Quad, data sheet")
    rules = [{"key": "gust_m_s", "most": 9.0, "why": "trees around the field"}]
    save_sheet(actor=lead, level="job", job_id=job.pk, rules=rules, version=0)
    gust = queries.limits_for(job)["gust_m_s"].most
    assert (gust.value, gust.sheet, gust.level) == (9.0, "Top field", "job")
    assert queries.limits_for(job)["rain_mm_h"].most.sheet == "Quad, data sheet"
    set_model(lead, limited, rain_rated=True)
    job.aircraft_model.refresh_from_db()
    assert "rain_mm_h" not in queries.limits_for(job)


def test_a_limit_is_changed_with_a_reason_a_version_and_a_history(lead, limited):
    row = LimitSheet.objects.get(level="organisation")
    rules = [r | ({"most": 11.0, "why": ""} if r["key"] == "gust_m_s" else {}) for r in row.rules]
    bare = [{k: r[k] for k in ("key", "least", "most", "why")} for r in rules]
    with pytest.raises(DomainError, match="Say why") as bad:
        save_sheet(actor=lead, level="organisation", rules=bare, version=row.version)
    assert bad.value.field == "gust_m_s"
    bare = [r | ({"why": "a gusty site"} if r["key"] == "gust_m_s" else {}) for r in bare]
    save_sheet(actor=lead, level="organisation", rules=bare, version=row.version)
    with pytest.raises(Stale):
        save_sheet(actor=lead, level="organisation", rules=bare, version=row.version)
    change = plain(queries.history_of(row.pk))[0]
    assert next(r["most"] for r in change["before"] if r["key"] == "gust_m_s") == 12.0
    assert next(r["most"] for r in change["after"] if r["key"] == "gust_m_s") == 11.0
    with pytest.raises(DomainError) as wrong:
        save_sheet(actor=lead, level="organisation", rules=[{"key": "gust_m_s", "most": -4, "why": "x"}], version=row.version + 1)
    assert wrong.value.field == "gust_m_s"
    twice = [{"key": "gust_m_s", "most": 9.0, "why": "x"}] * 2
    with pytest.raises(DomainError, match="stands twice"):
        save_sheet(actor=lead, level="work", work="mapping", rules=twice, version=1)
    with pytest.raises(NotAllowed):
        save_sheet(actor=person(lead.organisation, "paul", "pilot"), level="organisation", rules=[], version=2)


def test_the_gate_shows_each_hour_with_the_deciding_limit_and_the_next_window(lead, limited, job):
    now = timezone.now()
    forecast_for(lead, [12.0, 12.0, 6.0, 6.0, 12.0] + [12.0] * 40)
    gate = plain(queries.gate(job, now.date(), "UTC"))
    assert len(gate["hours"]) == 24
    hour = gate["hours"][now.hour]
    assert hour["verdict"]["word"] == "no"
    row = next(r for r in hour["verdict"]["rows"] if r["key"] == "gust_m_s")
    assert row["whose"] == "Quad, data sheet"
    assert "exceeded" in row["reason"]
    assert hour["forecast"]["gust_m_s"] == pytest.approx(12.0, rel=0.05)
    if now.hour < 21:
        whole = now.replace(minute=0, second=0, microsecond=0)
        later = gate["hours"][now.hour + 2]
        dark = [r["key"] for r in later["verdict"]["rows"] if r["verdict"] == "no"]
        assert set(dark) <= {"sun_deg"}
        if not dark:
            assert datetime.fromisoformat(gate["next"]["from_at"]) == whole + timedelta(hours=2)
    working = plain(queries.working_of(job, now, "gust_m_s"))
    assert working["steps"][-1]["value"] == "No go"


def test_nothing_known_is_no_go_in_the_gate_and_said(lead, limited, job):
    gate = plain(queries.gate(job, date(2031, 5, 6), "Europe/Zurich"))
    noon = gate["hours"][12]["verdict"]
    assert (noon["word"], noon["unknown"]) == ("no", True)
    assert any("not known" in r for r in noon["reasons"])
    assert gate["next"] is None
    assert gate["sun"]["sunrise"] < gate["sun"]["noon"] < gate["sun"]["sunset"]


def test_a_policy_of_bands_moves_the_verdict(lead, limited, job):
    now = timezone.now()
    forecast_for(lead, [8.5] * 6)
    word = {r["key"]: r["verdict"] for r in plain(queries.moment(job, now))[1]["verdict"]["rows"]}["gust_m_s"]
    assert word == "care"
    change = [{"key": "limits.gust_no_frac", "value": 0.78, "why": "an exposed ridge"}]
    set_rules(actor=lead, version=0, changes=change)
    word = {r["key"]: r["verdict"] for r in plain(queries.moment(job, now))[1]["verdict"]["rows"]}["gust_m_s"]
    assert word == "no"
    with pytest.raises(DomainError) as bad:
        set_rules(actor=lead, version=1, changes=[{"key": "limits.gust_care_frac", "value": 0.9, "why": "x"}])
    assert bad.value.field == "limits.gust_care_frac"


def tomorrow_day(lead, fleet, jobs):
    on = (timezone.now() + timedelta(days=1)).date()
    return make_day(lead, fleet, jobs, date=on.isoformat(), time_zone="UTC", opens="09:00", closes="16:00", pauses=[]), on


def test_a_front_closes_the_afternoon_and_the_plan_keeps_to_the_hours_left(lead, limited, job):
    day, on = tomorrow_day(lead, limited, [job])
    start = datetime(on.year, on.month, on.day, tzinfo=UTC)
    forecast_for(lead, [5.0] * 24, start)
    calm = days.plan_of(day)[0].plan
    assert calm["windows"] == [[0.0, 7 * 3600.0]]
    assert calm["cautions"] == [c for c in calm["cautions"] if "assumed wind" in c]
    forecast_for(lead, [5.0] * 11 + [12.0] * 2 + [5.0] * 11, start)
    moved, new = days.plan_of(day)
    assert new
    closed = (2 * 3600.0, 4 * 3600.0)
    for f in moved.plan["flights"]:
        assert f["landing_s"] <= closed[0] or f["takeoff_s"] >= closed[1]
    gate = moved.plan["gates"][0]
    assert gate["limit_m_s"] == 10.7
    assert [h["word"] for h in gate["hours"][2:4]] == ["no", "no"]
    if max(f["landing_s"] for f in calm["flights"]) > closed[0]:
        assert moved.plan["finish_s"] > calm["finish_s"]


def test_a_day_whose_every_hour_is_closed_says_so(lead, limited, job):
    day, on = tomorrow_day(lead, limited, [job])
    forecast_for(lead, [14.0] * 24, datetime(on.year, on.month, on.day, tzinfo=UTC))
    with pytest.raises(days.PlanRefused, match="no opening that its limits leave"):
        days.plan_of(day)


def test_a_day_of_which_no_weather_is_known_is_planned_but_not_cleared(lead, limited, job):
    day = make_day(lead, limited, [job])
    plan = days.plan_of(day)[0].plan
    assert any("No weather is known" in c for c in plan["cautions"])
    assert all(h["unknown"] for h in plan["gates"][0]["hours"])


def fill(lead, row, **over):
    """Tick and enter everything a good list holds."""
    told = plain(queries.preflight_view(row))
    lines = [x for part in told["parts"] for x in part["lines"]]
    good = {
        "controller_frac": 0.9,
        "tablet_frac": 0.9,
        "return_clear_m": 45.0,
        "pack_c": 22.0,
        "charge_frac": 0.99,
        "satellites_count": 17.0,
    }
    entries = {x["key"]: True for x in lines if x["entry"] == "tick"} | good | {"cells": [3.95] * 6}
    part = "climb" if row.state != "open" else ""
    keys = {x["key"] for p in told["parts"] for x in p["lines"] if (p["part"] == "climb") == bool(part)}
    return services.enter(actor=lead, preflight_id=row.pk, entries={k: v for k, v in (entries | over).items() if k in keys})


def begin(lead, fleet, job, pack="01", **over):
    sent = {"job_id": job.pk, "aircraft_id": fleet["A1"].pk, "pack_ids": [fleet[pack].pk], "sortie": 1}
    return services.begin_preflight(actor=lead, **sent | over)


@pytest.fixture
def clear_sky(lead, limited, job):
    """Good air now, whatever the hour: the sun's limit is opened for the night."""
    forecast_for(lead, [4.0] * 30)
    row = LimitSheet.objects.get(level="organisation")
    rules = [{k: r[k] for k in ("key", "least", "most", "why")} for r in row.rules if r["key"] not in ("sun_deg", "ceiling_m")]
    save_sheet(actor=lead, level="organisation", rules=rules, version=row.version)
    return limited


def test_a_full_list_clears_and_the_next_keeps_what_holds_for_the_day(lead, clear_sky, job):
    row = begin(lead, clear_sky, job)
    assert queries.judged(row).result.word == "no"
    with pytest.raises(DomainError, match="no go"):
        services.clear(actor=lead, preflight_id=row.pk)
    row = fill(lead, row)
    told = plain(queries.preflight_view(row))
    assert told["reasons"] == []
    assert (told["word"], told["open_count"]) == ("go", 0)
    done = services.clear(actor=lead, preflight_id=row.pk)
    assert done.state == "cleared"
    with pytest.raises(DomainError, match="closed"):
        services.enter(actor=lead, preflight_id=row.pk, entries={"home": None})
    assert (told["climb_open_count"], told["climb_words"]) == (2, "Come back")
    with pytest.raises(DomainError, match="Come back: 2 checks are not done"):
        services.decide_climb(actor=lead, preflight_id=row.pk, go_on=True)
    flown = plain(queries.preflight_view(fill(lead, done)))
    assert (flown["climb_open_count"], flown["climb_words"]) == (0, "Go on")
    assert services.decide_climb(actor=lead, preflight_id=row.pk, go_on=True).state == "went on"
    with pytest.raises(DomainError, match="closed"):
        services.enter(actor=lead, preflight_id=row.pk, entries={"hover": None})
    again = plain(queries.preflight_view(begin(lead, clear_sky, job, "02", sortie=2)))
    open_parts = {p["part"]: p["open"] for p in again["parts"]}
    assert open_parts["day"] == open_parts["site"] == 0
    assert open_parts["take-off"] > 3


def test_a_weak_cell_and_a_cold_pack_and_a_grounded_one_cannot_be_overridden(lead, clear_sky, job):
    weak = fill(lead, begin(lead, clear_sky, job))
    services.clear(actor=lead, preflight_id=weak.pk)
    fill(lead, queries.preflight_of(weak.pk), cells=[3.95, 3.95, 3.4, 3.95, 3.95, 3.95])
    with pytest.raises(DomainError, match=r"Come back: Cell 3 fell to 3\.40 V"):
        services.decide_climb(actor=lead, preflight_id=weak.pk, go_on=True)
    assert services.decide_climb(actor=lead, preflight_id=weak.pk, go_on=False).state == "came back"
    clear_sky["01"].refresh_from_db()
    assert clear_sky["01"].grounded, "a pack that failed under load flies no more: it was written into its records"
    add_record(actor=lead, pack_id=clear_sky["01"].pk, kind="release", figures={"words": "for the next lists of this test"})
    cold = fill(lead, begin(lead, clear_sky, job, sortie=2), pack_c=1.0)
    assert any("Pack temperature" in h for h in plain(queries.preflight_view(cold))["hard"])
    third = begin(lead, clear_sky, job, "03", sortie=3)
    add_record(actor=lead, pack_id=clear_sky["03"].pk, kind="mishap", figures={"what": "swelling", "words": "x"})
    third = fill(lead, queries.preflight_of(third.pk))
    with pytest.raises(DomainError, match="swollen"):
        services.override(actor=lead, preflight_id=third.pk, name="Lena Vo", reason="only a short flight")


def test_a_pack_that_gives_too_little_today_is_stopped_with_the_sum(lead, clear_sky, job):
    half = fill(lead, begin(lead, clear_sky, job), charge_frac=0.45)
    told = plain(queries.preflight_view(half))
    assert any("this sortie takes" in h or "nothing is left" in h for h in told["hard"])


def test_gusts_measured_at_the_field_close_the_list_and_an_override_asks_for_name_and_reason(lead, clear_sky, job):

    row = fill(lead, begin(lead, clear_sky, job))
    assert queries.judged(row).result.word == "go"
    add_reading(actor=lead, lon=HOME[0], lat=HOME[1], figures={"gust_m_s": 10.2, "wind_m_s": 7.0, "height_m": 45.0})
    told = plain(queries.preflight_view(queries.preflight_of(row.pk)))
    assert told["word"] == "no"
    assert "Gust at flying height" in told["reasons"][0]
    assert told["may_override"]
    for name, reason, field in (("", "the casualty is in sight", "name"), ("Lena Vo", "go", "reason")):
        with pytest.raises(DomainError) as bad:
            services.override(actor=lead, preflight_id=row.pk, name=name, reason=reason)
        assert bad.value.field == field
    handler = person(lead.organisation, "hanna", "handler")
    with pytest.raises(NotAllowed):
        services.override(actor=handler, preflight_id=row.pk, name="Lena Vo", reason="the casualty is in sight")
    done = services.override(actor=lead, preflight_id=row.pk, name="Lena Vo", reason="the casualty is in sight")
    assert done.state == "overridden"
    assert done.override["in_spite_of"][0].startswith("Gust at flying height")
    assert HistoryEntry.objects.get(action="preflight.overridden").after["override"]["name"] == "Lena Vo"


def test_a_list_is_begun_once_and_only_for_what_fits(lead, limited, job):
    key = uuid4()
    assert (one := begin(lead, limited, job, key=key)).pk == begin(lead, limited, job, key=key).pk
    assert begin(lead, limited, job, key=uuid4()).pk == one.pk, "an open list for this take-off goes on"
    assert begin(lead, limited, job, "02").pk != one.pk
    with pytest.raises(DomainError, match="Choose 1 of these") as bad:
        begin(lead, limited, job, pack_ids=[limited["01"].pk, limited["02"].pk])
    assert bad.value.field == "pack_ids"
    with pytest.raises(DomainError) as wrong:
        services.enter(actor=lead, preflight_id=begin(lead, limited, job).pk, entries={"satellites_count": -2.0})
    assert wrong.value.field == "satellites_count"


def test_another_kind_of_work_has_another_list(lead, limited):
    spray = make_job(lead, limited, name="Bank", kind="spraying", work={})
    keys = [x["key"] for p in plain(queries.preflight_view(begin(lead, limited, spray)))["parts"] for x in p["lines"]]
    assert "drift" in keys
    assert "exposure" not in keys


def test_cells_of_the_first_climb_reach_the_pack_once_and_are_judged_as_its_page_does(lead, clear_sky, job):
    """3.88 V on a full pack: “replace soon” by common practice, no source. The list must not read go without a word."""
    row = fill(lead, begin(lead, clear_sky, job))
    with pytest.raises(DomainError, match="clear the list and launch first") as early:
        services.enter(actor=lead, preflight_id=row.pk, entries={"cells": [3.97, 3.97, 3.88, 3.97, 3.97, 3.97]})
    assert early.value.field == "cells"
    services.clear(actor=lead, preflight_id=row.pk)
    cells = {"cells": [3.97, 3.97, 3.88, 3.97, 3.97, 3.97]}
    for _ in range(2):
        services.enter(actor=lead, preflight_id=row.pk, entries=cells)
    pack = clear_sky["01"]
    (test,) = PackRecord.objects.filter(pack=pack, kind="load test")
    assert (test.figures["cell_v"], test.figures["start_frac"], test.figures["pack_c"]) == (cells["cells"], 0.99, 22.0)
    told = plain(queries.preflight_view(queries.preflight_of(row.pk)))
    assert told["climb_word"] == "no", "the hover is open still"
    assert told["climb_reasons"] == ["Cell 3 fell to 3.88 V: replace soon, about 10–20 cycles left. Order its successor."]
    line = next(p for p in plain(shelf())["packs"] if p["name"] == "01")
    assert line["level"] == "replace soon"
    services.enter(actor=lead, preflight_id=row.pk, entries={"hover": True})
    assert plain(queries.preflight_view(queries.preflight_of(row.pk)))["climb_words"] == "Go on with care"
    # Read again and typed anew: it stands in the place of the first.
    services.enter(actor=lead, preflight_id=row.pk, entries={"cells": [3.97] * 6})
    assert PackRecord.objects.filter(pack=pack, kind="load test").count() == 2
    assert PackRecord.objects.get(pack=pack, corrects=test.key).figures["cell_v"] == [3.97] * 6
    assert next(p for p in plain(shelf())["packs"] if p["name"] == "01")["level"] == "in service"
    services.enter(actor=lead, preflight_id=row.pk, entries={"cells": None})
    assert PackRecord.objects.filter(pack=pack, kind="withdrawal").count() == 1
    with pytest.raises(DomainError) as wrong:
        services.enter(actor=lead, preflight_id=row.pk, entries={"cells": [4.4] * 6})
    assert wrong.value.field == "cells"


def enter(lead, row, key, answer, words):
    remarks = {key: services.GivenRemark(answer, words)}
    return services.enter(actor=lead, preflight_id=row.pk, entries={}, remarks=remarks)


def test_a_defect_holds_the_list_until_it_is_checked_again(lead, clear_sky, job):
    row = fill(lead, begin(lead, clear_sky, job))
    row = enter(lead, row, "props", "defect", " nick in prop 3 ")
    line = next(x for p in queries.preflight_view(row).parts for x in p.lines if x.key == "props")
    assert (line.done, line.verdict, line.answer, line.remark) == (True, "no", "defect", "nick in prop 3")
    entry = queries.preflight_view(row).entries["props"]
    assert (entry.value, entry.by) == (None, lead.full_name or lead.username)
    with pytest.raises(DomainError, match="nick in prop 3"):
        services.clear(actor=lead, preflight_id=row.pk)
    services.enter(actor=lead, preflight_id=row.pk, entries={"props": True})
    assert services.clear(actor=lead, preflight_id=row.pk).state == "cleared"


def test_a_remark_without_words_is_refused_at_its_check_and_nothing_is_lost(lead, clear_sky, job):
    row = fill(lead, begin(lead, clear_sky, job))
    with pytest.raises(DomainError) as bad:
        enter(lead, row, "compass", "not applicable", " ")
    assert bad.value.field == "compass"
    assert queries.preflight_view(queries.preflight_of(row.pk)).open_count == 0
    assert enter(lead, row, "compass", "not applicable", "dry grass").word == "go"


def test_cells_that_turn_out_a_defect_are_withdrawn_from_the_records(lead, clear_sky, job):
    row = fill(lead, begin(lead, clear_sky, job))
    services.clear(actor=lead, preflight_id=row.pk)
    services.enter(actor=lead, preflight_id=row.pk, entries={"cells": [3.97] * 6})
    row = enter(lead, queries.preflight_of(row.pk), "cells", "defect", "the display froze")
    assert PackRecord.objects.filter(pack=clear_sky["01"], kind="withdrawal").count() == 1
    assert queries.preflight_view(row).climb_word == "no"


def test_what_is_known_of_a_list_comes_from_records_and_then_from_the_running_day(lead, clear_sky, job):
    pack = clear_sky["01"]
    row = begin(lead, clear_sky, job)
    assert days.known_of_preflight(row.pk) == {}
    add_record(actor=lead, pack_id=pack.pk, kind="load test", figures={"cell_v": [3.97, 3.96, 3.95, 3.97, 3.97, 3.96]})
    add_record(actor=lead, pack_id=pack.pk, kind="charge", figures={"from_frac": 0.4, "to_frac": 1.0})
    found = days.known_of_preflight(row.pk)
    assert (found["charge_frac"].value, found["charge_frac"].now) == (1.0, False)
    assert found["cells"].value == [3.97, 3.96, 3.95, 3.97, 3.97, 3.96]
    assert found["cells"].words.startswith("last load test")
    today = make_today(lead, clear_sky, [job], ago_min=10)
    Preflight.objects.filter(pk=row.pk).update(on=today.date)
    days_services.start_run(actor=lead, day_id=today.pk)
    found = days.known_of_preflight(row.pk)
    assert (found["charge_frac"].words, found["charge_frac"].now) == ("01 on the running day", True)
    flight = days.live_of(today).aircraft[0].next
    post_events(
        actor=lead,
        day_id=today.pk,
        device="t",
        device_now=timezone.now(),
        events=[{"key": "u", "kind": "launched", "at": timezone.now(), "figures": {"flight": flight, "set": "01"}, "under": 1}],
    )
    told = {"flight": flight, "at": timezone.now(), "left_frac": 0.96, "pack_c": 24.0, "satellites": 17, "cells_v": [3.9] * 6}
    post_telemetry(actor=lead, day_id=today.pk, device_now=timezone.now(), readings=[told])
    found = days.known_of_preflight(row.pk)
    assert {k: v.value for k, v in found.items() if v.now and k != "return_clear_m"} == {
        "charge_frac": 0.96,
        "pack_c": 24.0,
        "satellites_count": 17.0,
        "cells": [3.9] * 6,
    }
    assert "from the aircraft" in found["cells"].words
