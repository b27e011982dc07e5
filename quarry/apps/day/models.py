"""A day and its plans."""

from __future__ import annotations

from django.db import models

from quarry.apps.accounts.models import Owned, Scoped, User
from quarry.apps.fleet.models import Aircraft, Charger, Pack, Supply
from quarry.apps.jobs.models import Job
from quarry.core.defaults import BENCH, ELEVATION, PACK_START, REST_AFTER_CHARGE, REST_AFTER_FLIGHT, SWAP


class Day(Owned):
    """One field day. Hours are local to ``time_zone``; times inside plans are seconds from ``opens``.

    ``methods`` holds how it is planned (see `fields.METHODS`), ``pins`` what people have fixed, ``crews`` for each crew that
    flies several aircraft the ids of these. A day that closes no later than it opens does so on the next date. A rehearsal is a
    day of its own that has hours and a run, and nothing else.
    """

    name = models.CharField(max_length=80)
    date = models.DateField()
    time_zone = models.CharField(max_length=40, default="UTC")
    opens = models.TimeField()
    closes = models.TimeField()
    pauses = models.JSONField(default=list)
    swap_s = models.FloatField(default=SWAP.value)
    rest_after_flight_s = models.FloatField(default=REST_AFTER_FLIGHT.value)
    rest_after_charge_s = models.FloatField(default=REST_AFTER_CHARGE.value)
    elevation_m = models.FloatField(default=ELEVATION.value)
    bench_c = models.FloatField(default=BENCH.value)
    methods = models.JSONField(default=dict)
    pins = models.JSONField(default=list)
    crews = models.JSONField(default=list, db_default=[])
    supply = models.ForeignKey(Supply, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    more_supplies = models.ManyToManyField(Supply, related_name="+")
    chargers = models.ManyToManyField(Charger, related_name="+")
    crew = models.ManyToManyField(User, related_name="+")
    rehearsal_of = models.ForeignKey("self", null=True, blank=True, on_delete=models.PROTECT, related_name="rehearsals")

    class Meta:
        ordering = ["-date", "name"]

    def __str__(self) -> str:
        return self.name


class DayRun(Owned):
    """A day that is being flown: the plan it began under, frozen, and the plan as it stands now.

    ``frame`` is what the core goes by (see `mappers.live.frozen`); ``current`` its schedule as replanned so far; ``revision``
    grows with every change, ``changes`` says when a plan changed and how, ``alerts`` which were told of last. ``flown`` is how
    the day kept to its plan so far (see `mappers.flown`), written with every event so that reading a history folds no day anew;
    its sorties are `LandedSortie`.

    A rehearsal has a clock of its own: at ``clock_at`` it stood at ``clock_s`` and has run ``speed`` times as fast as time
    since; ``rehearsal`` holds its seed, who answers the calls, its faults, and what its simulated world remembers. It was last
    played at ``played_at``: while nobody plays it, its clock stands.
    """

    day = models.OneToOneField(Day, on_delete=models.PROTECT, related_name="run")
    frame = models.JSONField()
    current = models.JSONField()
    plan_number = models.PositiveIntegerField()
    planned_at_s = models.FloatField(default=0)
    revision = models.PositiveIntegerField(default=1)
    changes = models.JSONField(default=list)
    clock_at = models.DateTimeField(null=True)
    clock_s = models.FloatField(default=0)
    speed = models.FloatField(default=1)
    played_at = models.DateTimeField(null=True)
    rehearsal = models.JSONField(default=dict)
    flown = models.JSONField(null=True)
    closed_at = models.DateTimeField(null=True)
    alerts = models.JSONField(default=list)
    started_at = models.DateTimeField(auto_now_add=True)
    started_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")


class LandedSortie(models.Model):
    """A sortie that landed on a running day, with what was planned of it: written at its landing, mended with its events.

    Times ``…_s`` count from the day's opening. ``packs`` holds names as they were; ``record_keys`` the keys under which the
    sortie goes to the records of its packs.
    """

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.PROTECT, related_name="+")
    run = models.ForeignKey(DayRun, on_delete=models.CASCADE, related_name="landed")
    sortie = models.CharField(max_length=40)
    key = models.CharField(max_length=64)
    took_off_at = models.DateTimeField()
    takeoff_s = models.FloatField()
    landing_s = models.FloatField()
    to_frac = models.FloatField(null=True)
    aircraft = models.ForeignKey(Aircraft, on_delete=models.PROTECT, related_name="+")
    aircraft_name = models.CharField(max_length=60)
    packs = models.JSONField()
    pack_ids = models.JSONField()
    record_keys = models.JSONField()
    job = models.ForeignKey(Job, null=True, on_delete=models.PROTECT, related_name="+")
    letter = models.CharField(max_length=2, blank=True)
    who = models.CharField(max_length=120, blank=True)
    planned_s = models.FloatField()
    planned_frac = models.FloatField()
    hectares = models.FloatField()
    work = models.FloatField(null=True)
    what = models.CharField(max_length=12, blank=True)
    air_c = models.FloatField(null=True)

    objects = Scoped()

    class Meta:
        ordering = ["run", "takeoff_s", "sortie"]
        constraints = [models.UniqueConstraint(fields=["run", "sortie"], name="a_sortie_lands_once")]


class DayEvent(models.Model):
    """Something that happened on a day; only ever added, a trigger refuses the rest.

    ``at`` is the time of the device, set right by ``offset_s``, by which its clock was off when it sent.
    """

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.PROTECT, related_name="+")
    day = models.ForeignKey(Day, on_delete=models.PROTECT, related_name="events")
    key = models.CharField(max_length=64)
    kind = models.CharField(max_length=16)
    at = models.DateTimeField()
    offset_s = models.FloatField(default=0)
    received_at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    device = models.CharField(max_length=60, blank=True)
    under = models.PositiveIntegerField(default=0)
    figures = models.JSONField(default=dict)

    objects = Scoped()

    class Meta:
        ordering = ["at", "key"]
        constraints = [models.UniqueConstraint(fields=["day", "key"], name="an_event_happens_once")]


class DayTelemetry(models.Model):
    """The newest that an aircraft told from the air or a charger of a port: a row for each sortie and port.

    ``recent``: what was read of volts and charge in the last minute and a half, as [timestamp, lowest cell, total, share];
    ``least_v``: the lowest cell of the whole flight, held for some seconds.
    """

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    day = models.ForeignKey(Day, on_delete=models.CASCADE, related_name="telemetry")
    flight = models.CharField(max_length=16)
    at = models.DateTimeField()
    figures = models.JSONField(default=dict)
    recent = models.JSONField(default=list, db_default=[])
    least_v = models.FloatField(null=True)

    objects = Scoped()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["day", "flight"], name="one_reading_of_a_sortie")]


class TrackPoint(models.Model):
    """Where an aircraft was at a moment of a sortie, as it told from the air: kept to find out what was truly covered.

    ``height_m`` above take-off; ``works``: nozzles open, or pictures taken; empty where the aircraft does not say.
    """

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    day = models.ForeignKey(Day, on_delete=models.CASCADE, related_name="track_points")
    flight = models.CharField(max_length=16)
    at = models.DateTimeField()
    lon_deg = models.FloatField()
    lat_deg = models.FloatField()
    height_m = models.FloatField(null=True)
    works = models.BooleanField(null=True)

    objects = Scoped()

    class Meta:
        ordering = ["at"]
        constraints = [models.UniqueConstraint(fields=["day", "flight", "at"], name="a_place_of_a_sortie_once")]


class DayJob(models.Model):
    """A job in a day, in the order flown, with the aircraft that flies it."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    day = models.ForeignKey(Day, on_delete=models.CASCADE, related_name="jobs")
    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="+")
    aircraft = models.ForeignKey(Aircraft, null=True, on_delete=models.PROTECT, related_name="+")
    place = models.PositiveSmallIntegerField()

    objects = Scoped()

    class Meta:
        ordering = ["place"]


class DayPack(models.Model):
    """A pack in a day with its charge when the day opens."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    day = models.ForeignKey(Day, on_delete=models.CASCADE, related_name="packs")
    pack = models.ForeignKey(Pack, on_delete=models.PROTECT, related_name="+")
    start_frac = models.FloatField(default=PACK_START.value)

    objects = Scoped()

    class Meta:
        ordering = ["pack__name"]


class DayPlan(models.Model):
    """A rotation kept under the fingerprint of everything it was made from; the worker may better it.

    ``inputs`` says in words what it was made from, ``why`` what had changed since the plan before it.
    """

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    day = models.ForeignKey(Day, on_delete=models.CASCADE, related_name="plans")
    fingerprint = models.CharField(max_length=64)
    number = models.PositiveIntegerField()
    plan = models.JSONField()
    state = models.CharField(max_length=10, default="first")
    progress = models.FloatField(default=0)
    tries = models.PositiveSmallIntegerField(default=0)
    made_at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(User, null=True, on_delete=models.SET_NULL, related_name="+")
    inputs = models.JSONField(default=dict)
    why = models.JSONField(default=list)

    objects = Scoped()

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["day", "fingerprint"], name="one_plan_per_day_fingerprint")]
