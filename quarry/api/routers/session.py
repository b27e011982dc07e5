"""Signing in and out, and one's own preferences."""

from __future__ import annotations

from django.contrib.auth import login, logout, update_session_auth_hash
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router

from quarry.api.auth import SignedIn
from quarry.api.schemas.base import HistoryOut
from quarry.api.schemas.people import CompanyIn, CompanyOut, Me, PasswordIn, PreferencesIn, SignIn
from quarry.apps.accounts import queries, services
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import rights_of
from quarry.apps.day.queries import live_day

router = Router(tags=["session"])
NOBODY: dict[str, object] = {
    "signed_in": False,
    "id": None,
    "username": "",
    "full_name": "",
    "role": None,
    "organisation": "",
    "time_zone": "",
    "currency": "",
    "dates": "day",
    "map_address": "",
    "map_credit": "",
    "rights": [],
    "units": "metric",
    "light": "day",
    "gloves": False,
    "first_password": False,
    "live_day": None,
}


def _me(request: HttpRequest) -> dict[str, object]:
    user = request.user
    if not isinstance(user, User):
        return NOBODY
    return {
        "signed_in": True,
        "id": user.pk,
        "username": user.username,
        "full_name": user.full_name,
        "role": user.role,
        "organisation": user.organisation.name,
        "time_zone": user.organisation.time_zone,
        "currency": user.organisation.currency,
        "dates": user.organisation.dates,
        "map_address": user.organisation.map_address,
        "map_credit": user.organisation.map_credit,
        "rights": rights_of(user),
        "units": user.units,
        "light": user.light,
        "gloves": user.gloves,
        "first_password": user.first_password,
        "live_day": live_day(user.organisation),
    }


def _address(request: HttpRequest) -> str:
    return str(request.META.get("REMOTE_ADDR", ""))


@router.get("/me", response=Me, auth=None, operation_id="me", summary="Who is signed in")
def me(request: HttpRequest) -> object:
    """Return the person and set the CSRF cookie."""
    get_token(request)
    return _me(request)


@router.post("/session", response=Me, auth=None, operation_id="sign_in", summary="Sign in")
def sign_in(request: HttpRequest, data: SignIn) -> object:
    """Open a session."""
    user = services.sign_in(username=data.username, password=data.password, address=_address(request))
    login(request, user)
    get_token(request)
    return _me(request)


@router.delete("/session", response=Me, operation_id="sign_out", summary="Sign out")
def sign_out(request: SignedIn) -> object:
    """Close the session."""
    logout(request)
    return NOBODY


@router.patch("/me", response=Me, operation_id="set_preferences", summary="Set how one wants to see things")
def preferences(request: SignedIn, data: PreferencesIn) -> object:
    """Keep the preferences with the person."""
    services.set_preferences(actor=request.user, units=data.units, light=data.light, gloves=data.gloves)
    return _me(request)


@router.get("/company", response=CompanyOut, operation_id="company", summary="The company")
def company(request: SignedIn) -> object:
    """Return what the screens of the company go by."""
    return request.user.organisation


@router.patch("/company", response=CompanyOut, operation_id="set_company", summary="Set the company's name, zone, currency")
def set_company(request: SignedIn, data: CompanyIn) -> object:
    """Keep what is given; the rest stays."""
    return services.set_company(actor=request.user, change=services.CompanyChange(**data.dict()))


@router.post("/me/password", response=Me, operation_id="change_password", summary="Change one's own password")
def password(request: SignedIn, data: PasswordIn) -> object:
    """Change the password and stay signed in here."""
    services.change_own_password(actor=request.user, old=data.old, new=data.new)
    update_session_auth_hash(request, request.user)
    return _me(request)


@router.get("/history", response=list[HistoryOut], operation_id="history", summary="Who changed what")
def history(request: SignedIn, thing: str = "", thing_id: str = "") -> object:
    """Return the newest changes first."""
    return [
        {
            "at": h.at.isoformat(),
            "who": h.actor.username if h.actor else "",
            "action": h.action,
            "label": h.label,
            "before": h.before,
            "after": h.after,
        }
        for h in queries.history_for(request.user, thing=thing, thing_id=thing_id)
    ]
