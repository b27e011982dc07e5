"""Batches in the store with what moved, and spray records with every entry that was made in them."""

from __future__ import annotations

from django.db import models

from quarry.apps.accounts.models import Owned, Scoped, User
from quarry.apps.day.models import Day
from quarry.apps.fleet.models import Aircraft, Product
from quarry.apps.jobs.models import Job


class Batch(Owned):
    """A batch of a product in the store; what is left of it is the sum of its moves."""

    product = models.ForeignKey(Product, on_delete=models.PROTECT, related_name="batches")
    name = models.CharField(max_length=40)
    expires_on = models.DateField(null=True, blank=True)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["product__name", "expires_on", "name"]

    def __str__(self) -> str:
        return self.name


class SprayRecord(Owned):
    """The record of a spraying: one for each job of a day that sprayed, begun with its first entry or when the day closes.

    ``facts`` is what the day told, frozen when it closed; until then it is read anew. ``ground``: outlines of the job in degrees.
    What people entered stands in `RecordEntry`.
    """

    number = models.PositiveIntegerField()
    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="spray_records")
    day = models.ForeignKey(Day, on_delete=models.PROTECT, related_name="spray_records")
    facts = models.JSONField(null=True)
    ground = models.JSONField(default=list)
    began_at = models.DateTimeField(null=True)
    closed_at = models.DateTimeField(null=True)
    without = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["-number"]
        constraints = [
            models.UniqueConstraint(fields=["organisation", "number"], name="a_spray_record_has_its_number"),
            models.UniqueConstraint(fields=["day", "job"], name="a_job_of_a_day_has_one_spray_record"),
        ]


class RecordEntry(models.Model):
    """What somebody entered in a record; only ever added: the newest of a key counts, the first ones stay to be read."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.PROTECT, related_name="+")
    record = models.ForeignKey(SprayRecord, on_delete=models.CASCADE, related_name="entries")
    key = models.CharField(max_length=60)
    value = models.JSONField()
    why = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    objects = Scoped()

    class Meta:
        ordering = ["at", "pk"]


class StockMove(models.Model):
    """What came to a batch or was taken from it, in the unit of its product; only ever added."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.PROTECT, related_name="+")
    batch = models.ForeignKey(Batch, on_delete=models.CASCADE, related_name="moves")
    amount = models.FloatField()
    kind = models.CharField(
        max_length=10, choices=[("received", "Received"), ("used", "Used"), ("counted", "Counted"), ("disposed", "Disposed of")]
    )
    words = models.CharField(max_length=200, blank=True)
    record = models.ForeignKey(SprayRecord, null=True, on_delete=models.PROTECT, related_name="moves")
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    objects = Scoped()

    class Meta:
        ordering = ["at", "pk"]


class SwathTest(Owned):
    """A pattern test of an aircraft that is kept: how it was flown, what was caught, and the spacing that was even enough.

    ``catches``: distance from the line, right positive [m], and what was caught there. ``way``: see the core's `pattern`.
    """

    aircraft = models.ForeignKey(Aircraft, on_delete=models.PROTECT, related_name="+")
    height_m = models.FloatField()
    nozzle = models.CharField(max_length=60, blank=True)
    wind_m_s = models.FloatField(null=True)
    catches = models.JSONField()
    wanted_frac = models.FloatField()
    way = models.CharField(max_length=16)
    spacing_m = models.FloatField()
    variation_frac = models.FloatField()
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made_at"]
