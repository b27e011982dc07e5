"""Models (kinds of thing, with the figures of the maker or one's own) and items (things with a number)."""

from __future__ import annotations

from django.db import models

from quarry.apps.accounts.models import Owned
from quarry.core.spraying.mix import FORMS
from quarry.core.spraying.nozzles import SIZES

NOZZLE_SIZES = [("", "none"), *((s.name, f"{s.name} ({s.colour})") for s in SIZES)]
PRODUCT_FORMS = [(f.key, f.words) for f in FORMS]


class Thing(Owned):
    """Anything of the fleet: it has a name that people call it by."""

    name = models.CharField(max_length=60)
    notes = models.TextField(blank=True, max_length=2000)

    class Meta:
        abstract = True
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class Camera(Thing):
    """A frame camera for mapping; ``least_interval_s`` between two pictures, empty where it is not known.

    ``image_mb``: what one picture takes on the card, raw file included; ``card_gb``: what its card holds.
    """

    sensor_w_mm = models.FloatField()
    sensor_h_mm = models.FloatField()
    focal_mm = models.FloatField()
    image_w_px = models.PositiveIntegerField()
    image_h_px = models.PositiveIntegerField()
    least_interval_s = models.FloatField(null=True, blank=True)
    image_mb = models.FloatField(null=True, blank=True)
    card_gb = models.FloatField(null=True, blank=True)


class PackModel(Thing):
    """A kind of pack: cells in series and in parallel, capacity of the whole in ampere hours, nominal volts of a cell.

    ``label_c`` is the rate printed on it; ``test_good_v`` and ``test_bad_v`` are levels of the load test of its own, where
    the usual ones do not hold; ``alarm_…_v`` both alarm levels of the whole pack at rest and the loss under load, for packs
    that have none of their own; ``warranty_…_days`` count from the purchase; ``fits`` names its connector or airframe.
    """

    chemistry = models.CharField(
        max_length=8,
        choices=[("lipo", "LiPo"), ("lihv", "High-voltage LiPo"), ("liion", "Lithium-ion"), ("lfp", "LFP")],
        default="lipo",
    )
    cells = models.PositiveSmallIntegerField()
    parallel = models.PositiveSmallIntegerField(default=1)
    capacity_ah = models.FloatField()
    nominal_cell_v = models.FloatField(default=3.7)
    cv_from_frac = models.FloatField(default=0.85)
    most_rate_c = models.FloatField(default=2.0)
    storage_frac = models.FloatField(default=0.6)
    drains_itself = models.BooleanField(default=False)
    balance_s = models.FloatField(default=0)
    drains_after_days = models.PositiveSmallIntegerField(null=True, blank=True)
    mass_kg = models.FloatField(null=True, blank=True)
    label_c = models.FloatField(null=True, blank=True)
    price = models.FloatField(null=True, blank=True)
    warranty_replace_days = models.PositiveSmallIntegerField(null=True, blank=True)
    warranty_prorata_days = models.PositiveSmallIntegerField(null=True, blank=True)
    alarm_first_v = models.FloatField(null=True, blank=True)
    alarm_second_v = models.FloatField(null=True, blank=True)
    alarm_loss_v = models.FloatField(null=True, blank=True)
    test_good_v = models.FloatField(null=True, blank=True)
    test_bad_v = models.FloatField(null=True, blank=True)
    fits = models.CharField(max_length=60, blank=True)

    @property
    def rated_wh(self) -> float:
        """Rated energy of one pack. [Wh]"""
        return self.cells * self.nominal_cell_v * self.capacity_ah


class AircraftModel(Thing):
    """A kind of aircraft with its usual load; ``power_w`` is the mean draw at cruise until flights tell better.

    ``mass_kg`` at take-off, ``rotors`` and ``rotor_m`` let power follow speed, load and air. ``most_*`` and ``least_*``
    are the maker's limits, from the data sheet. ``power_up`` is how it is switched on, step by step; ``shows`` what its
    screen tells of the cells. On lines it ``holds`` its speed over ground or through the air, where it flies ``most_m_s`` at
    most; ``rated_…_min`` are the minutes that the maker states, with ``rated_left_frac`` left; a sprayer's ``flow`` follows the speed or stays as set, within its bounds. ``learnt`` holds the calibrations in force (see `Calibration`).
    """

    work = models.CharField(
        max_length=10,
        choices=[("mapping", "Mapping"), ("spraying", "Spraying"), ("search", "Search"), ("any", "Any")],
        default="any",
    )
    pack_model = models.ForeignKey(PackModel, on_delete=models.PROTECT, related_name="+")
    packs_count = models.PositiveSmallIntegerField(default=1)
    power_w = models.FloatField()
    cruise_m_s = models.FloatField()
    fixed_s = models.FloatField(default=75)
    turn_s = models.FloatField(default=4)
    camera = models.ForeignKey(Camera, null=True, blank=True, on_delete=models.PROTECT, related_name="+")
    tank_l = models.FloatField(null=True, blank=True)
    swath_m = models.FloatField(null=True, blank=True)
    mass_kg = models.FloatField(null=True, blank=True)
    rotors = models.PositiveSmallIntegerField(null=True, blank=True)
    rotor_m = models.FloatField(null=True, blank=True)
    hover_w = models.FloatField(null=True, blank=True)
    climb_m_s = models.FloatField(default=3.0)
    holds = models.CharField(max_length=6, choices=[("ground", "Speed over ground"), ("air", "Airspeed")], default="ground")
    most_m_s = models.FloatField(null=True, blank=True)
    flow = models.CharField(
        max_length=8, choices=[("by speed", "Follows the speed"), ("constant", "Stays as set")], default="by speed"
    )
    least_flow_l_min = models.FloatField(null=True, blank=True)
    most_flow_l_min = models.FloatField(null=True, blank=True)
    most_wind_m_s = models.FloatField(null=True, blank=True)
    least_air_c = models.FloatField(null=True, blank=True)
    most_air_c = models.FloatField(null=True, blank=True)
    least_pack_c = models.FloatField(null=True, blank=True)
    most_load_kg = models.FloatField(null=True, blank=True)
    low_frac = models.FloatField(null=True, blank=True)
    critical_frac = models.FloatField(null=True, blank=True)
    rated_hover_min = models.FloatField(null=True, blank=True)
    rated_steady_min = models.FloatField(null=True, blank=True)
    rated_mixed_min = models.FloatField(null=True, blank=True)
    rated_left_frac = models.FloatField(null=True, blank=True)
    rain_rated = models.BooleanField(default=False)
    pale = models.BooleanField(default=False, db_default=False)
    shows = models.CharField(
        max_length=6, choices=[("cells", "Each cell"), ("total", "A total only"), ("none", "No volts")], default="cells"
    )
    live_at_once = models.BooleanField(default=False)
    power_up = models.JSONField(default=list, blank=True)
    learnt = models.JSONField(default=dict, blank=True, editable=False)


class ChargerModel(Thing):
    """A kind of charger: equal ports, rates in watts into a pack and from the supply, and which packs it takes.

    ``supply_leads``: each goes to an outlet of its own circuit.

    ``least_cells``, ``most_cells``: in series; ``most_v``: of a full pack; ``chemistries``: by key.
    Empty: not known, and then it is planned for all.
    """

    ports = models.PositiveSmallIntegerField()
    modes = models.JSONField(default=list)
    cap_w = models.FloatField(null=True, blank=True)
    power_factor = models.FloatField(default=0.95)
    supply_leads = models.PositiveSmallIntegerField(default=1, db_default=1)
    least_cells = models.PositiveSmallIntegerField(null=True, blank=True)
    most_cells = models.PositiveSmallIntegerField(null=True, blank=True)
    most_v = models.FloatField(null=True, blank=True)
    chemistries = models.JSONField(default=list, blank=True)


class SupplyModel(Thing):
    """A kind of generator, mains outlet or vehicle supply.

    ``outlets_count`` equal outlets, each behind a breaker of ``outlet_a`` at ``outlet_v``; 0: they are not known.
    """

    kind = models.CharField(
        max_length=10, choices=[("generator", "Generator"), ("mains", "Mains"), ("vehicle", "Vehicle")], default="generator"
    )
    rated_w = models.FloatField()
    headroom_frac = models.FloatField(default=0.2)
    outlets_count = models.PositiveSmallIntegerField(default=0)
    outlet_a = models.FloatField(default=16.0)
    outlet_v = models.FloatField(default=230.0)
    fuel = models.CharField(
        max_length=8, choices=[("", "None"), ("petrol", "Petrol"), ("diesel", "Diesel")], default="", blank=True
    )
    tank_l = models.FloatField(null=True, blank=True)


class Aircraft(Thing):
    """One aircraft. ``power_w`` is the mean draw measured on it, if it has been.

    ``fast_into_m_s`` and ``fast_with_m_s``: ground speeds that a pilot measured into and with the wind in its fast mode.
    """

    model = models.ForeignKey(AircraftModel, on_delete=models.PROTECT, related_name="items")
    power_w = models.FloatField(null=True, blank=True)
    fast_into_m_s = models.FloatField(null=True, blank=True)
    fast_with_m_s = models.FloatField(null=True, blank=True)
    learnt = models.JSONField(default=dict, blank=True, editable=False)


class Pack(Thing):
    """One pack. Packs of equal ``mates`` fly together as one set.

    ``cycles`` were flown before its first record. What its records tell stands in ``health_frac``, ``charge_frac`` and
    ``grounded``; until there are any, what was entered.
    """

    model = models.ForeignKey(PackModel, on_delete=models.PROTECT, related_name="items")
    mates = models.CharField(max_length=20, blank=True)
    health_frac = models.FloatField(default=1.0)
    charge_frac = models.FloatField(default=0.6)
    cycles = models.PositiveIntegerField(default=0)
    serial = models.CharField(max_length=40, blank=True)
    price = models.FloatField(null=True, blank=True)
    bought_on = models.DateField(null=True, blank=True)
    warranty_until = models.DateField(null=True, blank=True)
    added_at = models.DateTimeField(auto_now_add=True)
    grounded = models.BooleanField(default=False)
    grounded_why = models.CharField(max_length=160, blank=True)
    learnt = models.JSONField(default=dict, blank=True, editable=False)


class Charger(Thing):
    """One charger."""

    model = models.ForeignKey(ChargerModel, on_delete=models.PROTECT, related_name="items")


class Supply(Thing):
    """One generator or other supply."""

    model = models.ForeignKey(SupplyModel, on_delete=models.PROTECT, related_name="items")


class Nozzle(Thing):
    """A kind of nozzle: hydraulic by size between two pressures, or a rotary atomiser between two flows.

    ``droplets``: the maker's table, a line for each pressure (hydraulic) or speed (rotary); see the core's `droplet_rows`, `drop_rows`.
    """

    kind = models.CharField(max_length=10, choices=[("hydraulic", "Hydraulic"), ("rotary", "Rotary atomiser")])
    size = models.CharField(max_length=4, blank=True, choices=NOZZLE_SIZES)
    angle_deg = models.FloatField(null=True, blank=True)
    least_bar = models.FloatField(null=True, blank=True)
    most_bar = models.FloatField(null=True, blank=True)
    least_l_min = models.FloatField(null=True, blank=True)
    most_l_min = models.FloatField(null=True, blank=True)
    droplets = models.JSONField(default=list, blank=True)


class Product(Thing):
    """A product as its label says: rate, form, and what it allows; empty where the label says nothing.

    ``buffer``: the label's table of distances, a line for each wind; see the core's `buffer_rows`.
    """

    registration = models.CharField(max_length=40, blank=True)
    unit = models.CharField(max_length=2, choices=[("L", "L"), ("kg", "kg")], default="L")
    form = models.CharField(max_length=12, choices=PRODUCT_FORMS, default="other")
    rate_amount = models.FloatField(null=True, blank=True)
    basis = models.CharField(max_length=6, choices=[("ha", "hectare"), ("100_l", "100 L")], default="ha")
    least_water_l_ha = models.FloatField(null=True, blank=True)
    rainfast_h = models.FloatField(null=True, blank=True)
    reentry_h = models.FloatField(null=True, blank=True)
    before_harvest_days = models.PositiveSmallIntegerField(null=True, blank=True)
    most_count = models.PositiveSmallIntegerField(null=True, blank=True)
    most_amount = models.FloatField(null=True, blank=True)
    least_interval_days = models.PositiveSmallIntegerField(null=True, blank=True)
    buffer = models.JSONField(default=list, blank=True)
    clothing = models.CharField(max_length=200, blank=True)


class Calibration(Owned):
    """A factor that own flights make of what is claimed, accepted by a lead; what planning multiplies by.

    ``subject`` is power (of a model of aircraft or of one aircraft), capacity, resistance or charge (of a pack), or swap (of
    the whole house, without a thing). ``figures`` say how it came about, with its working. The newest that has not ended is in
    force; rolled back, the one before it is again.
    """

    number = models.PositiveIntegerField()
    subject = models.CharField(max_length=12)
    thing = models.CharField(max_length=16, blank=True)
    thing_id = models.UUIDField(null=True, blank=True)
    label = models.CharField(max_length=80)
    factor = models.FloatField()
    figures = models.JSONField(default=dict)
    accepted_at = models.DateTimeField(auto_now_add=True)
    accepted_by = models.ForeignKey("accounts.User", on_delete=models.PROTECT, related_name="+")
    rolled_back_at = models.DateTimeField(null=True, blank=True)
    rolled_back_by = models.ForeignKey("accounts.User", null=True, blank=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["organisation", "number"], name="calibrations_are_numbered")]
