"""Pictures of the ground and their tiles."""

from __future__ import annotations

from django.contrib.postgres.fields import ArrayField
from django.db import models

from quarry.apps.accounts.models import Organisation, Owned, Scoped


class Imagery(Owned):
    """One picture of the ground, cut into tiles of the square net (Web Mercator, EPSG:3857), 256 points a side."""

    name = models.CharField(max_length=80)
    bounds = ArrayField(models.FloatField(), size=4)  # west, south, east, north in degrees
    least_zoom = models.PositiveSmallIntegerField()
    most_zoom = models.PositiveSmallIntegerField()
    credit = models.CharField(max_length=200, blank=True)
    notes = ArrayField(models.CharField(max_length=300), default=list)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "added_at"]


class ImageryTile(models.Model):
    """One tile: columns from 180° west, rows from the north."""

    organisation = models.ForeignKey(Organisation, on_delete=models.PROTECT, related_name="+")
    imagery = models.ForeignKey(Imagery, on_delete=models.CASCADE, related_name="tiles")
    zoom = models.PositiveSmallIntegerField()
    column = models.PositiveIntegerField()
    row = models.PositiveIntegerField()
    kind = models.CharField(max_length=4)
    picture = models.BinaryField()

    objects = Scoped()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["imagery", "zoom", "column", "row"], name="one_tile_at_a_place")]
