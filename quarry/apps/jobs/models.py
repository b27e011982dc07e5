"""A job, its plan, and terrain grids."""

from __future__ import annotations

from django.db import models

from quarry.apps.accounts.models import Owned, Scoped
from quarry.apps.fleet.models import Aircraft, AircraftModel, Camera


class Job(Owned):
    """A piece of ground and what is to be done there. It may be incomplete: nothing entered is lost.

    ``areas``: list of {name, ring, left_out, bearing_deg, corridor_m}. ``keep_outs``: list of {ring, crossing, margin_m, name}. ``work``: figures of the kind
    of work. ``sorties``: reserve, breaks and the like. ``wind``: wind and air to plan with and where they come from.
    ``site``: obstacles, fallback landing places, other homes, and where home may lie. ``mix``: crop and products of a spraying job.
    """

    name = models.CharField(max_length=80)
    letter = models.CharField(max_length=2)
    kind = models.CharField(
        max_length=10, choices=[("mapping", "Mapping"), ("spraying", "Spraying"), ("search", "Search")], default="mapping"
    )
    place = models.CharField(max_length=80, blank=True)
    areas = models.JSONField(default=list)
    keep_outs = models.JSONField(default=list)
    home = models.JSONField(null=True)
    work = models.JSONField(default=dict)
    lines = models.JSONField(default=dict)
    sorties = models.JSONField(default=dict)
    wind = models.JSONField(default=dict)
    site = models.JSONField(default=dict)
    mix = models.JSONField(default=dict, db_default={})
    aircraft_model = models.ForeignKey(AircraftModel, null=True, on_delete=models.PROTECT, related_name="+")
    aircraft = models.ForeignKey(Aircraft, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    camera = models.ForeignKey(Camera, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-changed_at"]

    def __str__(self) -> str:
        return self.name


class CachedPlan(models.Model):
    """A computed plan kept under the fingerprint of everything it was made from."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="plans")
    fingerprint = models.CharField(max_length=64)
    plan = models.JSONField()
    made_at = models.DateTimeField(auto_now=True)

    objects = Scoped()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "fingerprint"], name="one_plan_per_fingerprint")]


class Terrain(Owned):
    """A grid of heights on a regular net of degrees; rows from south to north, heights in decimetres."""

    name = models.CharField(max_length=80)
    west_deg = models.FloatField()
    south_deg = models.FloatField()
    cell_deg_lon = models.FloatField()
    cell_deg_lat = models.FloatField()
    columns = models.PositiveIntegerField()
    rows = models.PositiveIntegerField()
    heights = models.BinaryField()
    simulated = models.BooleanField(default=False)

    class Meta:
        ordering = ["name"]
