"""Jobs: made, saved as one goes, copied, put away; their plans and what stands in a plan's way."""

import base64
import json
import uuid
from dataclasses import fields

import pytest
from django_scopes import scope

from quarry.apps.accounts.errors import DomainError, Stale
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.jobs import exports, mappers, queries, services
from quarry.apps.jobs.fields import fields_of
from quarry.apps.jobs.models import CachedPlan, Job
from tests.factories import FIELD, HOME, POND, job_plan, make_job, make_terrain, person, plain, set_rules


def save(who, job, version=None, **change):
    figures = {k: v for k, v in queries.job_dict(job).items() if k not in ("id", "version", "archived", "changed_at")}
    return services.save_job(actor=who, job_id=job.pk, version=version or job.version, figures=figures | change)


def test_a_new_job_gets_a_free_letter_and_defaults_that_fit_its_kind(lead, fleet):
    made = [services.add_job(actor=lead, figures={"name": k, "kind": k}) for k in ("mapping", "spraying", "search")]
    assert len({j.letter for j in made}) == 3
    for job in made:
        data = queries.job_dict(job)
        assert set(data["work"]) == {f.name for f in fields(fields_of(job).work)}
        assert data["sorties"]["landing_frac"] == 0.3
        assert data["wind"]["assumed"] is True
        assert job.aircraft_model == fleet["Quad"]
    assert made[0].camera == fleet["Cam"]


def test_an_incomplete_job_is_kept_and_says_what_it_lacks(lead, fleet):
    job = services.add_job(actor=lead, figures={"name": "later", "kind": "mapping"})
    with pytest.raises(mappers.PlanError, match="Draw the outline") as bad:
        job_plan(job)
    assert bad.value.field == "areas"
    job = save(lead, job, areas=[{"ring": FIELD}])
    with pytest.raises(mappers.PlanError, match="Set home") as bad:
        job_plan(job)
    assert bad.value.field == "home"


def test_a_plan_has_figures_sorties_directions_and_a_working_for_each(job):
    plan = job_plan(job)
    assert plan["area_ha"] == pytest.approx(19.3, rel=0.05)
    assert len(plan["sorties"]) >= 2
    assert plan["total_s"] == pytest.approx(sum(s["time_s"] for s in plan["sorties"]))
    keys = {f["key"] for f in plan["figures"]} | {"area_ha", "bearing_deg", "endurance", "total_s"}
    keys |= {f"spare_{s['number']}" for s in plan["sorties"]}
    assert keys <= set(plan["workings"])
    for key in keys:
        steps = plan["workings"][key]["steps"]
        assert steps, key
        assert all(s["source"] and s["formula"] for s in steps), key
    values = {f["key"]: f["value"] for f in plan["figures"]}
    for key, value in values.items():
        assert plan["workings"][key]["value"] == pytest.approx(value), key
    assert plan["pack"]["name"] == "04", "the weakest serviceable pack; 09 is grounded"


@pytest.mark.parametrize("kind", ["spraying", "search"])
def test_the_other_kinds_of_work_plan_too(lead, fleet, kind):
    work = {"tank_l": 8.0, "rate_l_ha": 12.0} if kind == "spraying" else {"law": "inverse_cube", "coverage": 0.8}
    job = make_job(lead, fleet, kind=kind, work=work, name=kind)
    plan = job_plan(job)
    keys = [f["key"] for f in plan["figures"]]
    assert ("volume_l" in keys) == (kind == "spraying")
    assert [key for key in keys if not queries.working_of(job, key).steps] == []
    assert ("detection_frac" in keys) == (kind == "search")
    if kind == "spraying":
        assert "tank" in {s["bound_by"] for s in plan["sorties"]}


def test_an_unchanged_job_is_planned_once(job, monkeypatch):
    first = job_plan(job)
    monkeypatch.setattr(mappers, "plan_job", lambda *_: pytest.fail("planned again"))
    assert job_plan(job) == first
    assert CachedPlan.objects.filter(job=job).count() == 1


@pytest.mark.parametrize(
    "change",
    [
        {"home": [7.0990, 46.1990]},
        {"work": {"height_m": 60.0}},
        {"wind": {"speed_m_s": 6.0, "from_deg": 10.0, "height_m": 60.0, "assumed": False}},
        {"lines": {"ends": "clip", "bearing_deg": 20.0}},
        {"keep_outs": [{"ring": POND, "crossing": "never", "margin_m": 5.0, "name": ""}]},
    ],
)
def test_every_change_of_a_job_makes_a_new_plan(lead, job, change):
    before = job_plan(job)
    after = job_plan(save(lead, job, **change))
    assert after["total_s"] != before["total_s"]


def test_a_change_of_the_aircraft_or_a_pack_makes_a_new_plan(lead, fleet, job):
    from quarry.apps.fleet.queries import thing_dict
    from quarry.apps.fleet.services import change_thing

    before = job_plan(job)
    pack = fleet["04"]
    change_thing(
        actor=lead,
        model=type(pack),
        thing_id=pack.pk,
        version=pack.version,
        figures=thing_dict(pack) | {"health_frac": 0.6, "bought_on": None},
    )
    after = job_plan(queries.job_of(job.pk))
    assert after["usable_s"] < before["usable_s"]


def test_old_plans_are_not_kept_for_ever(lead, job):
    for k in range(12):
        job = save(lead, job, home=[HOME[0] - k * 1e-4, HOME[1]])
        job_plan(job)
    assert CachedPlan.objects.filter(job=job).count() <= 9


@pytest.mark.parametrize(
    ("change", "words", "field"),
    [
        ({"areas": [{"ring": [[7.1, 46.2], [7.106, 46.2035], [7.106, 46.2], [7.1, 46.2035]]}]}, "crosses itself", "area"),
        ({"areas": [{"ring": [[46.2, -97.1], [46.21, -97.1], [46.21, -97.11]]}]}, "look swapped", "area"),
        ({"areas": [{"ring": [[0, 0], [3, 0], [3, 3], [0, 3]]}]}, "the most for one job is 200 km²", "area"),
        ({"areas": [{"ring": [[7.1, 46.2], [7.1, 46.2], [7.1, 46.2]]}]}, "at least three corners", "area"),
        ({"keep_outs": [{"ring": [[8, 46], [8.1, 46], [8.1, 46.1]], "crossing": "never"}]}, "lies outside", "keep_outs.0"),
        ({"wind": {"speed_m_s": 14.0}}, "cannot both be reached", "wind.speed_m_s"),
        ({"wind": {"speed_m_s": 15.0}}, "lets no line be flown both ways at 9.0 m/s over ground, at most 14.3", "wind.speed_m_s"),
        ({"wind": {"speed_m_s": -2.0}}, "give a value from 0", "wind.speed_m_s"),
        ({"wind": {"height_m": -5.0}}, "Height of the wind", "wind.height_m"),
        ({"work": {"height_m": -50.0}}, "Height above ground is -50", "work.height_m"),
        ({"work": {"side_overlap_frac": 3.0}}, "Side overlap", "work.side_overlap_frac"),
        ({"sorties": {"landing_frac": 2.0}}, "Landing reserve", "reserve.landing_frac"),
        ({"camera_id": None}, "Choose the camera", "camera_id"),
        ({"aircraft_model_id": None, "aircraft_id": None}, "Choose the aircraft", "aircraft_model_id"),
        ({"home": [9.0, 46.2]}, "Only to reach line", "home"),
    ],
)
def test_what_stands_in_the_way_is_said_at_its_field_and_the_rest_is_kept(lead, job, change, words, field):
    saved = save(lead, job, **change)
    with pytest.raises(mappers.PlanError, match=words) as bad:
        job_plan(saved)
    assert bad.value.field == field
    assert saved.name == "Top field"
    assert saved.letter == job.letter


def test_a_pack_too_small_for_any_sortie_is_named(lead, fleet, job):
    from quarry.apps.fleet.models import Pack

    Pack.objects.filter(grounded=False).update(health_frac=0.33)
    with pytest.raises(mappers.PlanError, match="Pack 0"):
        job_plan(save(lead, job))


def test_two_people_saving_at_once_end_in_a_question_with_both_versions(org, lead, job):
    other = person(org, "otto", "pilot")
    save(other, job, name="Otto's field")
    with pytest.raises(Stale) as bad:
        save(lead, job, version=1, name="Lena's field")
    assert bad.value.extra["current"]["name"] == "Otto's field"
    assert bad.value.extra["current"]["version"] == 2
    settled = save(lead, queries.job_of(job.pk), name="Lena's field")
    assert (settled.name, settled.version) == ("Lena's field", 3)


def test_saving_the_same_again_changes_nothing(lead, job):
    assert save(lead, job).version == job.version


def test_history_keeps_what_changed_and_only_that(lead, job):
    from tests.factories import history_of

    save(lead, job, name="New name")
    line = history_of(lead, "job", job.pk)[0]
    assert (line.action, line.before, line.after) == ("job.changed", {"name": "Top field"}, {"name": "New name"})


def test_a_copy_stands_on_its_own(lead, job):
    copy = services.copy_job(actor=lead, job_id=job.pk)
    assert copy.name == "Top field (copy)"
    assert copy.letter != job.letter
    assert copy.areas == job.areas
    save(lead, copy, name="Other")
    assert queries.job_of(job.pk).name == "Top field"


def test_put_away_and_brought_back(lead, job):
    services.set_archived(actor=lead, job_id=job.pk, archived=True)
    assert not queries.jobs_for()
    assert queries.jobs_for(archived=True).get().pk == job.pk
    services.set_archived(actor=lead, job_id=job.pk, archived=False)
    assert queries.jobs_for(search="TOP").get().pk == job.pk
    assert not queries.jobs_for(search="nothing")


@pytest.mark.parametrize("role", ["handler", "viewer"])
def test_who_may_not_change_jobs(org, lead, job, role):
    who = person(org, role, role)
    for act in (
        lambda: services.add_job(actor=who, figures={"name": "x", "kind": "mapping"}),
        lambda: save(who, job, name="x"),
        lambda: services.copy_job(actor=who, job_id=job.pk),
        lambda: services.set_archived(actor=who, job_id=job.pk, archived=True),
        lambda: services.read_boundary_file(actor=who, data=b"{}", filename="x"),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_a_job_of_another_organisation_does_not_exist(stranger, job):
    with scope(organisation=stranger.organisation):
        for act in (
            lambda: queries.job_of(job.pk),
            lambda: services.copy_job(actor=stranger, job_id=job.pk),
            lambda: services.set_archived(actor=stranger, job_id=job.pk, archived=True),
            lambda: services.save_job(actor=stranger, job_id=job.pk, version=1, figures={}),
        ):
            with pytest.raises(DomainError) as bad:
                act()
            assert bad.value.code == "not_found"


def test_links_to_another_organisations_fleet_are_refused(lead, fleet, stranger):
    from tests.factories import make_fleet

    with scope(organisation=stranger.organisation):
        theirs = make_fleet(stranger)
    with pytest.raises(DomainError, match="Choose one that exists") as bad:
        make_job(lead, fleet, aircraft_model_id=theirs["Quad"].pk)
    assert bad.value.field == "aircraft_model_id"


def test_a_file_that_is_too_large_or_damaged_is_refused(lead, settings):
    settings.UPLOAD_MOST_BYTES = 10
    with pytest.raises(DomainError, match="larger than") as bad:
        services.read_boundary_file(actor=lead, data=b"x" * 11, filename="x")
    assert bad.value.code == "too_large"
    with pytest.raises(DomainError, match="none of the forms") as bad:
        services.read_boundary_file(actor=lead, data=b"nothing", filename="x")
    assert bad.value.field == "file"


def test_exports_have_names_and_need_an_outline(lead, job):
    content, name = exports.export_job(job, "kml", 1)
    assert isinstance(content, bytes)
    assert name == f"top-field-{job.letter.lower()}1.kml"
    content, name = exports.export_job(job, "geojson", None)
    assert json.loads(content)["type"] == "FeatureCollection"
    assert name == "top-field.geojson"
    with pytest.raises(DomainError, match="no such sortie"):
        exports.export_job(job, "kml", 99)
    empty = services.add_job(actor=lead, figures={"name": "e", "kind": "search"})
    with pytest.raises(DomainError, match="nothing to export"):
        exports.export_job(empty, "kml", None)


def test_terrain_is_stored_to_a_decimetre_and_gives_home_its_height(lead, job):
    sheet, row = make_terrain(lead)
    grid = mappers.terrain_grid(row)
    assert abs(grid.heights_m - sheet.heights_m).max() <= 0.051
    assert queries.home_height_m(job) == pytest.approx(grid.height_m(*HOME))
    drawn = plain(queries.terrain_view(row.pk, 10.0))
    assert len(base64.b64decode(drawn["shade"])) == 3600
    assert all(c["height_m"] % 10 == 0 for c in drawn["contours"])
    west, south = drawn["bounds"][:2]
    for contour in drawn["contours"]:
        for line in contour["lines"]:
            x = y = 0
            for dx, dy in zip(line[::2], line[1::2], strict=True):
                x, y = x + dx, y + dy
                at = west + x * drawn["quantum_deg"], south + y * drawn["quantum_deg"]
                # A drawn contour lies where the grid has its height, but for the sixteenth of a cell it is smoothed by.
                assert grid.height_m(*at) == pytest.approx(contour["height_m"], abs=2.5)
    with pytest.raises(DomainError):
        queries.terrain_view(uuid.uuid4(), 10.0)
    job.home = [1.0, 1.0]
    assert queries.home_height_m(job) is None


def test_letters_run_on(lead, fleet):
    letters = [services.add_job(actor=lead, figures={"name": str(k), "kind": "search"}).letter for k in range(6)]
    assert len(set(letters)) == 6
    assert Job.objects.count() == 6


def test_a_new_job_starts_with_the_reserve_of_the_house(lead, fleet):
    from tests.factories import make_job

    assert make_job(lead, fleet).sorties["landing_frac"] == 0.3
    changes = [
        {"key": "landing_frac", "value": 0.35, "why": "wind"},
        {"key": "reserve_method", "value": "measured", "why": "worn packs"},
    ]
    set_rules(actor=lead, version=0, changes=changes)
    job = make_job(lead, fleet, name="Second")
    assert (job.sorties["landing_frac"], job.sorties["reserve_method"], job.sorties["floor_frac"]) == (0.35, "measured", 0.2)
    assert make_job(lead, fleet, name="Third", sorties={"landing_frac": 0.4}).sorties["landing_frac"] == 0.4
