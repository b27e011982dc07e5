"""Organisations, people, history, and the base of every row that belongs to an organisation."""

from __future__ import annotations

import uuid
from typing import TYPE_CHECKING, TypeVar

from django.contrib.auth.models import AbstractUser
from django.contrib.auth.validators import UnicodeUsernameValidator
from django.db import models
from django.db.models.functions import Lower
from django.utils.crypto import salted_hmac
from django_scopes import ScopedManager

if TYPE_CHECKING:
    Row_co = TypeVar("Row_co", bound=models.Model, covariant=True)

    class Scoped(models.Manager[Row_co]):
        """To a type checker a manager as any: what it refuses outside a scope it refuses when it runs."""

else:
    Scoped = type(ScopedManager(organisation="organisation"))
    Scoped.__module__, Scoped.__name__, Scoped.__qualname__ = __name__, "Scoped", "Scoped"


class Organisation(models.Model):
    """One operator. Nothing of one is visible to another.

    ``time_zone``, ``currency`` and ``dates`` are what its screens go by; a zone left empty is that of the device.
    ``map_address`` is a service of pictures that its maps ask, with ``{z}``, ``{x}`` and ``{y}``; empty: none is asked.
    ``retention``: after how many days a kind of data goes, by its name; what is not named stays.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=120)
    time_zone = models.CharField(max_length=40, blank=True)
    currency = models.CharField(max_length=3, blank=True)
    dates = models.CharField(
        max_length=5,
        default="day",
        choices=[("day", "30 Nov 2026"), ("month", "Nov 30, 2026"), ("iso", "2026-11-30")],
    )

    map_address = models.CharField(max_length=400, blank=True)
    map_credit = models.CharField(max_length=200, blank=True)
    retention = models.JSONField(default=dict, db_default={}, blank=True)

    def __str__(self) -> str:
        return self.name


class Role(models.TextChoices):
    """What a person may do; each role may do what those below it may."""

    LEAD = "lead", "Operations lead"
    PILOT = "pilot", "Pilot"
    HANDLER = "handler", "Battery handler"
    VIEWER = "viewer", "Viewer"


class User(AbstractUser):
    """A person of one organisation, with display preferences.

    Names are unique within a company, addresses of mail everywhere: a person signs in by either.
    ``first_password``: somebody else made the password; nothing is done with it but choosing another.
    ``sessions_ended`` counts how often all sessions were ended at once: a session begun before is good for nothing.
    """

    username = models.CharField(max_length=150, validators=[UnicodeUsernameValidator()])
    organisation = models.ForeignKey(Organisation, on_delete=models.PROTECT, related_name="people")
    role = models.CharField(max_length=10, choices=Role, default=Role.VIEWER)
    full_name = models.CharField(max_length=120, blank=True)
    units = models.CharField(max_length=10, default="metric", choices=[("metric", "Metric"), ("imperial", "Imperial")])
    light = models.CharField(max_length=6, default="day", choices=[("day", "Day"), ("sun", "Sun"), ("night", "Night")])
    gloves = models.BooleanField(default=False)
    first_password = models.BooleanField(default=False)
    sessions_ended = models.PositiveIntegerField(default=0, db_default=0)

    REQUIRED_FIELDS = []

    class Meta:
        constraints = [
            models.UniqueConstraint("organisation", Lower("username"), name="one_name_in_a_company"),
            models.UniqueConstraint(Lower("email"), condition=~models.Q(email=""), name="one_person_an_address"),
        ]

    def get_session_auth_hash(self) -> str:
        """Return what every session of this person carries; it changes with the password and when all sessions end."""
        ended = f":{self.sessions_ended}" if self.sessions_ended else ""
        return salted_hmac("quarry.apps.accounts.User.session", self.password + ended, algorithm="sha256").hexdigest()


class Owned(models.Model):
    """A row of one organisation. Querying it outside a scope raises."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    organisation = models.ForeignKey(Organisation, on_delete=models.PROTECT, related_name="+")
    version = models.PositiveIntegerField(default=1)
    archived_at = models.DateTimeField(null=True, blank=True)

    objects = Scoped()

    class Meta:
        abstract = True


class HistoryEntry(models.Model):
    """Who changed what, when, from what to what. Rows are only ever added; a trigger refuses the rest."""

    organisation = models.ForeignKey(Organisation, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    actor = models.ForeignKey(User, null=True, on_delete=models.PROTECT, related_name="+")
    action = models.CharField(max_length=60)
    thing = models.CharField(max_length=40)
    thing_id = models.CharField(max_length=40)
    label = models.CharField(max_length=160)
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)

    objects = Scoped()

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["organisation", "thing", "thing_id"])]


class SignInFailure(models.Model):
    """A wrong password: which name, from which address, when."""

    username = models.CharField(max_length=150)
    address = models.CharField(max_length=64)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["address", "at"])]


class Scope(models.TextChoices):
    """What a token of the API lets a program do."""

    TELEMETRY = "telemetry", "Report what happens on days"
    LOGS = "logs", "Import logs"
    READ = "read", "Read everything"


class ApiToken(models.Model):
    """What a program shows instead of a session: good for one purpose, for a while, in the name of who made it.

    Only the digest of the secret is kept; ``hint`` is its beginning, to tell tokens apart by. ``day_id``: for that day alone.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    organisation = models.ForeignKey(Organisation, on_delete=models.PROTECT, related_name="+")
    name = models.CharField(max_length=80)
    scope = models.CharField(max_length=10, choices=Scope)
    day_id = models.UUIDField(null=True, blank=True)
    digest = models.CharField(max_length=64, unique=True)
    hint = models.CharField(max_length=12)
    made_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True, blank=True)
    revoked_at = models.DateTimeField(null=True, blank=True)

    objects = Scoped()

    class Meta:
        ordering = ["-made_at"]
