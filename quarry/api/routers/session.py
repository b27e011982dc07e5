"""Signing in and out, and one's own preferences."""

from __future__ import annotations

from allauth.account.internal.flows.logout import logout
from django.conf import settings
from django.http import HttpRequest
from django.middleware.csrf import get_token
from django_scopes import scope
from ninja import Router

from quarry.api.auth import SignedIn
from quarry.api.schemas.people import (
    AppCode,
    CodesOut,
    CompanyIn,
    CompanyOut,
    ForgottenIn,
    LetterPassword,
    Me,
    NewPasskey,
    OwnPasswordIn,
    Passkey,
    PasskeyQuestion,
    PasswordIn,
    PreferencesIn,
    RetentionIn,
    SignIn,
)
from quarry.apps.accounts import queries, retention, second_steps, services
from quarry.apps.accounts.adapters import address_of
from quarry.apps.accounts.history import note_sign_in
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require, rights_of
from quarry.apps.accounts.views import AppSecret, KeptKind, OpenSession, SecondSteps
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
    "second_step": [],
    "mail": False,
    "email": "",
}


def _me(request: HttpRequest) -> dict[str, object]:
    user = request.user
    if not isinstance(user, User):
        waits = second_steps.pending(request)
        return {**NOBODY, "mail": settings.MAIL, "second_step": waits.by if waits else []}
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
        "second_step": [],
        "mail": settings.MAIL,
        "email": user.email,
    }


@router.get("/me", response=Me, auth=None, operation_id="me", summary="Who is signed in")
def me(request: HttpRequest) -> object:
    """Return the person and set the CSRF cookie."""
    get_token(request)
    return _me(request)


@router.post("/session", response=Me, auth=None, operation_id="sign_in", summary="Sign in")
def sign_in(request: HttpRequest, data: SignIn) -> object:
    """Open a session; ``second_step`` says by what it must be finished, where the person has set one up."""
    user = services.sign_in(username=data.username, password=data.password, company=data.company, address=address_of(request))
    second_steps.begin_session(request, user)
    return _opened(request)


@router.post("/session/code", response=Me, auth=None, operation_id="sign_in_code", summary="Finish signing in by a code")
def sign_in_code(request: HttpRequest, data: AppCode) -> object:
    """Take a code of the app, or a spare code."""
    second_steps.take_code(request, data.code)
    return _opened(request)


@router.post(
    "/session/passkey/question", response=PasskeyQuestion, auth=None, operation_id="ask_passkey", summary="Ask for a passkey"
)
def ask_passkey(request: HttpRequest) -> object:
    """Return what the browser needs: to finish a sign-in that waits, or to sign in without a password."""
    return {"options": second_steps.ask_passkey(request)}


@router.post(
    "/session/passkey", response=Me, auth=None, operation_id="sign_in_passkey", summary="Sign in, or finish, by a passkey"
)
def sign_in_passkey(request: HttpRequest, data: Passkey) -> object:
    """Take what the passkey has signed."""
    second_steps.take_passkey(request, data.credential)
    return _opened(request)


def _opened(request: HttpRequest) -> object:
    get_token(request)
    user = request.user
    if isinstance(user, User):
        with scope(organisation=user.organisation):
            note_sign_in(person=user, address=address_of(request))
    return _me(request)


@router.delete("/session", response=Me, auth=None, operation_id="sign_out", summary="Sign out")
def sign_out(request: HttpRequest) -> object:
    """Close the session, or leave a sign-in that waits for its second step."""
    logout(request)
    return {**NOBODY, "mail": settings.MAIL}


@router.post("/password/forgotten", response={204: None}, auth=None, operation_id="forgot_password", summary="Ask for a letter")
def forgot(request: HttpRequest, data: ForgottenIn) -> object:
    """Send a link for a new password to this address, if somebody signs in with it; the answer is the same either way."""
    second_steps.send_letter(request, data.email)
    return 204, None


@router.post("/password/new", response={204: None}, auth=None, operation_id="new_password", summary="Set a forgotten password")
def forgotten_password(request: HttpRequest, data: LetterPassword) -> object:
    """Set the password by the key of the letter."""
    services.set_forgotten_password(key=data.key, password=data.password, address=address_of(request))
    return 204, None


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


@router.post("/company/retention/look", response=list[KeptKind], operation_id="look_retention", summary="What would go")
def look_retention(request: SignedIn, data: RetentionIn) -> object:
    """Return what would go now if the company kept its data for so long; nothing is set."""
    require(request.user, "company:write")
    chosen = request.user.organisation.retention | data.days
    return retention.kept_by(request.user.organisation, {name: n for name, n in chosen.items() if n})


@router.get("/company/retention", response=list[KeptKind], operation_id="retention", summary="How long what is kept")
def kept(request: SignedIn) -> object:
    """Return how long the company keeps what, and how much is due to go."""
    return retention.kept_by(request.user.organisation)


@router.put("/company/retention", response=list[KeptKind], operation_id="set_retention", summary="Set how long what is kept")
def set_retention(request: SignedIn, data: RetentionIn) -> object:
    """Keep what is given; the rest stays. What is older goes within the hour."""
    return retention.kept_by(services.set_retention(actor=request.user, days=data.days))


@router.post("/me/password", response=Me, operation_id="change_password", summary="Change one's own password")
def password(request: SignedIn, data: PasswordIn) -> object:
    """Change the password and stay signed in here."""
    services.change_own_password(actor=request.user, old=data.old, new=data.new)
    services.end_sessions(actor=request.user)
    second_steps.keep_session(request, request.user)
    return _me(request)


@router.get("/me/sessions", response=list[OpenSession], operation_id="my_sessions", summary="One's own sessions")
def sessions(request: SignedIn) -> object:
    """Return where one is signed in."""
    return queries.sessions_of(request.user, request.session.session_key or "")


@router.delete("/me/sessions", response={204: None}, operation_id="end_other_sessions", summary="Sign out everywhere else")
def end_others(request: SignedIn) -> object:
    """End all sessions but this one."""
    services.end_sessions(actor=request.user)
    second_steps.keep_session(request, request.user)
    return 204, None


@router.delete("/me/sessions/{session_id}", response={204: None}, operation_id="end_session", summary="End a session")
def end_session(request: SignedIn, session_id: int) -> object:
    """End one of one's own sessions; its device is asked to sign in at its next step."""
    services.end_sessions(actor=request.user, session_id=session_id)
    return 204, None


@router.get("/me/second-steps", response=SecondSteps, operation_id="second_steps", summary="One's own second steps")
def own_steps(request: SignedIn) -> object:
    """Return the apps and passkeys that are set up, and how many spare codes are left."""
    return second_steps.second_steps(request.user)


@router.post("/me/second-steps/app", response=AppSecret, operation_id="begin_app", summary="Begin to set up an app of codes")
def begin_app(request: SignedIn, data: OwnPasswordIn) -> object:
    """Return a secret for the app."""
    return second_steps.begin_app(request.user, data.password)


@router.put("/me/second-steps/app", response=CodesOut, operation_id="finish_app", summary="Set up an app by its first code")
def finish_app(request: SignedIn, data: AppCode) -> object:
    """Return spare codes, shown once, where there were none."""
    return {"codes": second_steps.finish_app(request, request.user, data.code)}


@router.post(
    "/me/second-steps/passkey", response=PasskeyQuestion, operation_id="begin_passkey", summary="Begin to make a passkey"
)
def begin_passkey(request: SignedIn, data: OwnPasswordIn) -> object:
    """Return what the browser needs to make one."""
    return {"options": second_steps.begin_passkey(request, request.user, data.password)}


@router.put("/me/second-steps/passkey", response=CodesOut, operation_id="finish_passkey", summary="Keep a passkey")
def finish_passkey(request: SignedIn, data: NewPasskey) -> object:
    """Return spare codes, shown once, where there were none."""
    return {"codes": second_steps.finish_passkey(request, request.user, data.name, data.credential)}


@router.post("/me/second-steps/codes", response=CodesOut, operation_id="new_spare_codes", summary="Make new spare codes")
def spare_codes(request: SignedIn, data: OwnPasswordIn) -> object:
    """Return them once; those before stop working."""
    return {"codes": second_steps.new_codes(request, request.user, data.password)}


@router.post(
    "/me/second-steps/{step_id}/remove", response={204: None}, operation_id="remove_second_step", summary="Remove a second step"
)
def remove_step(request: SignedIn, step_id: int, data: OwnPasswordIn) -> object:
    """Remove an app or a passkey."""
    second_steps.remove_step(request, request.user, step_id, data.password)
    return 204, None
