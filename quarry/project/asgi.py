"""The ASGI application."""

from __future__ import annotations

import os
import sys
from typing import TYPE_CHECKING, cast

from django.core.asgi import get_asgi_application
from django.core.exceptions import ImproperlyConfigured

from quarry.project.bodies import BoundedBodies
from quarry.project.build import with_build
from quarry.project.loading import load_once

if TYPE_CHECKING:
    from asgiref.typing import ASGI3Application

_SHORTEST_KEY = 40

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "quarry.project.settings")
if len(os.environ.get("QUARRY_SECRET_KEY", "")) < _SHORTEST_KEY:
    raise ImproperlyConfigured(
        f"Set QUARRY_SECRET_KEY to a secret of at least {_SHORTEST_KEY} characters: sessions and tokens are signed with it. "
        "One is made by: python -c 'import secrets; print(secrets.token_urlsafe(50))'"
    )
# No question to the database holds up all others for ever; workers and migrations have no such bound.
os.environ.setdefault("QUARRY_STATEMENT_TIMEOUT_S", "20")
# What is short takes turns with what computes: it waits for a thousandth of a second each time, not for five.
sys.setswitchinterval(0.001)
with load_once():
    application = BoundedBodies(with_build(cast("ASGI3Application", get_asgi_application())))
