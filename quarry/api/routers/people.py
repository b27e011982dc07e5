"""People of the organisation."""

from __future__ import annotations

from ninja import Router

from quarry.api.auth import SignedIn
from quarry.api.schemas.people import FirstPassword, PersonChange, PersonIn, PersonOut
from quarry.apps.accounts import queries, services
from quarry.apps.accounts.models import User

router = Router(tags=["people"])


def _out(person: User) -> dict[str, object]:
    return {
        "id": person.pk,
        "username": person.username,
        "full_name": person.full_name,
        "role": person.role,
        "active": person.is_active,
    }


@router.get("", response=list[PersonOut], operation_id="list_people", summary="All people")
def people(request: SignedIn) -> object:
    """Return all people of the organisation."""
    return [_out(p) for p in queries.people_for(request.user)]


@router.post("", response={201: FirstPassword}, operation_id="add_person", summary="Add a person")
def add(request: SignedIn, data: PersonIn) -> object:
    """Add a person; the first password is shown once."""
    person, password = services.add_person(actor=request.user, username=data.username, full_name=data.full_name, role=data.role)
    return 201, {"person": _out(person), "password": password}


@router.patch("/{person_id}", response=PersonOut, operation_id="change_person", summary="Change a person")
def change(request: SignedIn, person_id: int, data: PersonChange) -> object:
    """Set role, name or access."""
    person = services.change_person(
        actor=request.user, person_id=person_id, role=data.role, active=data.active, full_name=data.full_name
    )
    return _out(person)


@router.post("/{person_id}/password", response=FirstPassword, operation_id="reset_password", summary="Reset a password")
def reset(request: SignedIn, person_id: int) -> object:
    """Give a new first password, shown once."""
    person, password = services.reset_password(actor=request.user, person_id=person_id)
    return {"person": _out(person), "password": password}
