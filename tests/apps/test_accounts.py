"""People, rights, throttling, history, and the wall between organisations."""

from datetime import timedelta

import pytest
from django.apps import apps
from django.db import DatabaseError, connection, models, transaction
from django.utils import timezone
from django_scopes import scope
from django_scopes.exceptions import ScopeError

from quarry.apps.accounts import history, queries, services
from quarry.apps.accounts.errors import DomainError, Stale, TooManyTries
from quarry.apps.accounts.history import check_version
from quarry.apps.accounts.models import HistoryEntry, Organisation, Owned, SignInFailure, User
from quarry.apps.accounts.permissions import RIGHTS, NotAllowed, may, require, rights_of
from tests.factories import PASSWORD, history_of, person


def sign_in(name, password=PASSWORD, address="10.0.0.7"):
    return services.sign_in(username=name, password=password, address=address)


def test_the_right_password_opens_the_door(lead):
    assert sign_in("lena") == lead


def test_wrong_tries_of_one_name_do_not_lock_out_the_crew_behind_the_same_address(org, lead, settings):
    person(org, "otto", "pilot")
    for _ in range(settings.SIGN_IN_TRIES):
        with pytest.raises(DomainError, match="Check both and try again"):
            sign_in("lena", "nonsense")
    with pytest.raises(TooManyTries, match="Wait 60 seconds") as bad:
        sign_in("lena", PASSWORD)
    assert bad.value.field == "password"
    assert bad.value.wait_s == settings.SIGN_IN_WAIT_S
    assert sign_in("otto").username == "otto", "another name behind the same address"
    assert sign_in("lena", PASSWORD, "10.0.0.8").username == "lena", "the same name from another address"


def test_trying_many_names_from_one_address_is_slowed_too(lead, settings):
    for k in range(settings.ADDRESS_TRIES):
        SignInFailure.objects.create(username=f"n{k}", address="10.0.0.9")
    with pytest.raises(TooManyTries):
        sign_in("lena", PASSWORD, "10.0.0.9")


def test_waiting_helps(lead, settings):
    for _ in range(settings.SIGN_IN_TRIES):
        SignInFailure.objects.create(username="lena", address="10.0.0.7")
    SignInFailure.objects.update(at=timezone.now() - timedelta(seconds=settings.SIGN_IN_WAIT_S + 1))
    assert sign_in("lena") == lead


def test_a_person_without_access_cannot_sign_in(org, lead):
    gone = person(org, "gone")
    services.change_person(actor=lead, person_id=gone.pk, change=services.PersonChange(active=False))
    with pytest.raises(DomainError, match="wrong"):
        sign_in("gone")


def test_the_lead_adds_people_with_a_first_password_that_works(lead):
    made, password = services.add_person(actor=lead, username="nils", full_name="Nils N", role="handler")
    assert sign_in("nils", password) == made
    assert made.organisation == lead.organisation
    with pytest.raises(DomainError, match="is taken") as bad:
        services.add_person(actor=lead, username="NILS", full_name="", role="viewer")
    assert bad.value.field == "username"


def test_a_reset_password_replaces_the_old_one(org, lead):
    other = person(org, "otto")
    fresh, password = services.reset_password(actor=lead, person_id=other.pk)
    assert fresh.pk == other.pk
    with pytest.raises(DomainError):
        sign_in("otto", PASSWORD)
    assert sign_in("otto", password).pk == other.pk


def test_the_last_lead_cannot_be_removed(org, lead):
    for change in ({"role": "pilot"}, {"active": False}):
        with pytest.raises(DomainError, match="last lead") as bad:
            services.change_person(actor=lead, person_id=lead.pk, change=services.PersonChange(**change))
        assert bad.value.code == "last_lead"
    second = person(org, "second", "lead")
    services.change_person(actor=second, person_id=lead.pk, change=services.PersonChange(role="pilot", full_name="L"))
    lead.refresh_from_db()
    assert (lead.role, lead.full_name) == ("pilot", "L")


@pytest.mark.parametrize(
    ("old", "new", "field"), [("wrong", "another-long-one", "old"), (PASSWORD, "short", "new"), (PASSWORD, "password1234", "new")]
)
def test_ones_own_password_is_checked(lead, old, new, field):
    with pytest.raises(DomainError) as bad:
        services.change_own_password(actor=lead, old=old, new=new)
    assert bad.value.field == field


def test_a_password_that_is_ones_own_name_is_refused(lead):
    lead.full_name = "Lena Lindgren-Berg"
    with pytest.raises(DomainError, match="too similar") as bad:
        services.change_own_password(actor=lead, old=PASSWORD, new="lena lindgren-berg1")
    assert bad.value.field == "new"


def test_ones_own_password_can_be_changed(lead):
    services.change_own_password(actor=lead, old=PASSWORD, new="a-fresh-phrase-9")
    assert sign_in("lena", "a-fresh-phrase-9") == lead


@pytest.mark.parametrize(
    ("role", "rights"),
    [
        ("lead", set(RIGHTS)),
        (
            "pilot",
            set(RIGHTS)
            - {
                "company:write",
                "company:move",
                "people:write",
                "tokens:write",
                "history:read",
                "server:read",
                "packs:retire",
                "policy:write",
                "limits:write",
                "calibrations:accept",
            },
        ),
        ("handler", {"packs:write", "packs:record", "weather:write", "day:run", "logs:read", "records:write"}),
        ("viewer", set()),
    ],
)
def test_rights_by_role(org, role, rights):
    who = person(org, role, role)
    assert set(rights_of(who)) == rights
    for right in RIGHTS:
        assert may(who, right) == (right in rights)
        if right not in rights:
            with pytest.raises(NotAllowed, match="Ask a person with the role"):
                require(who, right)


def test_asking_for_an_unknown_right_is_a_mistake_not_a_no(lead):
    with pytest.raises(KeyError):
        may(lead, "moon:write")


@pytest.mark.parametrize("act", ["add_person", "change_person", "reset_password"])
def test_only_the_lead_changes_people(org, lead, act):
    pilot = person(org, "otto", "pilot")
    calls = {
        "add_person": {"username": "x", "full_name": "", "role": "viewer"},
        "change_person": {"person_id": lead.pk, "change": services.PersonChange(role="viewer")},
        "reset_password": {"person_id": lead.pk},
    }
    with pytest.raises(NotAllowed, match="operations lead"):
        getattr(services, act)(actor=pilot, **calls[act])


def test_people_of_another_organisation_do_not_exist_here(lead, stranger):
    with pytest.raises(DomainError) as bad:
        services.change_person(actor=lead, person_id=stranger.pk, change=services.PersonChange(role="viewer"))
    assert bad.value.code == "not_found"
    assert stranger not in queries.people_for(lead)


def test_history_tells_who_changed_what_and_keeps_no_password(org, lead):
    made, _ = services.add_person(actor=lead, username="nils", full_name="", role="viewer")
    services.change_person(actor=lead, person_id=made.pk, change=services.PersonChange(role="pilot"))
    services.reset_password(actor=lead, person_id=made.pk)
    lines = history_of(lead, "person", made.pk)
    assert [h.action for h in lines] == ["person.password_reset", "person.changed", "person.added"]
    assert (lines[1].before["role"], lines[1].after["role"]) == ("viewer", "pilot")
    assert all("password" not in str(h.before) + str(h.after) for h in lines)


@pytest.mark.parametrize("verb", ["update", "delete"])
def test_history_cannot_be_changed_even_by_the_application_itself(org, lead, verb):
    history.record(actor=lead, action="x.done", row=org, label="l" * 300)
    rows = HistoryEntry.objects.all()
    with pytest.raises(DatabaseError, match="only ever added to"), transaction.atomic():
        rows.update(label="else") if verb == "update" else rows.delete()
    assert HistoryEntry.objects.get().label == "l" * 160


@pytest.mark.parametrize("model", [m for m in apps.get_models() if issubclass(m, Owned)], ids=lambda m: m.__name__)
def test_a_query_outside_an_organisation_raises(db, model):
    with pytest.raises(ScopeError):
        model.objects.count()


@pytest.mark.parametrize("model", [m for m in apps.get_models() if issubclass(m, Owned)], ids=lambda m: m.__name__)
def test_inside_one_organisation_another_is_invisible(fleet, job, day, stranger, model):
    with scope(organisation=stranger.organisation):
        assert model.objects.count() == 0


def test_every_table_of_the_product_names_its_organisation_or_is_known_not_to():
    without = {Organisation, SignInFailure}
    for model in apps.get_models():
        if not model.__module__.startswith("quarry.") or model in without or model._meta.auto_created:
            continue
        assert any(f.name == "organisation" for f in model._meta.fields), model


def test_foreign_keys_point_only_to_apps_below(db):
    """Import contracts do not see keys given as strings; the order of apps holds for them too."""
    order = ["accounts", "fleet", "jobs", "day"]
    for model in apps.get_models():
        label = model._meta.app_label
        if label not in order:
            continue
        for field in model._meta.get_fields():
            if isinstance(field, models.ForeignKey) and field.related_model._meta.app_label in order:
                assert order.index(field.related_model._meta.app_label) <= order.index(label), field


def test_versions_are_checked(lead, fleet):
    with pytest.raises(Stale, match="Choose which version shall stand") as bad:
        check_version(fleet["01"], 7, {"name": "theirs"})
    assert bad.value.extra == {"current": {"name": "theirs"}}


def test_preferences_stay_with_the_person(lead):
    services.set_preferences(actor=lead, units="imperial", light="night", gloves=True)
    again = User.objects.get(pk=lead.pk)
    assert (again.units, again.light, again.gloves) == ("imperial", "night", True)
    services.set_preferences(actor=lead, units=None, light="sun", gloves=None)
    assert User.objects.get(pk=lead.pk).units == "imperial"


def test_the_application_role_is_no_superuser(db):
    with connection.cursor() as cursor:
        cursor.execute("SELECT rolsuper, rolcreaterole FROM pg_roles WHERE rolname = current_user")
        assert cursor.fetchone() == (False, False)


def test_a_service_of_map_pictures_is_off_and_allowed_to_the_pages_of_the_company_that_enters_it(
    web, stranger, settings, tmp_path
):
    (tmp_path / "index.html").write_text("<html></html>")
    settings.BUILD = tmp_path

    def pictures_from(address="/jobs"):
        return web.client.get(address)["Content-Security-Policy"].split("img-src ")[1].split(";")[0]

    assert pictures_from() == "'self' data: blob:"
    wrong = [
        ("maps.example/{z}/{x}/{y}.png", "whole address"),
        ("https://maps.example/{z}/{x}.png", "needs {z}, {x} and {y}"),
        ("https://maps.example; script-src */{z}/{x}/{y}", "whole address"),
        ("https://user@maps.example/{z}/{x}/{y}", "whole address"),
        ("javascript:alert(1)//{z}{x}{y}", "whole address"),
    ]
    for address, words in wrong:
        refused = web.patch("/company", {"map_address": address})
        assert refused.status_code == 422, address
        assert refused.json()["field"] == "map_address"
        assert words in refused.json()["detail"]
    kept = web.patch(
        "/company",
        {"map_address": "https://maps.example:8443/wmts/top/{TileMatrix}/{TileRow}/{TileCol}.jpg", "map_credit": "© Survey"},
    ).json()
    assert kept["map_address"] == "https://maps.example:8443/wmts/top/{z}/{y}/{x}.jpg"
    assert pictures_from() == "'self' data: blob: https://maps.example:8443"
    assert web.get("/me")["Content-Security-Policy"].count("maps.example") == 0
    web.client.force_login(stranger)
    assert pictures_from() == "'self' data: blob:"
