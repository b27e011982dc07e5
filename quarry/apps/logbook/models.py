"""Sources of logs, imports, files, the flights found in them, and their samples in columns."""

from __future__ import annotations

from django.db import models

from quarry.apps.accounts.models import Owned, Scoped, User
from quarry.apps.day.models import Day
from quarry.apps.fleet.models import Aircraft, Pack
from quarry.apps.jobs.models import Job


class Source(Owned):
    """A kind of log, known by the names of its columns (``mark``), and what people have said of it.

    ``columns``: by header what it holds, in which unit, and which cell; ``zone``: the time zone of its clock, empty where the
    log itself says or only counts.
    """

    mark = models.CharField(max_length=64)
    name = models.CharField(max_length=120)
    columns = models.JSONField(default=dict)
    zone = models.CharField(max_length=40, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["organisation", "mark"], name="one_source_by_its_columns")]


class Import(Owned):
    """Something that was dropped: a log or an archive of them, read by the worker file by file.

    ``state`` goes from waiting over reading to done, refused or stopped; ``report`` says of each file what came of it.
    """

    name = models.CharField(max_length=160)
    data = models.BinaryField()
    state = models.CharField(max_length=10, default="waiting")
    total = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    words = models.CharField(max_length=300, blank=True)
    report = models.JSONField(default=list)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    tries = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ["-made_at"]


class LogFile(Owned):
    """One log. ``state``: asks (a person has to say what its columns are, or that it is to be read all the same) or read.

    ``accepted``: a person let it be read though it says something against itself (``holds``), ``split``: in parts, where its
    clock does not go on. ``digest`` tells the same file when it comes again. ``look`` is its head with what its columns are taken for.
    """

    name = models.CharField(max_length=200)
    digest = models.CharField(max_length=64)
    size = models.PositiveBigIntegerField()
    state = models.CharField(max_length=8)
    words = models.CharField(max_length=300, blank=True)
    source = models.ForeignKey(Source, on_delete=models.PROTECT, related_name="files")
    look = models.JSONField(default=dict)
    rows = models.PositiveIntegerField(default=0)
    bad_rows = models.PositiveIntegerField(default=0)
    examples = models.JSONField(default=list)
    doubts = models.JSONField(default=list)
    holds = models.JSONField(default=list)
    accepted = models.BooleanField(default=False)
    split = models.BooleanField(default=False)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    read_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["organisation", "digest"], name="a_log_is_kept_once")]


class LogData(models.Model):
    """The bytes of a log as they came, gzipped: so that its columns can be corrected and it can be read again."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    file = models.OneToOneField(LogFile, primary_key=True, on_delete=models.CASCADE, related_name="data")
    data = models.BinaryField()

    objects = Scoped()


class Flight(Owned):
    """A flight found in a log, from take-off to landing, with what it tells; `FlightSamples` holds its samples.

    ``match``: none, sure, asked or said; ``candidates`` the recorded flights it may be of; ``record`` the one it is of (see
    `FlownFlight`). ``claims``: by subject what was claimed and what it measured. ``began_at`` is empty where the log only
    counts seconds and nobody has said when it was.
    """

    file = models.ForeignKey(LogFile, on_delete=models.CASCADE, related_name="flights")
    number = models.PositiveSmallIntegerField()
    began_at = models.DateTimeField(null=True)
    zoned = models.BooleanField(default=False)
    length_s = models.FloatField()
    serial = models.CharField(max_length=60, blank=True)
    firmware = models.CharField(max_length=60, blank=True)
    packs = models.ManyToManyField(Pack, related_name="+")
    aircraft = models.ForeignKey(Aircraft, null=True, on_delete=models.PROTECT, related_name="+")
    job = models.ForeignKey(Job, null=True, on_delete=models.PROTECT, related_name="+")
    day = models.ForeignKey(Day, null=True, on_delete=models.PROTECT, related_name="+")
    sortie = models.CharField(max_length=16, blank=True)
    match = models.CharField(max_length=6, default="none")
    record = models.CharField(max_length=80, blank=True)
    candidates = models.JSONField(default=list)
    own_records = models.JSONField(default=list)
    payload_kg = models.FloatField(null=True)
    air_c = models.FloatField(null=True)
    figures = models.JSONField(default=dict)
    phases = models.JSONField(default=list)
    by_phase = models.JSONField(default=list)
    marks = models.JSONField(default=list)
    wind = models.JSONField(null=True)
    track = models.JSONField(default=list)
    claims = models.JSONField(default=dict)
    note = models.CharField(max_length=1000, blank=True)

    class Meta:
        ordering = ["-began_at", "file", "number"]
        indexes = [models.Index(fields=["organisation", "began_at"])]
        constraints = [models.UniqueConstraint(fields=["file", "number"], name="a_flight_of_a_log_once")]


class FlownFlight(models.Model):
    """Something that was flown, each flight once, whoever recorded it: a landing of a day, a record of a pack, or a log.

    A view of the database over `LandedSortie`, `PackRecord` and `Flight`; a log stands with the flight it is of (``log``).
    ``id`` is what `Flight.record` names; ``sorted_at`` stands for ``began_at`` where that is unknown. A migration that alters a
    column of theirs takes the view away and makes it anew.
    """

    id = models.CharField(primary_key=True, max_length=120)
    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.DO_NOTHING, related_name="+")
    source = models.CharField(max_length=6)
    began_at = models.DateTimeField(null=True)
    sorted_at = models.DateTimeField()
    date = models.DateField(null=True)
    length_s = models.FloatField()
    from_frac = models.FloatField(null=True)
    to_frac = models.FloatField(null=True)
    used_frac = models.FloatField()
    aircraft = models.ForeignKey(Aircraft, null=True, on_delete=models.DO_NOTHING, related_name="+")
    aircraft_name = models.CharField(max_length=60)
    packs = models.JSONField()
    pack_ids = models.JSONField()
    packs_count = models.IntegerField()
    job = models.ForeignKey(Job, null=True, on_delete=models.DO_NOTHING, related_name="+")
    job_name = models.CharField(max_length=80)
    letter = models.CharField(max_length=2)
    sortie = models.CharField(max_length=40)
    day = models.ForeignKey(Day, null=True, on_delete=models.DO_NOTHING, related_name="+")
    day_name = models.CharField(max_length=80)
    who = models.CharField(max_length=120)
    planned_s = models.FloatField(null=True)
    planned_frac = models.FloatField(null=True)
    hectares = models.FloatField()
    litres = models.FloatField(null=True)
    air_c = models.FloatField(null=True)
    log = models.ForeignKey(Flight, null=True, on_delete=models.DO_NOTHING, related_name="+")
    words = models.TextField()

    objects = Scoped()

    class Meta:
        managed = False
        db_table = "logbook_flownflight"


class FlightSamples(models.Model):
    """The samples of a flight as a table in columns, compressed (Parquet); ``overview`` is thinned for a first look."""

    organisation = models.ForeignKey("accounts.Organisation", on_delete=models.CASCADE, related_name="+")
    flight = models.OneToOneField(Flight, primary_key=True, on_delete=models.CASCADE, related_name="samples")
    rows = models.PositiveIntegerField()
    data = models.BinaryField()
    overview = models.BinaryField()

    objects = Scoped()
