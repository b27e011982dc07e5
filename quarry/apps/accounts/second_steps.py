"""The second step at sign-in: codes of an app, passkeys, spare codes. The one place that drives the library which checks them.

The library keeps what is under way (who is signing in, the challenge that was sent) in the session of the request.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import segno
from allauth.account.forms import ResetPasswordForm
from allauth.account.internal.flows.login import perform_login, record_authentication
from allauth.account.internal.stagekit import get_pending_stage
from allauth.account.models import Login
from allauth.core import ratelimit
from allauth.mfa.adapter import get_adapter
from allauth.mfa.base.forms import AuthenticateForm
from allauth.mfa.base.internal.flows import delete_and_cleanup
from allauth.mfa.models import Authenticator
from allauth.mfa.recovery_codes.internal.flows import generate_recovery_codes
from allauth.mfa.stages import AuthenticateStage
from allauth.mfa.totp.forms import ActivateTOTPForm
from allauth.mfa.totp.internal import auth as codes
from allauth.mfa.totp.internal.flows import activate_totp
from allauth.mfa.webauthn.forms import AddWebAuthnForm, AuthenticateWebAuthnForm, LoginWebAuthnForm
from allauth.mfa.webauthn.internal import auth as passkeys
from allauth.mfa.webauthn.internal import flows as passkey_flows
from allauth.usersessions.models import UserSession
from django.conf import settings
from django.contrib.auth import update_session_auth_hash
from django.db import transaction
from django.forms import Form
from django.http import HttpRequest

from quarry.apps.accounts.errors import DomainError, TooManyTries
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.services._tries import check_password_of
from quarry.apps.accounts.views import AppSecret, SecondStep, SecondSteps

_WAIT_S = 300
# What the library that reads passkeys raises over what no browser sends.
_UNREADABLE = (AttributeError, IndexError, KeyError, TypeError, ValueError)
_KINDS = {Authenticator.Type.TOTP: "app", Authenticator.Type.WEBAUTHN: "passkey", Authenticator.Type.RECOVERY_CODES: "codes"}
_NO = "This did not fit. Codes are good for half a minute: take the next one. Spare codes are good once."


@dataclass(frozen=True, slots=True)
class Pending:
    """Whose sign-in waits for a second step, and by what it can be taken."""

    user: User
    by: list[str]


def begin_session(request: HttpRequest, user: User) -> None:
    """Sign a person in whose password was right; where a second step is set up, that is asked for first."""
    record_authentication(request, user, method="password", username=user.username)
    perform_login(request, Login(user=user))


def pending(request: HttpRequest) -> Pending | None:
    """Return whose sign-in waits for a second step, or None."""
    stage = get_pending_stage(request)
    if stage is None or stage.key != AuthenticateStage.key or not isinstance(stage.login.user, User):
        return None
    kinds = Authenticator.objects.filter(user=stage.login.user).values_list("type", flat=True)
    return Pending(stage.login.user, sorted({_KINDS[Authenticator.Type(k)] for k in kinds}))


def take_code(request: HttpRequest, code: str) -> User:
    """Finish a sign-in that waits, by a code of the app or a spare code."""
    stage = _waiting(request)
    form = AuthenticateForm(data={"code": code}, user=stage.login.user)
    _check(form, "code")
    form.save()
    stage.exit()
    return _now_in(request)


def ask_passkey(request: HttpRequest) -> Any:
    """Return what a browser needs to ask for a passkey: of whose sign-in waits, or of anybody who has one here."""
    waits = pending(request)
    return passkeys.begin_authentication(waits.user if waits else None)


def take_passkey(request: HttpRequest, credential: Mapping[str, Any]) -> User:
    """Finish a sign-in that waits, or sign in without a password, by what a passkey has signed."""
    stage = get_pending_stage(request)
    form: AuthenticateWebAuthnForm
    if stage is not None and stage.key == AuthenticateStage.key:
        form = AuthenticateWebAuthnForm(data={"credential": dict(credential)}, user=stage.login.user)
        _check(form, "credential")
        form.save()
        stage.exit()
    else:
        form = LoginWebAuthnForm(data={"credential": dict(credential)})
        _check(form, "credential")
        authenticator = form.cleaned_data.get("credential")
        if not authenticator.user.is_active:
            raise DomainError("wrong_code", "This person has no access. Ask your operations lead.", "credential")
        passkey_flows.perform_passwordless_login(request, authenticator, Login(user=authenticator.user))
    return _now_in(request)


def second_steps(user: User) -> SecondSteps:
    """Return the second steps of a person, and how many spare codes are left."""
    own = list(Authenticator.objects.filter(user=user).order_by("created_at"))
    steps = [
        SecondStep(
            id=a.pk,
            kind=_KINDS[Authenticator.Type(a.type)],
            name=str(a.data.get("name") or ("Codes from an app" if a.type == Authenticator.Type.TOTP else "Passkey")),
            made_at=a.created_at,
            used_at=a.last_used_at,
        )
        for a in own
        if a.type != Authenticator.Type.RECOVERY_CODES
    ]
    spare = next((a for a in own if a.type == Authenticator.Type.RECOVERY_CODES), None)
    return SecondSteps(steps=steps, codes_left=len(spare.wrap().get_unused_codes()) if spare else 0)


def begin_app(user: User, password: str) -> AppSecret:
    """Return a secret for an app of codes, as text and as a picture to photograph; a code of it then proves it was taken."""
    check_password_of(user, password, "password")
    if Authenticator.objects.filter(user=user, type=Authenticator.Type.TOTP).exists():
        raise DomainError("taken", "An app is set up already. Remove it first.", "password")
    secret = codes.get_totp_secret(regenerate=True)
    address = get_adapter().build_totp_url(user, secret)
    return AppSecret(secret=secret, address=address, picture=segno.make(address, error="m").svg_data_uri(scale=5, border=2))


def finish_app(request: HttpRequest, user: User, code: str) -> list[str]:
    """Set the app up by its first code; returns spare codes, where there are none yet."""
    if codes.SECRET_SESSION_KEY not in request.session:
        raise DomainError("expired", "Begin again: the secret was not asked for here.", "code")
    form = ActivateTOTPForm(data={"code": code}, user=user)
    _check(form, "code")
    _, spare = activate_totp(request, form)
    return _added(user, "app", spare)


def begin_passkey(request: HttpRequest, user: User, password: str) -> Any:
    """Return what a browser needs to make a passkey for this person."""
    check_password_of(user, password, "password")
    return passkey_flows.begin_registration(request, user, True)


def finish_passkey(request: HttpRequest, user: User, name: str, credential: Mapping[str, Any]) -> list[str]:
    """Keep a passkey that a browser has made; returns spare codes, where there are none yet."""
    form = AddWebAuthnForm(data={"name": name, "credential": dict(credential), "passwordless": True}, user=user)
    _check(form, "credential")
    _, spare = passkey_flows.add_authenticator(request, form.cleaned_data.get("name"), form.cleaned_data.get("credential"))
    return _added(user, "passkey", spare)


def new_codes(request: HttpRequest, user: User, password: str) -> list[str]:
    """Return spare codes in place of those that were."""
    check_password_of(user, password, "password")
    if not second_steps(user).steps:
        raise DomainError("nothing", "Spare codes stand in for an app or a passkey. Set up one of those first.", "password")
    made: list[str] = generate_recovery_codes(request).wrap().get_unused_codes()
    record(actor=user, action="person.spare_codes_made", row=user, label=user.username)
    return made


@transaction.atomic
def remove_step(request: HttpRequest, user: User, step_id: int, password: str) -> None:
    """Remove an app or a passkey; with the last of them the spare codes go too."""
    check_password_of(user, password, "password")
    step = Authenticator.objects.exclude(type=Authenticator.Type.RECOVERY_CODES).filter(user=user, pk=step_id).first()
    if step is None:
        raise DomainError("not_found", "There is no such second step.")
    delete_and_cleanup(request, step)
    record(
        actor=user,
        action="person.second_step_removed",
        row=user,
        label=user.username,
        before={"kind": _KINDS[Authenticator.Type(step.type)]},
    )


def send_letter(request: HttpRequest, email: str) -> None:
    """Send a link for a new password to whoever signs in with this address; silent where nobody does."""
    if not settings.MAIL:
        raise DomainError("no_mail", "This server sends no mail. Ask your operations lead for a new password.", "email")
    if not ratelimit.consume(request, action="reset_password", key=email.lower()):
        raise TooManyTries(_WAIT_S)
    form = ResetPasswordForm(data={"email": email})
    if not form.is_valid():
        raise DomainError("invalid", "Enter a full e-mail address, such as lena@crew.example.", "email")
    if form.users:
        form.save(request)


def keep_session(request: HttpRequest, user: User) -> None:
    """Let this session go on after all of the person's were ended."""
    update_session_auth_hash(request, user)
    UserSession.objects.create_from_request(request)


def _added(user: User, kind: str, spare: Authenticator | None) -> list[str]:
    record(actor=user, action="person.second_step_added", row=user, label=user.username, after={"kind": kind})
    return spare.wrap().get_unused_codes() if spare else []


def _waiting(request: HttpRequest) -> AuthenticateStage:
    stage = get_pending_stage(request)
    if not isinstance(stage, AuthenticateStage):
        raise DomainError("expired", "Enter name and password again: the sign-in took too long.", "password")
    return stage


def _check(form: Form, field: str) -> None:
    try:
        if form.is_valid():
            return
    except _UNREADABLE:
        raise DomainError("wrong_code", _NO, field) from None
    if any(e.code in ("too_many_login_attempts", "rate_limited") for errors in form.errors.as_data().values() for e in errors):
        raise TooManyTries(_WAIT_S)
    raise DomainError("wrong_code", _NO, field)


def _now_in(request: HttpRequest) -> User:
    if not isinstance(request.user, User):
        raise DomainError("expired", "Enter name and password again: the sign-in took too long.", "password")
    return request.user
