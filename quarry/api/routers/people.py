"""People of the organisation."""

from __future__ import annotations

from collections.abc import Mapping

from ninja import Router

from quarry.api.auth import SignedIn
from quarry.api.schemas.people import FirstPassword, PersonChange, PersonIn, PersonOut
from quarry.apps.accounts import queries, services
from quarry.apps.accounts.models import User

router = Router(tags=["people"])


def _out(person: User, steps: Mapping[int, int] | None = None) -> dict[str, object]:
    steps = steps if steps is not None else queries.second_steps_of([person])
    return {
        "id": person.pk,
        "username": person.username,
        "full_name": person.full_name,
        "email": person.email,
        "role": person.role,
        "active": person.is_active,
        "second_steps": steps.get(person.pk, 0),
    }


@router.get("", response=list[PersonOut], operation_id="list_people", summary="All people")
def people(request: SignedIn) -> object:
    """Return all people of the organisation."""
    everybody = list(queries.people_for(request.user))
    steps = queries.second_steps_of(everybody)
    return [_out(p, steps) for p in everybody]


@router.post("", response={201: FirstPassword}, operation_id="add_person", summary="Add a person")
def add(request: SignedIn, data: PersonIn) -> object:
    """Add a person; the first password is shown once."""
    person, password = services.add_person(
        actor=request.user, username=data.username, full_name=data.full_name, role=data.role, email=data.email
    )
    return 201, {"person": _out(person), "password": password}


@router.patch("/{person_id}", response=PersonOut, operation_id="change_person", summary="Change a person")
def change(request: SignedIn, person_id: int, data: PersonChange) -> object:
    """Set role, name or access."""
    person = services.change_person(actor=request.user, person_id=person_id, change=services.PersonChange(**data.dict()))
    return _out(person)


@router.post("/{person_id}/password", response=FirstPassword, operation_id="reset_password", summary="Reset a password")
def reset(request: SignedIn, person_id: int) -> object:
    """Give a new first password, shown once."""
    person, password = services.reset_password(actor=request.user, person_id=person_id)
    return {"person": _out(person), "password": password}


@router.delete("/{person_id}/sessions", response={204: None}, operation_id="end_sessions_of", summary="End somebody's sessions")
def end_sessions(request: SignedIn, person_id: int) -> object:
    """End all sessions of a person: a device was lost, or somebody forgot to sign out."""
    services.end_sessions(actor=request.user, person_id=person_id)
    return 204, None


@router.delete(
    "/{person_id}/second-steps", response=PersonOut, operation_id="remove_second_steps", summary="Remove somebody's second steps"
)
def remove_second_steps(request: SignedIn, person_id: int) -> object:
    """Let a person who lost the device sign in by the password alone."""
    return _out(services.remove_second_steps(actor=request.user, person_id=person_id))


@router.post("/{person_id}/anonymise", response=PersonOut, operation_id="anonymise_person", summary="Anonymise a person")
def anonymise(request: SignedIn, person_id: int) -> object:
    """Take the name and address of somebody without access away for good; what was done stays."""
    return _out(services.anonymise_person(actor=request.user, person_id=person_id))
