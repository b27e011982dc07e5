"""Records of packs, what they add up to, charges under way, and imports."""

from __future__ import annotations

import uuid

from django.db import models

from quarry.apps.accounts.models import Owned, Scoped, User
from quarry.apps.fleet.models import Charger, Pack


class PackRecord(models.Model):
    """One thing seen or done at a pack. Rows are only ever added; a trigger refuses the rest.

    ``key`` is made by whoever records, so that sending twice writes once; ``corrects`` is the key of the record in whose
    place this one stands. The order of ids is the order in which they were written; ``at`` is when it happened.
    """

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.PROTECT, related_name="+")
    key = models.UUIDField(default=uuid.uuid4)
    pack = models.ForeignKey(Pack, on_delete=models.PROTECT, related_name="records")
    kind = models.CharField(max_length=16)
    at = models.DateTimeField()
    figures = models.JSONField()
    note = models.CharField(max_length=300, blank=True)
    corrects = models.UUIDField(null=True)
    by = models.ForeignKey(User, null=True, on_delete=models.PROTECT, related_name="+")
    by_name = models.CharField(max_length=120, blank=True)
    written_at = models.DateTimeField(auto_now_add=True)

    objects = Scoped()

    class Meta:
        ordering = ["id"]
        indexes = [models.Index(fields=["pack", "id"])]
        constraints = [models.UniqueConstraint(fields=["organisation", "key"], name="written_once")]


class PackSnapshot(models.Model):
    """What the records of a pack add up to; the verdict and the care of any day follow from ``digest``."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    pack = models.OneToOneField(Pack, primary_key=True, on_delete=models.CASCADE, related_name="snapshot")
    digest = models.JSONField()
    health_entered_frac = models.FloatField(default=1.0)
    charge_entered_frac = models.FloatField(default=0.6)

    objects = Scoped()


class PackPhoto(models.Model):
    """A photo of a pack, kept small as JPEG; a record of the pack names it by ``key``. Never changed."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.PROTECT, related_name="+")
    key = models.UUIDField(default=uuid.uuid4, unique=True)
    pack = models.ForeignKey(Pack, on_delete=models.PROTECT, related_name="photos")
    jpeg = models.BinaryField()
    by = models.ForeignKey(User, null=True, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    objects = Scoped()


class Charging(Owned):
    """A charge under way or done at the bench: begun with one tap, ended with another."""

    pack = models.ForeignKey(Pack, on_delete=models.PROTECT, related_name="charges")
    charger = models.ForeignKey(Charger, null=True, on_delete=models.PROTECT, related_name="+")
    port = models.PositiveSmallIntegerField(default=1)
    goal = models.CharField(max_length=10, default="full")
    rate_c = models.FloatField(default=1.0)
    from_frac = models.FloatField(null=True)
    start_c = models.FloatField(null=True)
    began_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["pack"], condition=models.Q(ended_at=None), name="one_charge_at_a_time"),
            models.UniqueConstraint(fields=["charger", "port"], condition=models.Q(ended_at=None), name="one_pack_on_a_port"),
        ]


class TableImport(Owned):
    """A file of models, packs or records being read in: all of it, or nothing.

    ``state`` goes from waiting over checking and writing to done, refused or stopped.
    """

    name = models.CharField(max_length=120)
    data = models.BinaryField()
    state = models.CharField(max_length=10, default="waiting")
    what = models.CharField(max_length=10, blank=True)
    rows = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    problems = models.JSONField(default=list)
    words = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    tries = models.PositiveSmallIntegerField(default=0)

    @property
    def broken_off(self) -> bool:
        """Whether it was given up because its process ended, and can be tried again."""
        return self.state == "refused" and self.tries > 0
