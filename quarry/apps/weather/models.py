"""What is known of the air: the newest forecast of a place, and readings that are only ever added."""

from __future__ import annotations

import uuid

from django.db import models

from quarry.apps.accounts.models import Owned, Scoped, User


class Forecast(models.Model):
    """The newest forecast of a place, on a net of a hundredth of a degree; ``problem`` says why the last try failed."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    lon = models.FloatField()
    lat = models.FloatField()
    data = models.JSONField(null=True)
    issued_at = models.DateTimeField(null=True)
    fetched_at = models.DateTimeField(null=True)
    tried_at = models.DateTimeField()
    problem = models.CharField(max_length=200, blank=True)

    objects = Scoped()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["organisation", "lon", "lat"], name="one_forecast_a_place")]


class Reading(Owned):
    """One measurement on site, or one report of a station; withdrawn, never erased.

    ``figures``: wind_m_s, gust_m_s, from_deg, height_m, air_c, dew_point_c, pressure_hpa, rain_mm_h, snow_mm_h,
    visibility_m, ceiling_m, thunder; what is missing was not read. ``key`` is made by the sender.
    """

    key = models.UUIDField(default=uuid.uuid4)
    lon = models.FloatField()
    lat = models.FloatField()
    at = models.DateTimeField()
    kind = models.CharField(max_length=10, choices=[("measured", "Measured"), ("report", "Report"), ("entered", "Entered")])
    figures = models.JSONField(default=dict)
    words = models.CharField(max_length=700, blank=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-at"]
        constraints = [models.UniqueConstraint(fields=["organisation", "key"], name="reading_once")]
