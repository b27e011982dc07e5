"""Jobs as flown, the photos that were taken of them, and the proofs that were given out."""

from __future__ import annotations

from django.db import models

from quarry.apps.accounts.models import Owned, Scoped, User
from quarry.apps.jobs.models import Job


class KeptCover(models.Model):
    """A job as flown, kept under the fingerprint of everything it was made from.

    ``view`` is what screens show; ``raster`` a GeoTIFF of how often each place was covered.
    """

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="covers")
    fingerprint = models.CharField(max_length=64)
    view = models.JSONField()
    raster = models.BinaryField()
    made_at = models.DateTimeField(auto_now=True)

    objects = Scoped()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "fingerprint"], name="one_cover_per_fingerprint")]


class GapJob(models.Model):
    """A job that flies gaps of another: what it flew fills them."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="gaps_of")
    of = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="gap_jobs")

    objects = Scoped()


class PhotoSet(Owned):
    """Positions of the photos of a job, read from a folder in the browser or from a table; the photos stay where they are.

    ``photos``: columns by name, each a list as long as the others. ``ahead_s``: by how much the camera's clock is ahead, as it
    was found or said. ``report``: what was odd about them.
    """

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="photo_sets")
    name = models.CharField(max_length=120)
    photos = models.JSONField()
    count = models.PositiveIntegerField()
    ahead_s = models.FloatField(default=0)
    report = models.JSONField(default=list)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["made_at"]


class Proof(Owned):
    """What was given to a client of a job: numbered, its files as they were made, with their checksums (SHA-256)."""

    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="proofs")
    number = models.PositiveIntegerField()
    pdf = models.BinaryField()
    geojson = models.BinaryField()
    geotiff = models.BinaryField()
    digests = models.JSONField()
    covered_frac = models.FloatField()
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["organisation", "number"], name="a_proof_has_its_number")]
