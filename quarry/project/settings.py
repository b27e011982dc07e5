"""Django settings, read from the environment; docs/settings.md has the table.

The start command sets what is not given. Nothing here needs a secret in the code.
"""

from __future__ import annotations

import os
import secrets
from pathlib import Path
from urllib.parse import unquote, urlsplit

ROOT = Path(__file__).resolve().parents[2]
# The screens lie in the checkout, or inside the package where that is installed.
BUILD = next(p for p in (ROOT / "quarry" / "screens", ROOT / "web" / "build") if p.is_dir() or p.name == "build")

DEBUG = False
# What serves refuses to start without one (asgi.py); a command that signs nothing makes do with one of its own.
SECRET_KEY = os.environ.get("QUARRY_SECRET_KEY") or secrets.token_urlsafe(50)
PUBLIC_URL = os.environ.get("QUARRY_PUBLIC_URL", "")
_public = urlsplit(PUBLIC_URL)
SECURE = _public.scheme == "https"

ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]"] + ([_public.hostname] if _public.hostname else [])
CSRF_TRUSTED_ORIGINS = [f"{_public.scheme}://{_public.netloc}"] if _public.hostname else []

INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.auth",
    "django.contrib.sessions",
    "quarry.apps.accounts",  # first: its letters stand before the library's
    "allauth",
    "allauth.account",
    "allauth.headless",
    "allauth.mfa",
    "allauth.usersessions",
    "ninja",
    "procrastinate.contrib.django",
    "quarry.apps.policy",
    "quarry.apps.fleet",
    "quarry.apps.care",
    "quarry.apps.weather",
    "quarry.apps.imagery",
    "quarry.apps.jobs",
    "quarry.apps.limits",
    "quarry.apps.day",
    "quarry.apps.logbook",
    "quarry.apps.flown",
    "quarry.apps.search",
    "quarry.apps.spraying",
    "quarry.simulators",
]

MIDDLEWARE = [
    "quarry.project.logs.TracedRequests",
    "quarry.project.metrics.MeasuredRequests",
    "quarry.project.middleware.SafetyHeaders",
    "quarry.project.middleware.PackedAnswers",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "quarry.project.middleware.MarkedAnswers",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "allauth.account.middleware.AccountMiddleware",
    "quarry.project.middleware.SeenSessions",
    "quarry.project.middleware.OrganisationScope",
    "quarry.project.middleware.BoundedReads",
]

ROOT_URLCONF = "quarry.project.urls"
ASGI_APPLICATION = "quarry.project.asgi.application"
AUTH_USER_MODEL = "accounts.User"
# The second is asked for nothing: sessions from before companies had names of their own are known by it.
AUTHENTICATION_BACKENDS = ["quarry.apps.accounts.backends.ByCompany", "django.contrib.auth.backends.ModelBackend"]
SILENCED_SYSTEM_CHECKS = ["auth.W004"]  # names are unique within a company; ByCompany knows how to tell people apart
# Second steps, sessions and letters come from allauth; what it shows and asks goes through this API and these screens.
HEADLESS_ONLY = True
HEADLESS_CLIENTS = ("browser",)
HEADLESS_FRONTEND_URLS = {"account_reset_password_from_key": f"{PUBLIC_URL}/sign-in/new-password?key={{key}}"}
ACCOUNT_ADAPTER = "quarry.apps.accounts.adapters.People"
ACCOUNT_LOGIN_METHODS = {"username"}
ACCOUNT_EMAIL_VERIFICATION = "none"
ACCOUNT_EMAIL_SUBJECT_PREFIX = ""
MFA_ADAPTER = "quarry.apps.accounts.adapters.SecondSteps"
MFA_SUPPORTED_TYPES = ["totp", "webauthn", "recovery_codes"]
MFA_PASSKEY_LOGIN_ENABLED = True
MFA_TOTP_ISSUER = "Gentle Quarry"
MFA_TOTP_TOLERANCE = 1
MFA_REAUTHENTICATION_REQUIRED = False  # each change asks for the password itself
MFA_ALLOW_UNVERIFIED_EMAIL = True  # addresses are entered by the company's lead
MFA_WEBAUTHN_ALLOW_INSECURE_ORIGIN = not SECURE  # a browser itself offers passkeys on loopback and over TLS alone
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {
        "NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator",
        "OPTIONS": {"user_attributes": ("username", "full_name", "email")},
    },
]
# Shared by all web processes and machines: what was tried how often, codes that were used.
CACHES = {"default": {"BACKEND": "django.core.cache.backends.db.DatabaseCache", "LOCATION": "quarry_cache"}}
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"


def _database(url: str, *, pooled: bool = False) -> dict[str, object]:
    """Return how Django reaches a database; ``pooled``: through a pooler that lends a link for one transaction alone."""
    parts = urlsplit(url)
    bound_s = float(os.environ.get("QUARRY_STATEMENT_TIMEOUT_S", "0"))
    # Such a pooler passes neither options of a session nor prepared statements on; its own pool stands in for ours.
    options: dict[str, object] = (
        {"prepare_threshold": None}
        if pooled
        else {
            # Under ASGI every request is a context of its own: kept connections are shared through a pool.
            "pool": {"min_size": 1, "max_size": int(os.environ.get("QUARRY_LINKS", "8")), "timeout": 20},
            "options": f"-c statement_timeout={bound_s:g}s",
        }
    )
    return {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": parts.path.lstrip("/"),
        "USER": unquote(parts.username or ""),
        "PASSWORD": unquote(parts.password or ""),
        "HOST": parts.hostname or "127.0.0.1",
        "PORT": str(parts.port or 5432),
        "DISABLE_SERVER_SIDE_CURSORS": pooled,
        "OPTIONS": options,
    }


_URL = os.environ.get("QUARRY_DATABASE_URL", "postgresql://quarry@127.0.0.1:5432/quarry")
DIRECT_URL = os.environ.get("QUARRY_DIRECT_URL", "")  # past the pooler: listening needs a link that stays
DATABASES = {"default": _database(_URL, pooled=bool(DIRECT_URL))}

_mail = urlsplit(os.environ.get("QUARRY_MAIL_URL", ""))
MAIL = bool(_mail.hostname)  # without it a lead gives new passwords by hand
EMAIL_HOST, EMAIL_PORT = _mail.hostname or "", _mail.port or (465 if _mail.scheme == "smtps" else 25)
EMAIL_HOST_USER, EMAIL_HOST_PASSWORD = unquote(_mail.username or ""), unquote(_mail.password or "")
EMAIL_USE_SSL = _mail.scheme == "smtps"
EMAIL_USE_TLS = _mail.scheme == "smtp+tls"
EMAIL_TIMEOUT = 10
DEFAULT_FROM_EMAIL = os.environ.get("QUARRY_MAIL_FROM", f"quarry@{_public.hostname or 'localhost'}")

LANGUAGE_CODE = "en-gb"
TIME_ZONE = "UTC"
USE_TZ = True
USE_I18N = False

STATIC_URL = "static/"

SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 14 * 24 * 3600
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_FAILURE_VIEW = "quarry.api.errors.csrf_failure"
SECURE_CONTENT_TYPE_NOSNIFF = True
X_FRAME_OPTIONS = "DENY"
DATA_UPLOAD_MAX_MEMORY_SIZE = 12_000_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 12_000_000
BODY_MOST_BYTES = 12_000_000  # of a request that brings no file; bodies.py keeps to all of these while a request streams

WORK_AT_ONCE = int(os.environ.get("QUARRY_AT_ONCE", "0")) or max(2, os.cpu_count() or 2)  # requests of one web process
WORK_AT_ONCE_OF_ONE = 2  # of them, of one person
WORK_WAIT_S = 20.0  # who waits longer is asked to come back
SIGN_IN_TRIES = 5  # wrong passwords for one name from one address before it must wait
SIGN_IN_WAIT_S = 60
SECRET_TRIES = 10  # wrong answers to one secret (own password, code of a second step) in the same time
ADDRESS_TRIES = 60  # wrong passwords from one address, all names together, in the same time
WEATHER_URL = os.environ.get("QUARRY_WEATHER_URL", "")
WEATHER_WAIT_S = 3.0  # a service that takes longer counts as silent
WEATHER_FRESH_S = 15 * 60  # how long a forecast is not asked for again
WEATHER_RETRY_S = 60  # how long a silent service is left alone
UPLOAD_MOST_BYTES = 8_000_000
TABLE_MOST_BYTES = 60_000_000
LOG_MOST_BYTES = 200_000_000
IMAGERY_MOST_BYTES = 200_000_000
PHOTO_MOST_BYTES = 16_000_000
HANDOVER_MOST_BYTES = 64_000_000  # of a search with the photos of its clues
PASSWORD_HASHERS = ["django.contrib.auth.hashers.PBKDF2PasswordHasher"]

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "plain": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"},
        "json": {"()": "quarry.project.logs.JsonLine"},
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "formatter": "json" if os.environ.get("QUARRY_LOG", "plain") == "json" else "plain",
        }
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
}
