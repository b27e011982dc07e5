"""Searches with what was reported of them, kinds of person, and trials of sweep width."""

from __future__ import annotations

import uuid

from django.db import models

from quarry.apps.accounts.models import Owned, Scoped, User
from quarry.apps.day.models import Day
from quarry.apps.jobs.models import Job


class PersonKind(Owned):
    """A kind of person, and within which distance of the last known point which share of them was found.

    ``within``: list of [share, metres], rising. ``example``: made up, to show how a table is entered.
    """

    name = models.CharField(max_length=60)
    within = models.JSONField()
    note = models.CharField(max_length=200, blank=True)
    example = models.BooleanField(default=False)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class SweepTrial(Owned):
    """Targets passed at known distances, each seen or not: what sweep width that shows for a sensor over such ground.

    ``passes``: list of [metres to the side, seen].
    """

    sensor = models.CharField(max_length=8)
    cover = models.CharField(max_length=8)
    target = models.CharField(max_length=60, blank=True)
    height_m = models.FloatField(null=True)
    speed_m_s = models.FloatField(null=True)
    light = models.CharField(max_length=60, blank=True)
    passes = models.JSONField()
    width_m = models.FloatField()
    low_m = models.FloatField()
    high_m = models.FloatField()
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made_at"]


class Search(Owned):
    """A search: what it is for and where, its segments, and who can search. What happened stands in `SearchReport`.

    ``what``: see `fields.SearchFields`. ``person``: what to look for, nothing more of the missing than that; it can be emptied.
    """

    name = models.CharField(max_length=80)
    what = models.JSONField(default=dict)
    person = models.CharField(max_length=300, blank=True)
    kind = models.ForeignKey(PersonKind, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    day = models.ForeignKey(Day, null=True, blank=True, on_delete=models.PROTECT, related_name="searches")
    began_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-began_at"]

    def __str__(self) -> str:
        return self.name


class SearchReport(models.Model):
    """Something reported of a search; only ever added. One that is taken back is named by a further one.

    ``key`` is made by whoever reports, so that sending twice writes once; ``at`` is when it happened by their clock.
    """

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.PROTECT, related_name="+")
    search = models.ForeignKey(Search, on_delete=models.CASCADE, related_name="reports")
    key = models.UUIDField(default=uuid.uuid4)
    kind = models.CharField(max_length=12)
    figures = models.JSONField()
    at = models.DateTimeField()
    by = models.ForeignKey(User, null=True, on_delete=models.PROTECT, related_name="+")
    by_name = models.CharField(max_length=120, blank=True)
    written_at = models.DateTimeField(auto_now_add=True)

    objects = Scoped()

    class Meta:
        ordering = ["at", "pk"]
        constraints = [models.UniqueConstraint(fields=["search", "key"], name="a_search_report_is_written_once")]


class SearchPhoto(models.Model):
    """A photo of a clue or a find, kept small as JPEG; a report names it by ``key``. Deleted with what is known of the person."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.PROTECT, related_name="+")
    search = models.ForeignKey(Search, on_delete=models.CASCADE, related_name="photos")
    key = models.UUIDField(default=uuid.uuid4)
    jpeg = models.BinaryField()
    by = models.ForeignKey(User, null=True, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    objects = Scoped()

    class Meta:
        ordering = ["made_at", "pk"]
        constraints = [models.UniqueConstraint(fields=["search", "key"], name="a_search_photo_is_kept_once")]


class SearchJob(models.Model):
    """A segment that was given to an aircraft: the job that flies it."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.PROTECT, related_name="+")
    search = models.ForeignKey(Search, on_delete=models.CASCADE, related_name="jobs")
    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="searched_for")
    segment = models.CharField(max_length=40)
    made_at = models.DateTimeField(auto_now_add=True)

    objects = Scoped()

    class Meta:
        ordering = ["made_at", "pk"]
