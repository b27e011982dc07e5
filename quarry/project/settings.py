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
    "ninja",
    "procrastinate.contrib.django",
    "quarry.apps.accounts",
    "quarry.apps.policy",
    "quarry.apps.fleet",
    "quarry.apps.care",
    "quarry.apps.weather",
    "quarry.apps.imagery",
    "quarry.apps.jobs",
    "quarry.apps.limits",
    "quarry.apps.day",
    "quarry.apps.logbook",
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
    "quarry.project.middleware.OrganisationScope",
]

ROOT_URLCONF = "quarry.project.urls"
ASGI_APPLICATION = "quarry.project.asgi.application"
AUTH_USER_MODEL = "accounts.User"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"


def _database(url: str) -> dict[str, object]:
    parts = urlsplit(url)
    return {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": parts.path.lstrip("/"),
        "USER": unquote(parts.username or ""),
        "PASSWORD": unquote(parts.password or ""),
        "HOST": parts.hostname or "127.0.0.1",
        "PORT": str(parts.port or 5432),
        # Under ASGI every request is a context of its own: kept connections are shared through a pool.
        "OPTIONS": {
            "pool": {"min_size": 1, "max_size": 8, "timeout": 20},
            "options": f"-c statement_timeout={float(os.environ.get('QUARRY_STATEMENT_TIMEOUT_S', '0')):g}s",
        },
    }


DATABASES = {"default": _database(os.environ.get("QUARRY_DATABASE_URL", "postgresql://quarry@127.0.0.1:5432/quarry"))}

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

SIGN_IN_TRIES = 5  # wrong passwords for one name from one address before it must wait
SIGN_IN_WAIT_S = 60
ADDRESS_TRIES = 60  # wrong passwords from one address, all names together, in the same time
WEATHER_URL = os.environ.get("QUARRY_WEATHER_URL", "")
WEATHER_WAIT_S = 3.0  # a service that takes longer counts as silent
WEATHER_FRESH_S = 15 * 60  # how long a forecast is not asked for again
WEATHER_RETRY_S = 60  # how long a silent service is left alone
UPLOAD_MOST_BYTES = 8_000_000
TABLE_MOST_BYTES = 60_000_000
LOG_MOST_BYTES = 200_000_000
IMAGERY_MOST_BYTES = 200_000_000
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
