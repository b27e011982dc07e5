"""A search from its last known point to what was searched: shares, which ground next, reports and back, first in the air."""

import csv
import io
import json
import math
import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import partial
from uuid import UUID, uuid4

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import DatabaseError, connection, transaction
from django.utils import timezone
from django_scopes import scope
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from shapely import Polygon

from quarry.apps.accounts.errors import DomainError, Stale
from quarry.apps.accounts.models import HistoryEntry, Organisation
from quarry.apps.day.models import DayRun
from quarry.apps.day.queries import fleet_now, live_of
from quarry.apps.day.services import PostedEvent, post_events
from quarry.apps.fleet.models import Pack
from quarry.apps.jobs.models import Job
from quarry.apps.search import mappers, queries, services
from quarry.apps.search.fields import SearchFields, TrialFields
from quarry.apps.search.formats import handover_csv, handover_geojson, handover_pdf, read_handover
from quarry.apps.search.formats.handover_pdf import handover_html
from quarry.apps.search.models import Search, SearchJob, SearchReport
from quarry.core.base.errors import MissingInput
from tests.factories import FIELD, HOME, make_job, make_terrain, make_today, person
from tests.flown import fly, jpeg

pytestmark = pytest.mark.django_db
POINT = (7.103, 46.202)
WITHIN = [(0.25, 300.0), (0.5, 700.0), (0.95, 2500.0)]


@pytest.fixture
def search(lead, fleet):
    Pack.objects.update(charge_frac=1.0)
    kind = services.keep_kind(actor=lead, name="walker", within=WITHIN)
    what = {"point": POINT, "home": HOME, "radius_m": 600.0, "aircraft_ids": [str(fleet["A1"].pk)], "sensor": "thermal"}
    row = services.add_search(actor=lead, name="Fell", what=what, person="red jacket", kind_id=kind.pk)
    return services.lay_segments(actor=lead, search_id=row.pk, how="net", side_m=300.0)


def report(lead, search, key=None, kind="searched", **figures):
    return services.add_report(actor=lead, search_id=search.pk, key=key or uuid4(), kind=kind, figures=figures)


def shares(search):
    found = queries.search_of(search.pk)
    return {s.id: s.share_frac for s in found.segments} | {"rest": found.rest_frac}


def what_of(search, **over):
    return Search.objects.get(pk=search.pk).what | over


def test_a_net_shares_the_rings_and_all_sums_to_one(search):
    found = queries.search_of(search.pk)
    assert len(found.segments) >= 12
    assert sum(s.share_frac for s in found.segments) + found.rest_frac == pytest.approx(1.0)
    middle = max(found.segments, key=lambda s: s.share_frac / s.area_ha)
    rim = min(found.segments, key=lambda s: s.share_frac / s.area_ha)
    assert middle.share_frac / middle.area_ha > 2 * rim.share_frac / rim.area_ha
    inside = 0.25 + 0.25 * (600**2 - 300**2) / (700**2 - 300**2)
    assert found.rest_frac == pytest.approx(1 - inside, abs=0.01)
    assert found.ways[0].key == "rings"
    assert {s.width_from for s in found.segments} == {"assumed"}


def test_the_next_ground_is_said_in_words_with_what_else_could_be_done(search):
    found = queries.next_of(search.pk)
    assert found.problem == ""
    assert found.words.startswith("Next: segment ")
    assert "POS 0 % →" in found.words.replace("0%", "0 %")
    first = found.sorties[0]
    assert first.who == "A1"
    assert first.spacing_m == pytest.approx(
        next(s.width_m for s in queries.search_of(search.pk).segments if s.id == first.segment) / first.coverage
    )
    assert found.sorties[-1].after_frac <= found.success_frac + 1e-9 <= found.at_most_frac + 1e-6
    assert [p.success_frac for p in found.curve] == sorted(p.success_frac for p in found.curve)
    assert all(p.low_frac <= p.success_frac + 1e-9 and p.success_frac <= p.high_frac + 1e-9 for p in found.curve)
    assert any(m.startswith("One more set of P6: ") for m in found.more)
    assert found.instead
    assert found.working.steps[0].name == "share_frac"


def test_a_report_moves_chance_to_all_the_rest_and_goes_back_when_taken_back(lead, search):
    before = shares(search)
    first = max(before, key=lambda k: before[k] if k != "rest" else -1)
    key = uuid4()
    report(lead, search, key, segment=first, detection_frac=0.6, who="team 1")
    report(lead, search, key, segment=first, detection_frac=0.6, who="team 1")
    after = shares(search)
    success = before[first] * 0.6
    assert after[first] == pytest.approx(before[first] * 0.4 / (1 - success))
    assert after["rest"] == pytest.approx(before["rest"] / (1 - success))
    assert queries.search_of(search.pk).success_frac == pytest.approx(success)
    assert "POD as the observer puts it 60%" in queries.search_of(search.pk).reports[0].words
    services.take_back_report(actor=lead, search_id=search.pk, key=key)
    services.take_back_report(actor=lead, search_id=search.pk, key=key)
    assert shares(search) == pytest.approx(before)
    assert [r.taken_back for r in queries.search_of(search.pk).reports] == ["Lena"], "it stays to be read"
    with pytest.raises(DatabaseError), transaction.atomic(), connection.cursor() as cursor:
        cursor.execute("UPDATE search_searchreport SET kind = 'note'")


def test_a_clue_and_a_find_have_their_place_in_the_notations_of_the_ground(lead, search):
    before = shares(search)
    some = next(iter(before))
    report(lead, search, kind="clue", words="glove", place=POINT, certainty="likely", likelier={some: 5.0})
    assert shares(search)[some] == pytest.approx(5 * before[some] / (1 + 4 * before[some]))
    report(lead, search, kind="find", words="found, conscious", place=POINT, certainty="sure")
    found = queries.search_of(search.pk)
    assert found.found
    assert found.reports[-1].notations[0] == "46.202000, 7.103000"
    assert found.reports[-1].notations[-1].startswith("32T ")


@pytest.mark.parametrize(
    ("kind", "figures", "field"),
    [
        ("searched", {"segment": "s1"}, "detection_frac"),
        ("searched", {"segment": "nowhere", "detection_frac": 0.5}, "segment"),
        ("searched", {"segment": "s1", "detection_frac": 1.5}, "detection_frac"),
        ("clue", {"words": "glove"}, "place"),
        ("clue", {"place": (7.1, 46.2), "likelier": {"nowhere": 2.0}}, "likelier"),
        ("note", {"words": " "}, "words"),
        ("note", {"words": "x", "certainty": "maybe"}, "figures.certainty"),
    ],
)
def test_a_report_that_lacks_something_is_told_at_its_field(lead, search, kind, figures, field):
    with pytest.raises(DomainError) as bad:
        report(lead, search, kind=kind, **figures)
    assert bad.value.field == field
    assert not SearchReport.objects.exists()


def test_what_was_evened_overlaps_or_is_too_narrow_is_told(lead, search):
    ring = [(7.10, 46.200), (7.104, 46.200), (7.104, 46.204), (7.10, 46.204)]
    beside = [(7.102, 46.200), (7.106, 46.200), (7.106, 46.204), (7.102, 46.204)]
    sliver = [(7.11, 46.2), (7.1103, 46.2), (7.1103, 46.204), (7.11, 46.204)]
    segments = [
        {"id": "a", "name": "A", "ring": ring, "share": 60.0},
        {"id": "b", "name": "B", "ring": beside, "share": 30.0, "cover": "wood"},
        {"id": "c", "name": "C", "ring": sliver, "share": 20.0},
    ]
    what = what_of(search, segments=segments, rest=10.0, weights={"rings": 0.0, "typed": 1.0})
    row = services.save_search(actor=lead, search_id=search.pk, version=search.version, name="Fell", what=what)
    found = queries.search_of(row.pk)
    notes = " ".join(found.notes)
    assert "A and B overlap" in notes
    assert "sum to 120; they were evened" in notes
    assert "Segment C is narrower than the sweep width" in notes
    assert [s.share_frac for s in found.segments] == pytest.approx([0.5, 0.25, 1 / 6])
    with pytest.raises(Stale):
        services.save_search(actor=lead, search_id=search.pk, version=search.version, name="Fell", what=what)


def test_people_estimate_side_by_side_and_their_mean_counts(lead, search):
    ids = list(shares(search))[:-1]
    estimates = [{"by": "Ada", "of": {ids[0]: 9.0}, "rest": 1.0}, {"by": "Bo", "of": {ids[1]: 50.0}, "rest": 50.0}]
    what = what_of(search, estimates=estimates, weights={"rings": 0.0, "people": 1.0})
    services.save_search(actor=lead, search_id=search.pk, version=search.version, name="Fell", what=what, kind_id=search.kind_id)
    found = queries.search_of(search.pk)
    assert {w.words for w in found.ways} == {"rings round the last known point", "Ada", "Bo", "2 people together"}
    assert found.segments[0].share_frac == pytest.approx(0.45)
    assert found.rest_frac == pytest.approx(0.3)


def test_own_trials_stand_in_for_what_is_assumed(lead, search):
    passes = [(float(d), d < 25) for d in range(0, 80, 4)]
    trial = services.keep_trial(actor=lead, of=TrialFields(sensor="thermal", cover="open"), passes=passes)
    assert trial.low_m < trial.width_m < trial.high_m
    segment = queries.search_of(search.pk).segments[0]
    assert (segment.width_m, segment.width_from) == (trial.width_m, "own trials")
    with pytest.raises(DomainError) as bad:
        services.keep_trial(actor=lead, of=TrialFields(sensor="thermal", cover="open"), passes=passes[:3])
    assert bad.value.field == "passes"
    services.set_trial_archived(actor=lead, trial_id=trial.pk, archived=True)
    assert queries.search_of(search.pk).segments[0].width_from == "assumed"


def test_travel_on_foot_counts_paths_and_water(lead, search):
    what = what_of(
        search,
        weights={"rings": 0.0, "travel": 1.0},
        waters=[[(7.104, 46.19), (7.1045, 46.19), (7.1045, 46.215), (7.104, 46.215)]],
    )
    services.save_search(actor=lead, search_id=search.pk, version=search.version, name="Fell", what=what, kind_id=search.kind_id)
    found = queries.search_of(search.pk)
    assert any(w.key == "travel" for w in found.ways)
    east = [s.share_frac / s.area_ha for s in found.segments if min(p[0] for p in s.ring) > 7.105]
    west = [s.share_frac / s.area_ha for s in found.segments if max(p[0] for p in s.ring) < 7.103]
    assert max(east) < min(west), "behind the water it takes long to get to"
    assert any("all ground counts as level" in t for t in found.notes)


def test_first_patterns_are_planned_and_one_begins_the_day(lead, search, fleet):
    patterns = queries.first_patterns(search.pk)
    able = [p for p in patterns if not p.problem]
    assert {p.pattern for p in able} >= {"square", "sector", "parallel"}
    assert all(p.sorties > 0 and 0 < p.detection_frac < 1 and p.time_s > 0 for p in able)
    assert next(p for p in patterns if p.pattern == "contour").problem, "no terrain lies here"
    day = services.launch_first(actor=lead, search_id=search.pk, pattern="square")
    assert DayRun.objects.filter(day=day, closed_at=None).exists()
    job = SearchJob.objects.get(search=search).job
    assert job.work["pattern"] == "square"
    with pytest.raises(DomainError, match="its day already"):
        services.launch_first(actor=lead, search_id=search.pk, pattern="sector")
    given, sorties = services.give_segment(actor=lead, search_id=search.pk, segment="s1", coverage=0.8)
    assert sorties, "a further segment joins the running day"
    with pytest.raises(DomainError, match="Nothing was flown of this job"):
        services.report_flown(actor=lead, search_id=search.pk, job_id=job.pk)
    assert given.kind == "search"
    assert given.work["coverage"] == pytest.approx(0.8)


def test_a_search_that_begins_before_midnight_goes_on_after_it(lead, search, monkeypatch):
    late = datetime(2031, 2, 10, 23, 20, tzinfo=UTC)
    monkeypatch.setattr(timezone, "now", lambda: late)
    day = services.launch_first(actor=lead, search_id=search.pk, pattern="square")
    assert (day.date.isoformat(), f"{day.opens:%H:%M}", f"{day.closes:%H:%M}") == ("2031-02-10", "23:20", "02:20")
    up = live_of(day).flights[0]
    happened(lead, day, "launched", flight=up.id, set=next(c.set for c in live_of(day).calls if c.flight == up.id))
    monkeypatch.setattr(timezone, "now", lambda: late + timedelta(hours=1))
    assert live_of(DayRun.objects.get(day=day).day).now_s == pytest.approx(3600.0, abs=1.0)
    found = queries.next_of(search.pk)
    assert found.problem == ""
    starts = [datetime.fromisoformat(s.starts_at) for s in found.sorties]
    assert all(datetime(2031, 2, 11, tzinfo=UTC) < at < datetime(2031, 2, 11, 4, tzinfo=UTC) for at in starts)
    report(lead, search, segment=found.sorties[0].segment, detection_frac=0.5)
    assert queries.search_of(search.pk).reports[0].at.startswith("2031-02-11T00:20")


def test_a_first_pattern_reaches_less_far_where_the_day_has_no_room_for_all_of_it(lead, search):
    soon = (timezone.now() + timedelta(hours=2)).isoformat()
    services.save_search(
        actor=lead, search_id=search.pk, version=search.version, name="Fell", what=what_of(search, radius_m=6000.0, until=soon)
    )
    services.launch_first(actor=lead, search_id=search.pk, pattern="square")
    found = queries.search_of(search.pk)
    note = next(r.words for r in found.reports if r.kind == "note")
    assert "of 6000 m: limits, packs and the hour leave no time for more" in note
    assert found.radius_m == 6000.0
    assert Job.objects.count() == 1, "what had no room left nothing behind"


def test_where_nothing_can_fly_the_first_refusal_is_the_one_that_is_said(lead, search):
    services.save_search(
        actor=lead, search_id=search.pk, version=search.version, name="Fell", what=what_of(search, radius_m=40.0)
    )
    Pack.objects.update(archived_at=timezone.now())
    with pytest.raises(DomainError) as bad:
        services.launch_first(actor=lead, search_id=search.pk, pattern="square")
    assert "Radius" not in str(bad.value.message)
    assert not Job.objects.exists()


def test_what_was_truly_covered_is_reported_once(lead, fleet, search):
    row = Search.objects.get(pk=search.pk)
    ring = [tuple(p) for p in FIELD]
    row.what = row.what | {"segments": [{"id": "f", "name": "F", "ring": ring}]}
    row.save()
    work = {"sweep_width_m": 60.0, "coverage": 1.0, "law": "random", "speed_m_s": 9.0, "height_m": 60.0}
    job = make_job(lead, fleet, kind="search", work=work)
    SearchJob.objects.create(organisation=lead.organisation, search=row, job=job, segment="f")
    with pytest.raises(DomainError):
        services.report_flown(actor=lead, search_id=row.pk, job_id=job.pk)
    fly(lead, make_today(lead, fleet, [job], ago_min=300))
    services.report_flown(actor=lead, search_id=row.pk, job_id=job.pk)
    services.report_flown(actor=lead, search_id=row.pk, job_id=job.pk)
    found = queries.search_of(row.pk)
    assert len(found.reports) == 1
    assert found.reports[0].detection_frac == pytest.approx(0.632, abs=0.08)
    assert found.jobs[0].reported


def test_a_pattern_is_planned_as_a_job_with_its_own_pod(lead, fleet):
    from quarry.apps.jobs.queries import plan_of

    work = {"sweep_width_m": 60.0, "coverage": 1.0, "speed_m_s": 9.0, "height_m": 60.0, "pattern": "sector"}
    plan = plan_of(make_job(lead, fleet, kind="search", work=work, site={"datum": POINT}))
    assert plan.laid_as == "sectors"
    assert plan.directions == []
    assert plan.workings["bearing_deg"].title == "pattern"
    assert "by place" in plan.workings["detection_frac"].steps[-1].note
    assert 0.3 < plan.figure("detection_frac") < 0.7
    outside = make_job(lead, fleet, kind="search", work=work, site={"datum": (7.2, 46.3)})
    from quarry.apps.jobs.queries import PlanRefused

    with pytest.raises(PlanRefused) as bad:
        plan_of(outside)
    assert bad.value.field == "site.datum"


def test_no_answer_says_what_is_lacking(lead, search):
    nobody = what_of(search, aircraft_ids=[])
    row = services.save_search(actor=lead, search_id=search.pk, version=search.version, name="Fell", what=nobody)
    assert "Choose an aircraft" in queries.next_of(row.pk).problem
    past = what_of(search, until=(timezone.now() - timedelta(hours=1)).isoformat())
    row = services.save_search(actor=lead, search_id=search.pk, version=row.version, name="Fell", what=past)
    assert queries.next_of(row.pk).problem_at == "what.until"
    empty = services.add_search(actor=lead, name="Empty", what={})
    assert queries.next_of(empty.pk).problem_at == "what.segments"
    assert queries.search_of(empty.pk).segments == []
    assert {s.name for s in queries.searches()} == {"Fell", "Empty"}


def test_teams_on_foot_are_effort_with_their_own_speed(lead, search):
    what = what_of(search, aircraft_ids=[], teams=[{"name": "Team 2", "kind": "team", "speed_m_s": 0.8, "at": HOME}])
    services.save_search(actor=lead, search_id=search.pk, version=search.version, name="Fell", what=what, kind_id=search.kind_id)
    found = queries.next_of(search.pk)
    assert found.problem == ""
    assert {s.who for s in found.sorties} == {"Team 2"}
    bad = what_of(search, teams=[{"name": "Team 2", "from_clock": "soon", "at": HOME}])
    row = Search.objects.get(pk=search.pk)
    services.save_search(actor=lead, search_id=search.pk, version=row.version, name="Fell", what=bad)
    assert "no time of day" in queries.next_of(search.pk).problem


def test_an_ended_search_keeps_its_ground_and_forgets_the_person(lead, search):
    services.end_search(actor=lead, search_id=search.pk, forget=True)
    found = queries.search_of(search.pk)
    assert found.ended_at
    assert (found.person, found.kind_id) == ("", None)
    assert found.segments
    assert not HistoryEntry.objects.filter(after__icontains="jacket").exists()
    with pytest.raises(DomainError, match="has ended"):
        report(lead, search, kind="note", words="late")
    services.end_search(actor=lead, search_id=search.pk, ended=False)
    report(lead, search, kind="note", words="again")


def test_a_viewer_reads_and_reports_nothing(lead, search):
    from quarry.apps.accounts.permissions import NotAllowed

    viewer = person(lead.organisation, "vera", "viewer")
    with pytest.raises(NotAllowed):
        report(viewer, search, kind="note", words="x")
    assert queries.search_of(search.pk).name == "Fell"
    assert Job.objects.count() == 0


def test_a_job_over_several_segments_is_reported_for_each_by_the_share_that_was_flown_over(lead, fleet, search):
    west, east = min(p[0] for p in FIELD), max(p[0] for p in FIELD)
    south, north = min(p[1] for p in FIELD), max(p[1] for p in FIELD)
    middle, out = (west + east) / 2, 2 * east - west
    box = [[(a, south), (b, south), (b, north), (a, north)] for a, b in ((west, middle), (middle, out), (out, out + 0.01))]
    row = Search.objects.get(pk=search.pk)
    row.what = row.what | {"segments": [{"id": n, "name": n, "ring": ring} for n, ring in zip("wef", box, strict=True)]}
    row.save()
    work = {"sweep_width_m": 60.0, "coverage": 1.0, "law": "random", "speed_m_s": 9.0, "height_m": 60.0}
    job = make_job(lead, fleet, kind="search", work=work)
    SearchJob.objects.create(organisation=lead.organisation, search=row, job=job, segment="first")
    fly(lead, make_today(lead, fleet, [job], ago_min=300))
    services.report_flown(actor=lead, search_id=row.pk, job_id=job.pk)
    services.report_flown(actor=lead, search_id=row.pk, job_id=job.pk)
    found = queries.search_of(row.pk)
    pods = {r.segment: r.detection_frac for r in found.reports}
    assert set(pods) == {"w", "e"}
    assert len(found.reports) == 2
    field = Polygon(FIELD)
    west_frac, east_frac = (field.intersection(Polygon(ring)).area / Polygon(ring).area for ring in box[:2])
    assert pods["w"] / west_frac == pytest.approx(0.632, abs=0.08)
    assert pods["e"] / east_frac == pytest.approx(pods["w"] / west_frac, rel=0.01)


def test_a_segment_that_is_out_is_not_sent_out_again_and_counts_with_its_pod(lead, search):
    before = queries.next_of(search.pk)
    first = before.sorties[0]
    services.give_segment(actor=lead, search_id=search.pk, segment=first.segment, coverage=first.coverage)
    after = queries.next_of(search.pk)
    assert after.sorties[0].segment != first.segment
    assert f"Segment {first.name} is out: it counts with POD {first.detection_frac:.0%}" in " ".join(after.notes)
    assert after.sorties[0].before_frac == pytest.approx(first.after_frac, abs=1e-6)
    assert after.success_frac >= before.success_frac - 1e-3
    report(lead, search, segment=first.segment, detection_frac=0.1, job_id=str(uuid4()))
    assert not queries.search_of(search.pk).jobs[0].reported, "another job flew over it"
    for how in ({"job_id": str(SearchJob.objects.get(search=search).job_id)}, {"who": "Team 1"}):
        made = report(lead, search, segment=first.segment, detection_frac=0.1, **how)
        assert not [n for n in queries.next_of(search.pk).notes if "is out" in n]
        assert queries.search_of(search.pk).jobs[0].reported
        services.take_back_report(actor=lead, search_id=search.pk, key=made.key)
    assert not queries.search_of(search.pk).jobs[0].reported


def test_the_running_day_says_when_aircraft_and_packs_are_free(lead, search, flying):
    free = fleet_now(flying)
    aircraft = str(live_of(flying).aircraft[0].id)
    up = next(f for f in live_of(flying).flights if f.word == "airborne")
    assert free.free_s[aircraft] > up.length_s
    assert min(s for _, s in free.charge.values()) == 0.0
    assert any(frac < 0.9 and s > 0 for frac, s in free.charge.values()), "what flies comes down emptier, and later"
    found = queries.next_of(search.pk)
    assert any("is free at" in n for n in found.notes)
    began = datetime.fromisoformat(found.sorties[0].starts_at)
    assert began >= timezone.now() + timedelta(seconds=up.length_s - 60)


def test_limits_leave_an_aircraft_its_openings_alone(lead, search):
    made = queries.flyers_of(search, queries.entered(search), timezone.now(), timezone.now() + timedelta(hours=3))
    (flyer,), _ = made
    assert flyer.windows == [(0.0, pytest.approx(3 * 3600.0, abs=2.0))]
    now = timezone.now()
    two = [(600.0, 4200.0), (6000.0, 9000.0)]
    for windows, words in (([], "leave it no weather window"), (two, f"Limits leave A1 {now + timedelta(seconds=600):%H:%M} to")):
        asked = partial(mappers.asked_of, queries.entered(search), queries.standing(search, queries.entered(search)))
        notes = []
        try:
            effort = asked([replace(flyer, windows=windows)], {}, now, now + timedelta(hours=3))
            notes = effort.notes
            assert effort.effort.searchers[0].open_s == tuple(windows)
        except mappers.SearchError as bad:
            notes = [bad.message]
        assert words in " ".join(notes)


def by_eyes(search, **over):
    row = Search.objects.get(pk=search.pk)
    row.what = row.what | {"sensor": "camera"} | over
    row.save()
    return row


EVENING = datetime(2031, 2, 10, 18, tzinfo=UTC)


def test_in_the_dark_eyes_are_planned_from_first_light_on(search):
    """Civil twilight here on this date: 6:10 to 17:21 UTC (astral)."""
    row = by_eyes(search)
    found = queries.next_of(row.pk, EVENING)
    assert found.problem == ""
    assert re.match(r"Next, at 06:\d\d on 11 February: segment ", found.words)
    assert re.match(r"Nobody can search before first light at 06:\d\d: planned", found.notes[0])
    begins = datetime.fromisoformat(found.sorties[0].starts_at)
    assert datetime(2031, 2, 11, 6, tzinfo=UTC) < begins < datetime(2031, 2, 11, 7, tzinfo=UTC)
    noon = queries.next_of(row.pk, EVENING.replace(hour=12))
    assert noon.words.startswith("Next: segment ")
    assert not [n for n in noon.notes if "ight" in n]


def test_an_hour_that_was_entered_is_kept_in_the_dark_and_said(search):
    row = by_eyes(search, until="2031-02-10T20:00")
    assert re.match(
        r"It is dark until 06:\d\d: an eye on the screen sees nobody before", queries.next_of(row.pk, EVENING).problem
    )
    row = by_eyes(search, until="2031-02-10T20:00", teams=[{"name": "Team 1", "kind": "team", "speed_m_s": 0.8, "at": HOME}])
    found = queries.next_of(row.pk, EVENING)
    assert {s.who for s in found.sorties} == {"Team 1"}
    assert any(re.match(r"It is dark until 06:\d\d", n) for n in found.notes)
    row = by_eyes(search, until="2031-02-11T08:00", teams=[])
    found = queries.next_of(row.pk, EVENING.replace(hour=16, minute=30))
    dark = next(n for n in found.notes if n.startswith("Light for eyes"))
    assert re.match(r"Light for eyes until 17:\d\d, from 06:\d\d: an eye on the screen counts for nothing", dark)
    starts = [datetime.fromisoformat(s.starts_at).hour for s in found.sorties]
    assert set(starts) <= {16, 17, 6, 7}
    assert {6, 16} <= set(starts)


def test_in_a_night_whose_clocks_change_hours_are_true(lead, search):
    """In Auckland 3:00 becomes 2:00 on 2031-04-06: from 2:30 before it to 6:30 after it are five hours."""
    search.organisation.time_zone = "Pacific/Auckland"
    search.organisation.save()
    at = datetime(2031, 4, 5, 13, 30, tzinfo=UTC)
    row = by_eyes(search, point=(170.103, -43.5), home=(170.103, -43.5), segments=[])
    services.lay_segments(actor=lead, search_id=row.pk, how="net", side_m=300.0)
    found = queries.next_of(row.pk, at)
    first = datetime.fromisoformat(found.sorties[0].starts_at)
    dawn = next(n for n in found.notes if "first light at" in n)
    assert first.strftime("%H:%M") in dawn
    assert found.curve[0].at_s == 0.0
    assert min(p.at_s for p in found.curve if p.at_s) == pytest.approx((first.astimezone(UTC) - at).total_seconds(), abs=120)
    assert (first.astimezone(UTC) - at).total_seconds() > 4.9 * 3600


@pytest.mark.parametrize(
    ("hours", "begins"),
    [
        (("08:00", "16:00"), "2031-02-11T08:00"),  # its hours of today are over
        (("14:00", "20:00"), "2031-02-10T18:00"),
        (("22:00", "06:00"), "2031-02-10T22:00"),
        (("12:00", "02:00"), "2031-02-10T18:00"),
        (("17:00", ""), "2031-02-10T18:00"),
        (("", "16:00"), ""),
    ],
)
def test_hours_of_a_team_are_those_under_way_or_the_next_ones(search, hours, begins):
    team = {"name": "Team 1", "kind": "team", "speed_m_s": 0.8, "at": HOME, "from_clock": hours[0], "until_clock": hours[1]}
    row = by_eyes(search, until="2031-02-11T12:00", teams=[team])
    found = queries.next_of(row.pk, EVENING)
    mine = [s.starts_at for s in found.sorties if s.who == "Team 1"]
    assert (mine[0][:16] if mine else "") == begins


def test_hours_over_midnight_are_under_way_after_it(search):
    team = {"name": "Team 1", "kind": "team", "speed_m_s": 0.8, "at": HOME, "from_clock": "22:00", "until_clock": "06:00"}
    row = by_eyes(search, until="2031-02-11T12:00", teams=[team])
    found = queries.next_of(row.pk, EVENING.replace(day=11, hour=1))
    mine = [s for s in found.sorties if s.who == "Team 1"]
    assert mine[0].starts_at.startswith("2031-02-11T01:00")
    assert mine[-1].ends_at[:16] <= "2031-02-11T06:00"


def test_a_first_pattern_in_the_dark_says_so_and_counts_for_nothing(search, monkeypatch):
    row = by_eyes(search)
    monkeypatch.setattr(timezone, "now", lambda: EVENING)
    for pattern in (p for p in queries.first_patterns(row.pk) if not p.problem):
        assert (pattern.detection_frac, pattern.success_frac) == (0.0, 0.0)
        assert re.search(r"It is dark until 06:\d\d: an eye on the screen sees nobody before", pattern.note)
    monkeypatch.setattr(timezone, "now", lambda: EVENING.replace(hour=12))
    assert max(p.detection_frac for p in queries.first_patterns(row.pk)) > 0.3


def test_what_eyes_flew_in_the_dark_counts_for_nothing(search):
    f = replace(queries.entered(search), sensor="camera")
    dusk = datetime(2031, 2, 10, 17, 21, tzinfo=UTC)
    hour = timedelta(hours=1)
    assert mappers.lit_frac(f, [(dusk - hour, dusk + hour)]) == pytest.approx(0.5, abs=0.01)
    assert mappers.lit_frac(f, [(dusk + hour, dusk + 2 * hour), (dusk - 2 * hour, dusk - hour)]) == pytest.approx(0.5)
    assert mappers.lit_frac(replace(f, sensor="thermal"), [(dusk + hour, dusk + 2 * hour)]) == 1.0
    assert mappers.lit_frac(f, []) == 1.0


@pytest.mark.parametrize("sensor", ["camera", "thermal"])
def test_a_report_as_flown_says_what_was_dark(lead, fleet, search, monkeypatch, sensor):
    work = {"sweep_width_m": 60.0, "coverage": 1.0, "law": "random", "speed_m_s": 9.0, "height_m": 60.0}
    job = make_job(lead, fleet, kind="search", work=work)
    row = by_eyes(search, sensor=sensor, segments=[{"id": "w", "name": "w", "ring": FIELD}])
    SearchJob.objects.create(organisation=lead.organisation, search=row, job=job, segment="w")
    fly(lead, make_today(lead, fleet, [job], ago_min=300))
    monkeypatch.setattr(mappers.effort, "light_spans", lambda *_: ())
    services.report_flown(actor=lead, search_id=row.pk, job_id=job.pk)
    (made,) = queries.search_of(row.pk).reports
    assert (made.detection_frac == 0.0) == (sensor == "camera")
    assert ("100% of the time was dark" in made.words) == (sensor == "camera")


@pytest.mark.parametrize(
    ("hour", "air_c", "word"),
    [(12, 8.0, "fair now, the sun"), (12, 27.0, "poor"), (17, 8.0, "fair now, rock"), (23, 8.0, "good"), (4, 8.0, "good")],
)
def test_a_thermal_camera_sees_best_over_cold_ground(search, hour, air_c, word):
    """Common practice, no source: the sun sets here about 16:50 UTC on this day of February."""
    f = replace(queries.entered(search), sensor="thermal")
    at = datetime(2031, 2, 10, hour, tzinfo=UTC)
    notes = mappers.night_notes(f, at, at + timedelta(hours=3), air_c)
    assert f"Thermal camera: {word}" in " ".join(notes)
    assert any(n.startswith("Night") for n in notes) == (hour != 12)


@pytest.fixture
def flying(lead, search):
    """A search whose first sortie is in the air."""
    day = services.launch_first(actor=lead, search_id=search.pk, pattern="square")
    run = DayRun.objects.get(day=day)
    sortie = live_of(day).flights[0]
    happened(lead, day, "launched", flight=sortie.id, set=next(c.set for c in live_of(day).calls if c.flight == sortie.id))
    return run.day


def happened(lead, day, kind, **figures):
    now = timezone.now()
    event = PostedEvent(f"{kind}-{uuid4().hex[:12]}", kind, now, figures)
    done = post_events(actor=lead, day_id=day.pk, device="tablet", device_now=now, events=[event])
    assert done.refused == []
    return event.key


def test_a_find_calls_all_home_and_stops_the_effort_until_it_is_taken_back(lead, search, flying):
    before = live_of(flying)
    assert before.searches
    assert before.found is None
    up = next(f.id for f in before.flights if f.word == "airborne")
    key = uuid4()
    report(lead, search, key, kind="find", words="sits by the wall,\nwaves", place=POINT, certainty="sure")
    live = live_of(flying)
    assert next(a.words for a in live.alerts if a.key == "found") == f"Found: call home {up}"
    assert live.calls[0].kind == "call_home"
    assert live.calls[0].flight == up
    assert live.found.words == "sits by the wall, waves"
    assert "32T LS" in live.found.notations[-1]
    assert {f.word for f in live.flights} == {"airborne", "dropped"}
    assert queries.next_of(search.pk).problem.startswith("Found at ")
    with pytest.raises(DomainError, match="Take the find back"):
        services.give_segment(actor=lead, search_id=search.pk, segment="s1", coverage=1.0)
    happened(lead, flying, "homing", flight=up)
    assert [c.kind for c in live_of(flying).calls if c.flight == up] == ["land"]
    services.take_back_report(actor=lead, search_id=search.pk, key=key)
    again = live_of(flying)
    assert again.found is None
    assert {f.word for f in again.flights} == {"airborne", "planned"}
    assert queries.search_of(search.pk).found == ""


def test_a_find_that_live_calls_is_told_in_the_search(lead, search, flying):
    tapped = happened(lead, flying, "found")
    assert "says Live" in queries.search_of(search.pk).found
    happened(lead, flying, "undo", of=tapped)
    assert queries.search_of(search.pk).found == ""


def test_a_handover_is_read_in_by_another_company_as_it_was(lead, search):
    report(lead, search, segment="s1", detection_frac=0.6, who="=team 1")
    gone = uuid4()
    report(lead, search, gone, segment="s2", coverage=1.0)
    services.take_back_report(actor=lead, search_id=search.pk, key=gone)
    report(lead, search, kind="clue", words="a glove", place=POINT, certainty="likely", likelier={"s3": 4.0})
    was = queries.search_of(search.pk)
    facts = queries.handover_of(search.pk, "Lena")
    other = person(Organisation.objects.create(name="South Crew"), "sofia", "lead")
    with scope(organisation=other.organisation):
        row, notes = services.take_over(actor=other, data=handover_geojson(facts))
        found = queries.search_of(row.pk)
        assert any("kind of person" in n for n in notes)
        assert [(s.id, s.name, s.cover) for s in found.segments] == [(s.id, s.name, s.cover) for s in was.segments]
        assert [s.share_frac for s in found.segments] == pytest.approx([s.share_frac for s in was.segments], abs=1e-6)
        assert found.success_frac == pytest.approx(was.success_frac, abs=1e-6)
        assert [(r.at, r.words, bool(r.taken_back)) for r in found.reports] == [
            (r.at, r.words, bool(r.taken_back)) for r in was.reports
        ]
        assert found.reports[0].by.endswith(f", {lead.organisation.name}")
        assert found.aircraft_ids == []
        assert HistoryEntry.objects.filter(action="search.taken_over").exists()
        assert services.take_over(actor=other, data=handover_geojson(facts))[0].kind == row.kind, "its table came once"


def test_the_table_and_the_sheet_of_a_handover_say_who_searched_what(lead, search):
    report(lead, search, segment="s1", detection_frac=0.6, who="=team 1", words="<b>fog</b>")
    report(lead, search, kind="find", place=POINT, certainty="sure")
    facts = queries.handover_of(search.pk, "Lena")
    rows = list(csv.DictReader(io.StringIO(handover_csv(facts).decode("utf-8-sig"))))
    one = next(r for r in rows if r["segment"] == queries.search_of(search.pk).segments[0].name)
    assert one["searched by"] == "'=team 1"
    assert float(one["POD"]) == pytest.approx(0.6)
    assert sum(float(r["share now"]) for r in rows) == pytest.approx(1.0, abs=2e-3)
    html = handover_html(facts)
    assert "&lt;b&gt;fog" in html
    assert "FOUND" in html
    assert handover_pdf(facts).startswith(b"%PDF")


@pytest.fixture
def handed(lead, search):
    report(lead, search, segment="s1", detection_frac=0.6)
    return handover_geojson(queries.handover_of(search.pk, "Lena"))


def broken(whole, **search):
    return json.dumps(whole | {"search": whole["search"] | search}).encode()


def test_a_handover_that_cannot_be_read_says_what_to_do_and_leaves_nothing(lead, handed):
    whole = json.loads(handed)
    cases = {
        "no GeoJSON": [b"\xff\x00", b"[" * 100_000, handed[:-40]],
        "holds no search": [b"[]", b'{"type": "FeatureCollection", "features": []}'],
        "newer": [broken(whole, format="search-handover/9")],
        "lacks what was entered": [broken(whole, entered=None)],
        "cannot be read at": [broken(whole, entered=whole["search"]["entered"] | {"radius_m": "wide"})],
    }
    for words, files in cases.items():
        for file in files:
            with pytest.raises(DomainError, match=words) as bad:
                services.take_over(actor=lead, data=file)
            assert bad.value.field == "file"
    _, notes = services.take_over(actor=lead, data=broken(whole, reports=[*whole["search"]["reports"], {"key": 1}, None]))
    assert [n for n in notes if "left out" in n] == [
        "Report 2 cannot be read and was left out.",
        "Report 3 cannot be read and was left out.",
    ]


def test_terrain_under_a_part_of_a_search_counts_there_and_says_how_much_it_is(lead, search):
    search.refresh_from_db()
    services.save_search(
        actor=lead,
        search_id=search.pk,
        version=search.version,
        name="Fell",
        what=what_of(search, weights={"rings": 1.0, "travel": 1.0}),
        kind_id=search.kind_id,
    )
    assert "No terrain lies here: on foot all ground counts as level." in queries.search_of(search.pk).notes
    _, terrain = make_terrain(lead)
    assert not [n for n in queries.search_of(search.pk).notes if "errain" in n]
    terrain.west_deg = POINT[0]
    terrain.save()
    found = queries.search_of(search.pk)
    (note,) = (n for n in found.notes if "errain" in n)
    share = int(re.search(r"Terrain covers (\d+)% of the segments", note).group(1))
    assert share == pytest.approx(50, abs=6)
    reach = {s.id: [p[0] - POINT[0] for p in s.ring] for s in found.segments}
    known = {s.id for s in found.segments if s.slope_frac is not None}
    assert {k for k, x in reach.items() if min(x) > 0.0005} <= known
    assert known.isdisjoint(k for k, x in reach.items() if max(x) < 0.0005)
    assert known


def test_segments_say_how_steep_they_are_where_terrain_lies(lead, search):
    assert {s.slope_frac for s in queries.search_of(search.pk).segments} == {None}
    sheet, _ = make_terrain(lead)
    cell = sheet.cell_deg
    x, y = sheet.west_deg + 30 * cell, sheet.south_deg + 30 * cell
    ring = [(x + dx, y + dy) for dx, dy in ((0, 0), (cell, 0), (cell, cell), (0, cell))]
    search.refresh_from_db()
    what = what_of(search, segments=[{"id": "in", "name": "in", "ring": ring}], point=(x, y), home=(x, y))
    services.save_search(actor=lead, search_id=search.pk, version=search.version, name="Fell", what=what)
    found = queries.search_of(search.pk).segments[0].slope_frac
    (sw, se), (nw, ne) = sheet.heights_m[30:32, 30:32]
    north_m = 111_200 * cell
    there = np.hypot((se + ne - sw - nw) / 2 / (north_m * math.cos(math.radians(y))), (nw + ne - sw - se) / 2 / north_m)
    assert found == pytest.approx(there, rel=0.1)
    facts = queries.handover_of(search.pk, "Lena")
    assert f"{found:.3f}" in handover_csv(facts).decode()
    assert f"slope {found:.0%}" in handover_html(facts)


def test_a_width_tried_at_another_height_is_told(lead, search):
    tries = [(float(d), d < 30) for d in range(0, 60, 5)]
    for height_m, told in ((60.0, False), (90.0, True)):
        services.keep_trial(actor=lead, of=TrialFields(sensor="thermal", cover="open", height_m=height_m), passes=tries)
        services.save_search(
            actor=lead, search_id=search.pk, version=search.version, name="Fell", what=what_of(search, height_m=62.0)
        )
        search.refresh_from_db()
        notes = queries.search_of(search.pk).notes
        assert ("Sweep width over open was tried at 90 m high, not 62: it may be another here." in notes) is told
    what = what_of(search, height_m=62.0, widths={"open": 40.0})
    services.save_search(actor=lead, search_id=search.pk, version=search.version, name="Fell", what=what)
    assert not [n for n in queries.search_of(search.pk).notes if "was tried at" in n], "a width that is entered counts"


def test_photos_of_a_clue_are_kept_shown_and_handed_over(web, lead, search):
    at = f"/api/searches/{search.pk}"
    answer = web.client.post(f"{at}/photos", {"file": SimpleUploadedFile("a.jpg", jpeg(7.1, 46.2, 0.0))})
    assert answer.status_code == 201, answer.content
    key = answer.json()["key"]
    clue = {"place": POINT, "words": "a glove", "certainty": "likely"}
    report(lead, search, kind="clue", photos=[key, key], **clue)
    with pytest.raises(DomainError, match="Take it again") as bad:
        report(lead, search, kind="clue", photos=[str(uuid4()), "no key"], **clue)
    assert bad.value.field == "photos"
    shown = queries.search_of(search.pk).reports
    assert [[str(k) for k in r.photos] for r in shown] == [[key]]
    got = web.client.get(f"/api/searches/photos/{key}")
    assert (got.status_code, got["Content-Type"]) == (200, "image/jpeg")
    facts = queries.handover_of(search.pk, "Lena")
    assert handover_html(facts).count("data:image/jpeg;base64,") == 1
    assert len(handover_pdf(facts)) > len(handover_pdf(replace(facts, photos={}, search=replace(facts.search, reports=[]))))
    whole = json.loads(handover_geojson(facts))
    whole["search"]["photos"] += [{"key": str(uuid4()), "jpeg": "bm8gcGhvdG8="}, {"key": "x", "jpeg": "!"}, 7]
    with scope(organisation=Organisation.objects.create(name="South Crew")):
        other = person(Organisation.objects.get(name="South Crew"), "sven", "lead")
        row, notes = services.take_over(actor=other, data=json.dumps(whole).encode())
        assert [[str(k) for k in r.photos] for r in queries.search_of(row.pk).reports] == [[key]]
        assert queries.photo_of(UUID(key))[:2] == b"\xff\xd8"
        assert "1 of 2 photos cannot be read and were left out." in notes
        assert {"Photo 3 cannot be read and was left out.", "Photo 4 cannot be read and was left out."} <= set(notes)
        _, again = services.take_over(actor=other, data=json.dumps(whole).encode())
        assert any("are here already" in n for n in again)


def test_photos_go_with_what_is_known_of_the_person(web, lead, search):
    kept = services.add_search_photo(actor=lead, search_id=search.pk, data=jpeg(7.1, 46.2, 0.0))
    report(lead, search, kind="find", place=POINT, photos=[str(kept.key)])
    with pytest.raises(DomainError, match="no photo that can be read"):
        services.add_search_photo(actor=lead, search_id=search.pk, data=b"not one")
    services.end_search(actor=lead, search_id=search.pk, forget=True)
    found = queries.search_of(search.pk)
    assert found.reports[0].photos == []
    assert "Photos no longer here: 1, deleted or not handed over." in found.notes
    assert web.client.get(f"/api/searches/photos/{kept.key}").status_code == 404
    with pytest.raises(DomainError, match="has ended"):
        services.add_search_photo(actor=lead, search_id=search.pk, data=jpeg(7.1, 46.2, 0.0))


@given(data=st.data())
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_handover_changed_anywhere_is_read_or_refused_in_words(handed, data):
    """Invented: one value of the file is replaced by another kind of value."""
    whole = json.loads(handed)
    node, key = whole, data.draw(st.sampled_from(["search", "features", "type"]))
    while isinstance(node[key], dict | list) and node[key] and data.draw(st.booleans()):
        node = node[key]
        key = data.draw(st.sampled_from(sorted(node) if isinstance(node, dict) else range(len(node))))
    node[key] = data.draw(st.sampled_from([None, True, -1, 1e308, "", "x" * 400, [], {}, [[]], {"a": [None]}]))
    refused = None
    try:
        assert isinstance(read_handover(json.dumps(whole).encode()).what, SearchFields)
    except MissingInput as bad:
        refused = bad
    assert refused is None or (refused.field == "file" and refused.message)


def test_the_list_of_searches_asks_as_often_for_many_as_for_one(lead, search, django_assert_num_queries):
    key = uuid4()
    report(lead, search, key, kind="find", place=POINT, certainty="sure")
    assert [(x.name, x.found) for x in queries.searches()] == [("Fell", True)]
    services.take_back_report(actor=lead, search_id=search.pk, key=key)
    for n in range(6):
        services.add_search(actor=lead, name=f"Search {n}", what={"point": POINT})
    with django_assert_num_queries(2):
        found = queries.searches()
    assert [x.name for x in found] == [*(f"Search {n}" for n in reversed(range(6))), "Fell"]
    assert not any(x.found for x in found)
