"""Records through the services: once, by whom it may, and planning follows."""

from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest
from django.db import DatabaseError, connection, transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError, Stale
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.care import queries, services
from quarry.apps.care.fields import ChargeAsked
from quarry.apps.care.models import Charging, PackRecord
from quarry.apps.care.tasks import after_policy
from quarry.apps.day.queries import roster_of
from quarry.apps.fleet.models import Pack
from quarry.apps.fleet.queries import thing_dict
from quarry.apps.jobs.queries import packs_for_job
from tests.factories import history_of, person, plain, set_rules

BAD = {"cell_v": [3.95, 3.95, 3.95, 3.4, 3.95, 3.95], "start_frac": 0.98, "pack_c": 22.0}
GOOD = {"cell_v": [3.96] * 6, "start_frac": 0.98, "pack_c": 22.0}


@pytest.fixture
def handler(org):
    return person(org, "hanna", "handler")


@pytest.fixture
def pack(fleet):
    return fleet["01"]


def add(who, pack, kind, figures, **more):
    return services.add_record(actor=who, pack_id=pack.pk, kind=kind, figures=figures, **more)


def line(pack):
    return next(p for p in plain(queries.shelf())["packs"] if p["name"] == pack.name)


def test_a_failed_load_test_grounds_the_pack_everywhere_at_once(handler, fleet, pack, job, day):
    assert pack.name in [p.name for p in packs_for_job(job)]
    add(handler, pack, "load test", BAD)
    pack.refresh_from_db()
    assert pack.grounded
    assert "cell 4 fell to 3.40 V" in pack.grounded_why
    told = line(pack)
    assert (told["level"], [t["kind"] for t in told["tasks"]]) == ("grounded", ["take out of service"])
    assert pack.name not in [p.name for p in packs_for_job(job)]
    assert "cell 4 fell" in roster_of(day).day.left_out[pack.name]
    assert next(h.action for h in history_of(handler, "pack", pack.pk)) == "pack.grounded"


def test_what_a_charge_put_back_changes_the_minutes_that_are_planned(handler, pack):
    for _ in range(3):
        add(handler, pack, "flight", {"flown_s": 1000, "from_frac": 1.0, "to_frac": 0.3})
        add(handler, pack, "charge", {"from_frac": 0.3, "to_frac": 1.0, "put_back_ah": 7.14})
    pack.refresh_from_db()
    assert pack.health_frac == pytest.approx(7.14 / 0.7 / 12.0)
    assert line(pack)["health_measured"]
    wrong = PackRecord.objects.filter(pack=pack, kind="charge")
    for r in wrong:
        add(handler, pack, "withdrawal", {"words": "another pack"}, corrects=r.key)
    pack.refresh_from_db()
    assert pack.health_frac == 1.0  # what was entered holds again


def test_sending_twice_writes_once_and_other_figures_are_refused(handler, pack):
    key = uuid4()
    first = add(handler, pack, "load test", GOOD, key=key)
    assert add(handler, pack, "load test", GOOD, key=key) == first
    assert PackRecord.objects.filter(pack=pack).count() == 1
    with pytest.raises(DomainError, match="sent before"):
        add(handler, pack, "load test", BAD, key=key)


def test_records_are_never_changed_or_erased(handler, pack):
    made = add(handler, pack, "load test", GOOD)
    for sql in ("UPDATE care_packrecord SET note='x'", "DELETE FROM care_packrecord"):
        with pytest.raises(DatabaseError, match="only ever added"), transaction.atomic(), connection.cursor() as c:
            c.execute(sql)
    assert PackRecord.objects.get(pack=pack) == made


def test_roles(org, lead, handler, pack):
    viewer = person(org, "vera", "viewer")
    with pytest.raises(NotAllowed):
        add(viewer, pack, "load test", GOOD)
    add(handler, pack, "grounding", {"words": "smells"})
    with pytest.raises(NotAllowed, match="retire packs"):
        add(handler, pack, "release", {"words": "it does not"})
    add(lead, pack, "release", {"words": "it was the trailer"})
    pack.refresh_from_db()
    assert not pack.grounded
    with pytest.raises(NotAllowed):
        set_rules(actor=handler, version=0, changes=[])


def test_a_swollen_pack_stays_grounded(lead, fleet):
    nine = fleet["09"]
    nine.refresh_from_db()
    assert nine.grounded
    with pytest.raises(DomainError, match="stays grounded"):
        add(lead, nine, "release", {"words": "looks fine"})
    assert [t["kind"] for t in line(nine)["tasks"]] == ["recycle"]


@pytest.mark.parametrize(
    ("kind", "figures", "at", "field"),
    [
        ("load test", GOOD, timezone.now() + timedelta(days=2), "at"),
        ("load test", GOOD, datetime(1984, 1, 1, tzinfo=UTC), "at"),
        ("load test", {"cell_v": [3.9] * 12}, None, "cell_v"),
        ("charge", {"put_back_ah": 120.0}, None, "put_back_ah"),
        ("withdrawal", {"words": "x"}, None, "corrects"),
    ],
)
def test_what_cannot_be_is_refused_and_nothing_is_kept(handler, pack, kind, figures, at, field):
    with pytest.raises(DomainError) as bad:
        add(handler, pack, kind, figures, at=at)
    assert bad.value.field == field
    assert not PackRecord.objects.filter(pack=pack).exists()


def test_a_correction_belongs_to_its_pack_and_kind(handler, fleet, pack):
    made = add(handler, pack, "load test", BAD)
    with pytest.raises(DomainError, match="not one of this pack"):
        add(handler, fleet["02"], "load test", GOOD, corrects=made.key)
    with pytest.raises(DomainError, match="corrected by a load test"):
        add(handler, pack, "storage", {"charge_frac": 0.5}, corrects=made.key)
    add(handler, pack, "load test", GOOD, corrects=made.key)
    pack.refresh_from_db()
    assert not pack.grounded
    assert [r["stands"] for r in plain(queries.pack_page(pack.pk))["records"]] == [True, False]


def test_rest_volts_of_a_shelf_are_kept_all_or_none(handler, fleet):
    rows = [services.RestVolts(fleet[n].pk, (3.85,) * 6) for n in ("01", "02", "03")]
    with pytest.raises(DomainError) as bad:
        services.add_rest_volts(actor=handler, rows=[*rows, services.RestVolts(fleet["04"].pk, (3.85,) * 4)])
    assert bad.value.field == "rows.3"
    assert bad.value.extra["problems"][0]["field"] == "cell_v"
    assert not PackRecord.objects.exclude(kind="mishap").exists()
    services.add_rest_volts(actor=handler, rows=rows)
    assert PackRecord.objects.filter(kind="rest volts").count() == 3
    fleet["02"].refresh_from_db()
    assert 0.5 < fleet["02"].charge_frac < 0.72


def test_a_charge_is_begun_and_ended_by_one_tap_each(handler, fleet, pack):
    begun = services.begin_charge(actor=handler, pack_id=pack.pk, asked=ChargeAsked(charger_id=fleet["Bench"].pk, port=1))
    for other, words in ((pack, "on charge already"), (fleet["02"], "Another pack is on this port")):
        with pytest.raises(DomainError, match=words):
            services.begin_charge(actor=handler, pack_id=other.pk, asked=ChargeAsked(charger_id=fleet["Bench"].pk, port=1))
    with pytest.raises(DomainError, match="has 2 ports"):
        services.begin_charge(actor=handler, pack_id=fleet["02"].pk, asked=ChargeAsked(charger_id=fleet["Bench"].pk, port=7))
    with pytest.raises(DomainError, match="grounded pack is not charged"):
        services.begin_charge(actor=handler, pack_id=fleet["09"].pk, asked=ChargeAsked())
    made = services.end_charge(actor=handler, charging_id=begun.pk, to_frac=None, put_back_ah=4.4, most_c=31.0)
    assert made.figures["port"] == "Bench 1"
    pack.refresh_from_db()
    assert pack.charge_frac == 1.0
    with pytest.raises(DomainError, match="ended already"):
        services.cancel_charge(actor=handler, charging_id=begun.pk)
    again = services.begin_charge(actor=handler, pack_id=pack.pk, asked=ChargeAsked())
    services.cancel_charge(actor=handler, charging_id=again.pk)
    assert not Charging.objects.filter(ended_at=None).exists()


def test_a_new_policy_judges_old_readings_anew(lead, handler, pack):
    add(handler, pack, "load test", {"cell_v": [3.8] * 6, "start_frac": 0.97, "pack_c": 22.0})
    assert line(pack)["level"] == "replace soon"
    change = {"key": "load_test.full_frac", "value": 0.99, "why": "our chargers stop at 99"}
    set_rules(actor=lead, version=0, changes=[change])
    after_policy(lead.organisation)
    assert line(pack)["level"] == "not yet tested"
    with pytest.raises(Stale):
        set_rules(actor=lead, version=0, changes=[change | {"value": None}])
    for wrong, words in (({"why": " "}, "Say why"), ({"value": 4}, "give 80"), ({"key": "luck"}, "no such setting")):
        with pytest.raises(DomainError, match=words):
            set_rules(actor=lead, version=1, changes=[change | wrong])
    set_rules(actor=lead, version=1, changes=[change | {"value": None, "why": ""}])
    after_policy(lead.organisation)
    assert line(pack)["level"] == "replace soon"


def test_a_set_that_drifts_apart_is_watched(lead, handler, fleet):
    for name, health in (("02", 0.95), ("03", 0.84)):
        Pack.objects.filter(pk=fleet[name].pk).update(mates="P", health_frac=health)
    found = plain(queries.shelf())["sets"]
    assert [(s["mates"], s["packs"], s["level"]) for s in found] == [("P", ["02", "03"], "replace soon")]
    assert "11%" in found[0]["words"]


def test_another_organisation_sees_nothing(stranger, handler, pack):
    from django_scopes import scope

    made = add(handler, pack, "load test", GOOD)
    with scope(organisation=stranger.organisation):
        assert plain(queries.shelf())["packs"] == []
        for call in (
            lambda: plain(queries.pack_page(pack.pk)),
            lambda: add(stranger, pack, "load test", GOOD),
            lambda: add(stranger, pack, "withdrawal", {"words": "mine"}, corrects=made.key),
        ):
            with pytest.raises(DomainError, match="no such pack"):
                call()


def test_a_model_with_levels_of_its_own_is_tested_by_them_at_once(lead, handler, fleet, pack, web):
    model = fleet["P6"]
    add(handler, pack, "load test", {"cell_v": [3.3] * 6, "start_frac": 0.98, "pack_c": 22.0})
    assert line(pack)["level"] == "grounded"
    body = thing_dict(model) | {"chemistry": "liion", "nominal_cell_v": 3.6}
    path = f"/fleet/pack-models/{model.pk}"
    for levels, field in (({"test_good_v": 3.2}, "test_bad_v"), ({"test_good_v": 3.0, "test_bad_v": 3.2}, "test_bad_v")):
        assert web.put(f"{path}?version=1", body | levels).json()["field"] == field
    assert web.put(f"{path}?version=1", body).status_code == 200
    assert line(pack)["level"] == "not yet tested"  # the usual levels say nothing of lithium-ion
    assert web.put(f"{path}?version=2", body | {"test_good_v": 3.2, "test_bad_v": 2.9}).status_code == 200
    test = plain(queries.pack_page(pack.pk))["tests"][-1]
    assert (test["verdict"], plain(queries.pack_page(pack.pk))["test_levels"]["good"]) == ("good", 3.2)
    grounded = Pack.objects.get(pk=pack.pk)
    assert not grounded.grounded


def test_what_records_tell_stands_above_a_change_of_the_register(handler, fleet, pack, web):
    add(handler, pack, "storage", {"charge_frac": 0.55})
    pack.refresh_from_db()
    body = {k: v for k, v in thing_dict(pack).items() if k not in ("grounded", "grounded_why")}
    answer = web.put(f"/fleet/packs/{pack.pk}?version={pack.version}", body | {"charge_frac": 0.9, "cycles": 50}).json()
    assert answer["charge_frac"] == 0.55
    assert line(pack)["cycles"] == 50
