"""The fleet: plausible limits on every figure, twins, versions, what is put away."""

import pytest
from django_scopes import scope

from quarry.apps.accounts.errors import DomainError, Stale
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.fleet import models, queries, services
from quarry.apps.fleet.fields import charger_modes
from quarry.apps.fleet.figures import BY_NOUN
from quarry.apps.fleet.mappers import NOUNS, airframe, charge_law, drawn_of, pack_figures
from tests.factories import AIRCRAFT_MODEL, CAMERA, CHARGER_MODEL, PACK_MODEL, history_of, person


def change(who, row, **figures):
    data = {**queries.thing_dict(row), **figures}
    return services.change_thing(actor=who, model=type(row), thing_id=row.pk, version=row.version, figures=data)


@pytest.mark.parametrize(
    ("model", "figures", "field"),
    [
        (models.Camera, CAMERA | {"name": "x", "focal_mm": 0}, "camera.focal_mm"),
        (models.Camera, CAMERA | {"name": "x", "image_w_px": 10**9}, "image_w_px"),
        (models.PackModel, PACK_MODEL | {"name": "x", "cells": 0}, "cells"),
        (models.PackModel, PACK_MODEL | {"name": "x", "cells": 900}, "cells"),
        (models.PackModel, PACK_MODEL | {"name": "x", "capacity_ah": -4}, "capacity_ah"),
        (models.PackModel, PACK_MODEL | {"name": "x", "nominal_cell_v": 12}, "nominal_cell_v"),
        (models.PackModel, PACK_MODEL | {"name": "x", "cv_from_frac": 0}, "cv_from_frac"),
        (models.PackModel, PACK_MODEL | {"name": "x", "most_rate_c": 90}, "most_rate_c"),
        (models.PackModel, PACK_MODEL | {"name": "x", "storage_frac": 2}, "storage_frac"),
        (models.PackModel, PACK_MODEL | {"name": "x", "chemistry": "coal"}, "chemistry"),
        (models.AircraftModel, AIRCRAFT_MODEL | {"name": "x", "power_w": -1}, "power_w"),
        (models.AircraftModel, AIRCRAFT_MODEL | {"name": "x", "cruise_m_s": 900}, "cruise_m_s"),
        (models.AircraftModel, AIRCRAFT_MODEL | {"name": "x", "packs_count": 0}, "packs_count"),
        (models.AircraftModel, AIRCRAFT_MODEL | {"name": "x", "fixed_s": -3}, "fixed_s"),
        (models.AircraftModel, AIRCRAFT_MODEL | {"name": "x", "tank_l": -3}, "tank_l"),
        (models.AircraftModel, AIRCRAFT_MODEL | {"name": "x", "swath_m": 5000}, "swath_m"),
        (models.ChargerModel, CHARGER_MODEL | {"name": "x", "ports": 0}, "ports"),
        (models.ChargerModel, CHARGER_MODEL | {"name": "x", "modes": []}, "modes"),
        (models.ChargerModel, CHARGER_MODEL | {"name": "x", "modes": [{"name": "m", "pack_w": 100, "wall_w": 50}]}, "modes"),
        (models.ChargerModel, CHARGER_MODEL | {"name": "x", "cap_w": -1}, "cap_w"),
        (models.ChargerModel, CHARGER_MODEL | {"name": "x", "chemistries": ["lipo", "coal"]}, "chemistries"),
        (models.ChargerModel, CHARGER_MODEL | {"name": "x", "chemistries": ["lipo", "lipo"]}, "chemistries"),
        (models.ChargerModel, CHARGER_MODEL | {"name": "x", "chemistries": [["lipo"]]}, "chemistries"),
        (models.SupplyModel, {"name": "x", "kind": "generator", "rated_w": 0, "headroom_frac": 0.2}, "rated_w"),
        (models.SupplyModel, {"name": "x", "kind": "generator", "rated_w": 900, "headroom_frac": 0.9}, "headroom_frac"),
        (models.SupplyModel, {"name": "x", "kind": "wind", "rated_w": 900, "headroom_frac": 0.2}, "kind"),
    ],
)
def test_implausible_figures_of_models_are_refused_at_their_field(lead, fleet, model, figures, field):
    if model is models.AircraftModel:
        figures = figures | {"pack_model_id": fleet["P6"].pk}
    with pytest.raises(DomainError) as bad:
        services.add_thing(actor=lead, model=model, figures=figures)
    assert bad.value.field.rsplit(".", maxsplit=1)[-1].split("[")[0] == field.rsplit(".", maxsplit=1)[-1], bad.value.message
    assert not model.objects.filter(name="x").exists()


@pytest.mark.parametrize(
    ("name", "figures", "field"),
    [
        ("01", {"health_frac": 4.0}, "health_frac"),
        ("01", {"charge_frac": -0.2}, "charge_frac"),
        ("01", {"cycles": -5}, "cycles"),
        ("01", {"name": ""}, "name"),
        ("A1", {"power_w": 0.0}, "power_w"),
    ],
)
def test_implausible_figures_of_items_are_refused_and_the_item_stays(lead, fleet, name, figures, field):
    row = fleet[name]
    with pytest.raises(DomainError) as bad:
        change(lead, row, **figures)
    assert bad.value.field.split(".")[-1] == field
    assert queries.thing_dict(type(row).objects.get(pk=row.pk)) == queries.thing_dict(row)


def test_a_name_is_free_again_once_its_holder_is_put_away(lead, fleet):
    figures = {"name": "01", "model_id": fleet["P6"].pk}
    with pytest.raises(DomainError, match="already one called 01") as bad:
        services.add_thing(actor=lead, model=models.Pack, figures=figures)
    assert bad.value.field == "name"
    services.set_archived(actor=lead, model=models.Pack, thing_id=fleet["01"].pk, archived=True)
    services.add_thing(actor=lead, model=models.Pack, figures=figures)
    with pytest.raises(DomainError, match="already one called"):
        services.set_archived(actor=lead, model=models.Pack, thing_id=fleet["01"].pk, archived=False)


def test_only_a_lead_retires_a_pack(org, lead, fleet):
    handler = person(org, "hanna", "handler")
    with pytest.raises(NotAllowed, match="retire packs"):
        services.set_archived(actor=handler, model=models.Pack, thing_id=fleet["02"].pk, archived=True)
    assert services.set_archived(actor=lead, model=models.Pack, thing_id=fleet["02"].pk, archived=True).archived_at


def test_every_change_stands_in_the_history_with_before_and_after(lead, fleet):
    change(lead, fleet["02"], cycles=40)
    line = history_of(lead, "pack", fleet["02"].pk)[0]
    assert (line.action, line.before["cycles"], line.after["cycles"]) == ("pack.changed", 0, 40)


def test_an_old_version_is_not_saved_over_a_new_one(lead, fleet):
    old = fleet["02"]
    change(lead, old, cycles=3)
    with pytest.raises(Stale):
        services.change_thing(actor=lead, model=models.Pack, thing_id=old.pk, version=1, figures={"cycles": 9})


@pytest.mark.parametrize(("role", "packs", "rest"), [("pilot", True, True), ("handler", True, False), ("viewer", False, False)])
def test_who_may_change_what(org, fleet, role, packs, rest):
    who = person(org, role, role)
    for name, allowed in (("01", packs), ("A1", rest), ("Twin", rest)):
        row = fleet[name]
        if allowed:
            change(who, row, notes="seen")
        else:
            with pytest.raises(NotAllowed):
                change(who, row, notes="seen")


def test_things_of_another_organisation_do_not_exist(fleet, stranger):
    with scope(organisation=stranger.organisation):
        assert all(not rows for rows in queries.fleet().values())
        with pytest.raises(DomainError) as bad:
            services.set_archived(actor=stranger, model=models.Pack, thing_id=fleet["01"].pk, archived=True)
        assert bad.value.code == "not_found"
        with pytest.raises(DomainError, match="Choose one that exists"):
            services.add_thing(actor=stranger, model=models.Pack, figures={"name": "x", "model_id": fleet["P6"].pk})


def test_what_was_measured_on_the_item_stands_above_its_model(fleet):
    assert airframe(fleet["Quad"], fleet["A1"]).power_w == 520.0
    measured = airframe(fleet["Quad"], fleet["A2"])
    assert (measured.power_w, measured.power_measured) == (500.0, True)


def test_rows_become_core_records(fleet):
    assert pack_figures(fleet["04"]).rated_wh == pytest.approx(6 * 3.7 * 12.0)
    assert charge_law(fleet["P6"]).cv_from_frac == 0.85
    assert [m.name for m in charger_modes(fleet["Bench"].model)] == ["fast", "gentle"]
    assert drawn_of(fleet["Bench"]).wall_w == 900.0


def test_the_list_leaves_out_what_is_put_away(lead, fleet):
    services.set_archived(actor=lead, model=models.Pack, thing_id=fleet["01"].pk, archived=True)
    assert "01" not in [p.name for p in queries.things(models.Pack)]
    assert "01" in [p.name for p in queries.things(models.Pack, archived=True)]


@pytest.mark.parametrize("noun", sorted(NOUNS))
def test_a_figure_is_described_as_it_is_kept(noun):
    """Every column has one description and the same default and choices: a form begins with what a row would hold."""
    described = {f.key: f for f in BY_NOUN[noun].figures}
    hidden = {"id", "organisation_id", "version", "archived_at", "learnt", "added_at", "grounded", "grounded_why"}
    columns = {c.attname: c for c in NOUNS[noun]._meta.concrete_fields}
    assert set(described) == set(columns) - hidden
    for key, figure in described.items():
        column = columns[key]
        if figure.kind == "choice":
            assert {v for v, _ in figure.choices} == {v for v, _ in column.choices}, key
        if not figure.needed and column.has_default():
            default = column.get_default()
            assert figure.default == (tuple(default) if isinstance(default, list) else default), key
        assert figure.optional == (column.null or (figure.kind in ("text", "lines", "several") and column.blank)), key
