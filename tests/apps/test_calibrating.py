"""Calibrations in force: who may, what plans make of them, what stands above them, and the way back."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.utils import timezone
from django_scopes import scope

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import HistoryEntry
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.care.queries import measured_of
from quarry.apps.care.services import add_record
from quarry.apps.day import queries as days
from quarry.apps.day.queries import day_of
from quarry.apps.day.services import close_run, save_day, start_run
from quarry.apps.fleet.mappers import (
    MeasuredPack,
    airframe,
    cell_ohm_of,
    charge_law,
    health_of,
    slowness_of,
    usual_cell_ohm,
)
from quarry.apps.fleet.models import Aircraft, AircraftModel, Calibration, Charger, ChargerModel, Pack
from quarry.apps.fleet.queries import in_force, swap_learned
from quarry.apps.fleet.services import accept_calibration, add_thing, roll_back_calibration
from quarry.apps.jobs.queries import job_of
from quarry.apps.logbook.queries import claims, lessons
from quarry.core.power.charging import charge_time_s
from tests.factories import job_plan, make_today, person, plain, post_events


def accept(lead, subject, thing, row, factor, **figures):
    return accept_calibration(
        actor=lead,
        subject=subject,
        thing=thing,
        thing_id=row.pk if row is not None else None,
        label=row.name if row is not None else "all swaps",
        factor=factor,
        figures={"words": "from 5 flights, weight 50%"} | figures,
    )


class TestPower:
    def test_that_of_an_aircraft_stands_above_that_of_its_model(self, lead, fleet):
        accept(lead, "power", "aircraft model", fleet["Quad"], 1.2)
        accept(lead, "power", "aircraft", fleet["A2"], 0.9)
        model = AircraftModel.objects.get(pk=fleet["Quad"].pk)
        one, two = (Aircraft.objects.get(name=n) for n in ("A1", "A2"))
        assert airframe(model, one).power_w == pytest.approx(520 * 1.2)
        assert airframe(model, two).power_w == pytest.approx(500 * 0.9)
        assert airframe(model, one, claimed=True).power_w == 520
        assert airframe(model, two).learnt.startswith("calibration 2: × 0.900")

    def test_it_bends_the_hover_too(self, lead, fleet):
        AircraftModel.objects.update(mass_kg=5.0, rotors=4, rotor_m=0.4, hover_w=560.0)
        accept(lead, "power", "aircraft model", fleet["Quad"], 1.1)
        model = AircraftModel.objects.get(pk=fleet["Quad"].pk)
        assert airframe(model).hover_w == pytest.approx(616)

    def test_a_job_plans_anew_and_the_old_plan_comes_back_with_the_way_back(self, lead, fleet, job):
        before = job_plan(job_of(job.pk))
        accept(lead, "power", "aircraft", fleet["A1"], 1.3)
        after = job_plan(job_of(job.pk))
        assert len(after["sorties"]) >= len(before["sorties"])
        assert after["learnt"]
        assert before["learnt"] == {}
        roll_back_calibration(actor=lead, number=1)
        assert job_plan(job_of(job.pk))["sorties"] == before["sorties"]


class TestPacks:
    def test_capacity_multiplies_health_until_it_is_measured_anew(self, lead, fleet):
        pack = fleet["02"]
        accept(lead, "capacity", "pack", pack, 0.9, of={"of": pack.health_frac})
        pack.refresh_from_db()
        assert health_of(pack) == pytest.approx(0.95 * 0.9)
        add_record(actor=lead, pack_id=pack.pk, kind="capacity", figures={"capacity_ah": 10.2})
        pack.refresh_from_db()
        assert health_of(pack) == pack.health_frac
        assert pack.health_frac == pytest.approx(10.2 / 12, abs=0.01)

    def test_health_stays_within_what_a_pack_can_be(self, lead, fleet):
        accept(lead, "capacity", "pack", fleet["01"], 1.4, of={"of": 1.0})
        fleet["01"].refresh_from_db()
        assert health_of(fleet["01"]) == 1.1

    def test_resistance_multiplies_what_was_read_or_the_usual(self, lead, fleet):
        accept(lead, "resistance", "pack", fleet["02"], 1.5)
        fleet["02"].refresh_from_db()
        assert cell_ohm_of(fleet["02"], MeasuredPack()) == pytest.approx(1.5 * usual_cell_ohm(fleet["P6"]))
        assert cell_ohm_of(fleet["02"], MeasuredPack(0.004)) == pytest.approx(0.006)
        assert cell_ohm_of(fleet["03"], MeasuredPack()) is None
        add_record(actor=lead, pack_id=fleet["02"].pk, kind="resistance", figures={"cell_ohm": [0.003] * 6, "pack_c": 25.0})
        measured = measured_of([fleet["02"]])[str(fleet["02"].pk)]
        assert cell_ohm_of(Pack.objects.get(name="02"), measured) == pytest.approx(0.0045)

    def test_a_weak_pack_is_planned_with_less(self, lead, fleet, job):
        gives = {g["name"]: g["usable_wh"] for g in job_plan(job_of(job.pk), [fleet["01"], fleet["02"]])["usable"]}
        accept(lead, "capacity", "pack", fleet["01"], 0.8, of={"of": 1.0})
        packs = list(Pack.objects.filter(name__in=("01", "02")).select_related("model"))
        after = {g["name"]: g["usable_wh"] for g in job_plan(job_of(job.pk), packs)["usable"]}
        assert after["01"] < gives["01"]
        # The lines are laid anew, and with them the power that a pack is asked for changes by a trifle.
        assert after["02"] == pytest.approx(gives["02"], rel=1e-3)

    def test_slow_charges(self, lead, fleet):
        assert slowness_of(fleet["02"]) == 1.0
        accept(lead, "charge", "pack", fleet["02"], 1.25)
        fleet["02"].refresh_from_db()
        assert slowness_of(fleet["02"]) == 1.25


class TestSwaps:
    def test_they_hold_for_the_house_and_every_day_says_so(self, lead, day):
        before = days.roster_of(day_of(day.pk))
        accept(lead, "swap", "", None, 1.2)
        after = days.roster_of(day_of(day.pk))
        assert (before.day.task.swap_s, after.day.task.swap_s) == (200, 240)
        assert after.day.inputs.learned.words == {"swap": swap_learned().full_words}

    def test_they_are_measured_from_landing_to_take_off(self, lead, fleet, job):
        made = make_today(lead, fleet, [job], ago_min=120)
        run = start_run(actor=lead, day_id=made.pk, how="planned")
        first, second = run.frame["plan"]["flights"][:2]
        opens = days.moments_of(made)[0]
        steps = [(10, "launched", first), (20, "landed", first), (25, "launched", second), (36, "landed", second)]
        told = [
            {
                "key": f"{kind}-{f['flight']}",
                "kind": kind,
                "at": opens + timedelta(minutes=at),
                "figures": {"flight": f["flight"]} | ({"set": f["set"]} if kind == "launched" else {"left_frac": 0.4}),
                "under": 1,
            }
            for at, kind, f in steps
        ]
        post_events(actor=lead, day_id=made.pk, device="t", device_now=timezone.now(), events=told)
        close_run(actor=lead, day_id=made.pk)
        lesson = next(x for x in lessons() if x.subject == "swap")
        assert lesson.figures.measured_ratio == pytest.approx(300 / 200)
        kept = claims().days[0]
        assert (kept.sorties, kept.closed) == (2, True)
        assert kept.air_s == pytest.approx(21 * 60)


class TestRights:
    def test_a_lead_alone_accepts_and_takes_back(self, lead, org, fleet):
        pilot = person(org, "pia", "pilot")
        with pytest.raises(NotAllowed, match="operations lead"):
            accept(pilot, "power", "aircraft", fleet["A1"], 1.1)
        accept(lead, "power", "aircraft", fleet["A1"], 1.1)
        with pytest.raises(NotAllowed):
            roll_back_calibration(actor=pilot, number=1)

    def test_every_step_stands_in_the_history(self, lead, fleet):
        accept(lead, "power", "aircraft", fleet["A1"], 1.1)
        roll_back_calibration(actor=lead, number=1)
        roll_back_calibration(actor=lead, number=1)
        rows = HistoryEntry.objects.filter(action__startswith="calibration.").order_by("id")
        assert [(r.action, r.before["factor"], r.after["factor"]) for r in rows] == [
            ("calibration.accepted", 1.0, 1.1),
            ("calibration.rolled_back", 1.1, 1.0),
        ]

    def test_numbers_run_on_and_houses_do_not_see_each_other(self, lead, stranger, fleet):
        for factor in (1.1, 1.2):
            accept(lead, "power", "aircraft", fleet["A1"], factor)
        assert list(Calibration.objects.values_list("number", flat=True)) == [2, 1]
        assert in_force("power", fleet["A1"].pk).number == 2
        with scope(organisation=stranger.organisation):
            assert Calibration.objects.count() == 0
            with pytest.raises(DomainError):
                roll_back_calibration(actor=stranger, number=1)
            with pytest.raises(DomainError):
                accept(stranger, "power", "aircraft", fleet["A1"], 1.1)


class TestChargesOfDays:
    def test_two_chargers_with_a_rate_of_one_name_teach_each_its_own(self, lead, fleet, job):
        """Both call their rate “fast”; 400 W into a pack at the bench, 150 W at the other. A charge as the law says teaches 1.00."""
        slow = add_thing(
            actor=lead,
            model=ChargerModel,
            figures={"name": "Slow", "ports": 1, "modes": [{"name": "fast", "pack_w": 150.0, "wall_w": 170.0}]},
        )
        other = add_thing(actor=lead, model=Charger, figures={"name": "Zed", "model_id": slow.pk})
        day = make_today(lead, fleet, [job], ago_min=300)
        save_day(actor=lead, day_id=day.pk, version=day.version, figures={"charger_ids": [fleet["Bench"].pk, other.pk]})
        day = day_of(day.pk)
        run = start_run(actor=lead, day_id=day.pk, how="planned")
        opens = days.moments_of(day)[0]
        pack = Pack.objects.select_related("model").get(name="02")
        law_s = charge_time_s(pack.model.rated_wh * pack.health_frac, 0.6, 400.0, charge_law(pack.model))
        ends = [
            {
                "key": "on",
                "kind": "on_port",
                "at": opens + timedelta(minutes=5),
                "figures": {"pack": "02", "port": 1, "mode": "fast"},
            },
            {
                "key": "off",
                "kind": "off_port",
                "at": opens + timedelta(minutes=5, seconds=law_s),
                "figures": {"pack": "02", "frac": 1.0},
            },
        ]
        told = plain(post_events(actor=lead, day_id=day.pk, device="t", device_now=timezone.now(), events=ends))
        assert told["refused"] == []
        close_run(actor=lead, day_id=day.pk)
        assert run.frame["task"]["chargers"][1]["modes"][0]["name"] == "fast"
        taught = next(x for x in lessons() if x.subject == "charge" and x.name == "02")
        assert taught.figures.measured_ratio == pytest.approx(1.0, abs=0.005)
