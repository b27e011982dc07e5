"""Sheets of limits, and preflight lists as they were worked."""

from __future__ import annotations

import uuid

from django.db import models

from quarry.apps.accounts.models import Owned, User
from quarry.apps.fleet.models import Aircraft, AircraftModel, Pack
from quarry.apps.jobs.models import Job


class LimitSheet(Owned):
    """The limits of one level: of the organisation, a model of aircraft, a kind of work, or a job.

    ``rules``: list of {key, least, most, why, by, at}. What the maker's data sheet says stands with the model in the
    fleet and is judged beside these.
    """

    level = models.CharField(
        max_length=12,
        choices=[("organisation", "Organisation"), ("aircraft", "Aircraft"), ("work", "Work"), ("job", "Job")],
    )
    aircraft_model = models.ForeignKey(AircraftModel, null=True, on_delete=models.CASCADE, related_name="+")
    work = models.CharField(max_length=10, blank=True)
    job = models.ForeignKey(Job, null=True, on_delete=models.CASCADE, related_name="+")
    rules = models.JSONField(default=list)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["organisation", "level", "aircraft_model", "work", "job"],
                name="one_sheet_a_level",
                nulls_distinct=False,
            )
        ]


class Preflight(Owned):
    """One list, worked before one take-off.

    ``entries``: {key: {value, by, at}}; those of once a day and once at a site serve later lists of the same date.
    ``state`` goes from open to cleared, or to overridden with who, why and when in ``override``; and after the first climb
    to went on or came back.
    """

    key = models.UUIDField(default=uuid.uuid4)
    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="+")
    aircraft = models.ForeignKey(Aircraft, on_delete=models.PROTECT, related_name="+")
    packs = models.ManyToManyField(Pack, related_name="+")
    sortie = models.PositiveSmallIntegerField(default=1)
    on = models.DateField()
    entries = models.JSONField(default=dict)
    state = models.CharField(max_length=10, default="open")
    word = models.CharField(max_length=6, default="no")
    reasons = models.JSONField(default=list)
    override = models.JSONField(null=True)
    made_at = models.DateTimeField(auto_now_add=True)
    closed_at = models.DateTimeField(null=True)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["-made_at"]
        constraints = [models.UniqueConstraint(fields=["organisation", "key"], name="preflight_once")]
