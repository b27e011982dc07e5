"""What is measured of a pack reaches its record, its page, preflight and the day that is being flown, each once."""

from uuid import uuid4

import pytest
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.care.models import PackRecord
from quarry.apps.care.services import add_record
from quarry.apps.day import queries as days
from quarry.apps.day import services as day_services
from quarry.apps.day.models import DayEvent
from quarry.apps.fleet.models import Pack
from quarry.apps.limits import services as preflights
from quarry.apps.limits.queries import preflight_view
from quarry.core.day.remainder import remainder
from tests.factories import make_today, plain, post_events, set_rules

CLIMB = [3.97, 3.96, 3.97, 3.88, 3.96, 3.97]
FAILED = [3.97, 3.96, 3.97, 3.60, 3.96, 3.97]


@pytest.fixture
def run(lead, fleet, job):
    """A day that opened an hour ago and is being flown."""
    return day_services.start_run(actor=lead, day_id=make_today(lead, fleet, [job], ago_min=60).pk)


def packs_of(run):
    """The packs of the day by name, those that fly first."""
    ids = days.read_run(run).kept.pack_ids
    rows = {str(p.pk): p for p in Pack.objects.filter(pk__in=ids.values())}
    return {name: rows[ids[name]] for name in sorted(ids)}


def live(run):
    return plain(days.live_of(run.day))


def word_of(run, name):
    return next(p for p in live(run)["packs"] if p["name"] == name)["word"]


def load_test(lead, pack, cells, **more):
    figures = {"cell_v": cells, "start_frac": 0.98, "pack_c": 24.0}
    return add_record(actor=lead, pack_id=pack.pk, kind="load test", figures=figures, **more)


def test_a_pack_that_fails_on_its_own_page_leaves_the_running_day_and_its_plan(lead, run):
    name, pack = next(iter(packs_of(run).items()))
    load_test(lead, pack, FAILED)
    assert word_of(run, name) == "out"
    reading = days.read_run(run)
    assert reading.state.packs[name].why == "load test: cell 4 fell to 3.60 V"
    replanned = days.mappers.planned(reading, anew=False)
    assert reading.state.packs[name].set not in {f.set for f in replanned.plan.flights}
    assert DayEvent.objects.filter(day=run.day, kind="tested").count() == 1


def test_a_weak_pack_stays_and_flies_the_shorter_sorties(lead, run):
    name, pack = next(iter(packs_of(run).items()))
    load_test(lead, pack, CLIMB)
    reading = days.read_run(run)
    assert reading.state.tested == {name: "weak"}
    assert word_of(run, name) == "rest"
    task = remainder(reading.frame, reading.state, reading.now_s, spare_weak=True)
    longest, shortest = (pick(task.flights, key=lambda f: f.energy_frac) for pick in (max, min))
    assert longest.energy_frac > shortest.energy_frac
    weak = reading.state.packs[name].set
    assert weak not in longest.only
    assert shortest.only is None or weak in shortest.only
    # Nobody else can fly the longest here: it is flown on the weak pack rather than not at all.
    assert {f.flight for f in days.mappers.planned(reading, anew=True).plan.flights} == {f.id for f in task.flights}


def test_policy_may_ground_it_already_then(lead, run):
    name, pack = next(iter(packs_of(run).items()))
    why = "no pack flies on borrowed time here"
    set_rules(actor=lead, version=0, changes=[{"key": "load_test.grounds", "value": "replace soon", "why": why}])
    load_test(lead, pack, CLIMB)
    pack.refresh_from_db()
    assert pack.grounded
    assert "3.88 V" in pack.grounded_why
    assert word_of(run, name) == "out"


def test_a_corrected_test_and_a_release_bring_it_back(lead, run):
    name, pack = next(iter(packs_of(run).items()))
    first = load_test(lead, pack, FAILED)
    load_test(lead, pack, [3.97] * 6, corrects=first.key)
    assert word_of(run, name) == "rest"
    add_record(actor=lead, pack_id=pack.pk, kind="grounding", figures={"words": "smells odd"})
    assert word_of(run, name) == "out"
    add_record(actor=lead, pack_id=pack.pk, kind="release", figures={"words": "it was the glove"})
    assert word_of(run, name) == "rest"


def test_the_same_record_sent_twice_tells_the_day_once(lead, run):
    pack = next(iter(packs_of(run).values()))
    key = uuid4()
    for _ in range(2):
        load_test(lead, pack, FAILED, key=key)
    assert DayEvent.objects.filter(day=run.day, kind="tested").count() == 1


@pytest.fixture
def listed(lead, fleet, job):
    """A preflight list of pack 01."""
    sent = {"job_id": job.pk, "aircraft_id": fleet["A1"].pk, "pack_ids": [fleet["01"].pk], "sortie": 1}
    return preflights.begin_preflight(actor=lead, **sent)


def records(pack, kind):
    return list(PackRecord.objects.filter(pack=pack, kind=kind).order_by("id"))


def test_charge_and_temperature_of_a_preflight_are_records_each_once_and_corrected_with_the_list(lead, fleet, listed):
    for entries in ({"charge_frac": 0.97}, {"pack_c": 21.0}, {"pack_c": 21.0}):
        preflights.enter(actor=lead, preflight_id=listed.pk, entries=entries)
    first, second = records(fleet["01"], "reading")
    assert first.figures == {"charge_frac": 0.97, "of": str(listed.pk)}
    assert second.figures == {"charge_frac": 0.97, "pack_c": 21.0, "of": str(listed.pk)}
    assert second.corrects == first.key
    fleet["01"].refresh_from_db()
    assert fleet["01"].charge_frac == 0.97
    preflights.enter(actor=lead, preflight_id=listed.pk, entries={"charge_frac": None, "pack_c": None})
    assert records(fleet["01"], "withdrawal")[-1].corrects == second.key


def test_cells_of_the_first_climb_ground_the_pack_and_turn_the_running_day(lead, fleet, job, run, listed):
    listed.state = "overridden"
    listed.save()
    entries = {"cells": FAILED}
    listed.entries = {k: {"value": v, "by": "", "at": ""} for k, v in {"charge_frac": 0.98, "pack_c": 24.0}.items()}
    listed.save()
    body = plain(preflight_view(preflights.enter(actor=lead, preflight_id=listed.pk, entries=entries)))
    assert body["climb_word"] == "no"
    assert "3.60 V" in body["climb_reasons"][0]
    assert word_of(run, "01") == "out"
    with pytest.raises(DomainError, match="Was it read at rest") as asked:
        preflights.enter(actor=lead, preflight_id=listed.pk, entries={"cells": [4.17] * 6})
    assert asked.value.field == "cells"


def test_a_pack_that_its_page_watches_is_never_a_plain_go_in_preflight(lead, fleet, listed):
    assert not [r for r in plain(preflight_view(listed))["reasons"] if r.startswith("Pack 01")]
    load_test(lead, fleet["01"], CLIMB)
    body = plain(preflight_view(preflights.enter(actor=lead, preflight_id=listed.pk, entries={"home": True})))
    assert "replace soon" in next(r for r in body["reasons"] if r.startswith("Pack 01"))
    assert not body["hard"]


def told(lead, run, kind, **figures):
    event = {"key": figures.pop("key", uuid4().hex), "kind": kind, "at": timezone.now(), "figures": figures}
    post_events(actor=lead, day_id=run.day_id, device="tablet", device_now=timezone.now(), events=[event])
    return event["key"]


def test_a_swollen_pack_at_a_landing_is_grounded_for_good_at_once_and_comes_back_with_the_landing_taken_back(lead, run, fleet):
    flight = days.live_of(run.day).aircraft[0].next
    told(lead, run, "launched", flight=flight, set="01")
    down = told(lead, run, "landed", flight=flight, left_frac=0.4, marks=["swollen", "wet"])
    (look,) = records(fleet["01"], "look")
    assert look.figures["swelling"]
    assert look.figures["moisture"]
    fleet["01"].refresh_from_db()
    assert fleet["01"].grounded_why.startswith("swollen")
    assert word_of(run, "01") == "out"
    # The same landing told again changes nothing; taken back, the look goes with it.
    told(lead, run, "landed", key=down, flight=flight, left_frac=0.4, marks=["swollen", "wet"])
    assert len(records(fleet["01"], "look")) == 1
    told(lead, run, "undo", of=down)
    assert records(fleet["01"], "withdrawal")[-1].corrects == look.key
    fleet["01"].refresh_from_db()
    assert not fleet["01"].grounded


def test_a_plain_landing_writes_no_look(lead, run, fleet):
    flight = days.live_of(run.day).aircraft[0].next
    told(lead, run, "launched", flight=flight, set="01")
    told(lead, run, "landed", flight=flight, left_frac=0.4, marks=["hard landing"])
    assert records(fleet["01"], "look") == []
