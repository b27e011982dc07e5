"""What each noun of the fleet is made of: every figure once, with its words, unit, range and default.

Forms, tables, checks, the inputs of the API and the columns of tables as CSV follow from it. A new figure is a column of
the model with its migration, a line here, and its use in `mappers`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from quarry.apps.fleet.models import NOZZLE_SIZES, PRODUCT_FORMS

Kind = Literal["text", "number", "whole", "choice", "thing", "yes", "date", "rates", "lines", "several"]
Quantity = Literal["m", "m_s", "l", "c"]
Noun = Literal[
    "packs",
    "aircraft",
    "chargers",
    "supplies",
    "pack-models",
    "aircraft-models",
    "charger-models",
    "supply-models",
    "cameras",
    "nozzles",
    "products",
]
Right = Literal["packs:write", "fleet:write"]
NEEDED: Any = object()
MOST_ALIKE = 100  # are added at once
MOST_LINES = 12  # of a figure that is a list of short lines


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure of a noun.

    Shown value = value × ``scale`` in ``unit``, or as ``quantity`` in the units of the reader. It lies in [``low``,
    ``high``] as stored; what the core holds within bounds has none here. ``default`` is taken where it is left out
    (`NEEDED`: it may not be), ``begins`` stands in a new form where that differs. ``of`` is the noun from which a thing
    is chosen; ``aside``: in the form and not in the table; ``checked_as`` names it in a refusal where the label would
    not do; ``longest``: a text, or each of the lines. ``several``: any of the choices, none where it is not known.
    """

    key: str
    label: str
    kind: Kind = "number"
    unit: str = ""
    scale: float = 1.0
    digits: int | None = None
    quantity: Quantity | None = None
    low: float | None = None
    high: float | None = None
    default: Any = NEEDED
    begins: Any = None
    choices: tuple[tuple[str, str], ...] = ()
    of: Noun | None = None
    aside: bool = False
    checked_as: str = ""
    longest: int = 2000

    @property
    def needed(self) -> bool:
        """Whether it may not be left out."""
        return self.default is NEEDED

    @property
    def optional(self) -> bool:
        """Whether it may stay empty: then it is not known."""
        return self.default is None or (self.kind in ("text", "lines", "several") and self.default in ("", ()))

    @property
    def first(self) -> Any:
        """What a new form begins with."""
        if self.begins is not None:
            return self.begins
        return "" if self.needed else self.default


@dataclass(frozen=True, slots=True)
class NounFigures:
    """A noun with its words, who may write it, and its figures in the order in which people think of them."""

    noun: Noun
    title: str
    one: str
    empty: str
    figures: tuple[Figure, ...]
    right: Right = "fleet:write"


_NAME = Figure("name", "Name or number", "text", longest=60)
_NOTES = Figure("notes", "Notes", "text", default="", aside=True)
_CHEMISTRIES = (("lipo", "LiPo"), ("lihv", "high-voltage LiPo"), ("liion", "lithium-ion"), ("lfp", "LFP"))


def _percent(key: str, label: str, **more: Any) -> Figure:
    return Figure(key, label, unit="%", scale=100, digits=0, **more)


def _count(key: str, label: str, low: float, high: float, **more: Any) -> Figure:
    return Figure(key, label, "whole", digits=0, low=low, high=high, **more)


def _known(key: str, label: str, low: float, high: float, **more: Any) -> Figure:
    """Return a figure that may stay unknown."""
    return Figure(key, label, low=low, high=high, default=None, **more)


PACKS = NounFigures(
    "packs",
    "Packs",
    "pack",
    "No packs yet. First add a model of pack, then number your packs.",
    (
        _NAME,
        Figure("model_id", "Model", "thing", of="pack-models"),
        Figure("mates", "Paired with", "text", default="", longest=20),
        _percent("charge_frac", "Charge", low=0.0, high=1.0, default=0.6),
        _percent("health_frac", "Capacity, of rated", default=1.0),
        _count("cycles", "Cycles before its first record", 0, 10_000, default=0, aside=True, checked_as="Cycles"),
        Figure("serial", "Serial number", "text", default="", longest=40),
        Figure("bought_on", "Bought on", "date", default=None, aside=True),
        _known("price", "Price", 0.0, 1e6, digits=2, aside=True),
        Figure("warranty_until", "Warranty until", "date", default=None, aside=True),
        _NOTES,
    ),
    right="packs:write",
)
AIRCRAFT = NounFigures(
    "aircraft",
    "Aircraft",
    "aircraft",
    "No aircraft yet. First add a model of aircraft.",
    (
        _NAME,
        Figure("model_id", "Model", "thing", of="aircraft-models"),
        Figure("power_w", "Mean power, measured", unit="W", digits=0, default=None),
        _known("fast_into_m_s", "Fast mode, measured into the wind", 0.0, 40.0, quantity="m_s"),
        _known("fast_with_m_s", "Fast mode, measured with the wind", 0.5, 60.0, quantity="m_s"),
        _NOTES,
    ),
)
CHARGERS = NounFigures(
    "chargers",
    "Chargers",
    "charger",
    "No chargers yet. First add a model of charger.",
    (_NAME, Figure("model_id", "Model", "thing", of="charger-models"), _NOTES),
)
SUPPLIES = NounFigures(
    "supplies",
    "Supplies",
    "supply",
    "No generators or other supplies yet.",
    (_NAME, Figure("model_id", "Model", "thing", of="supply-models"), _NOTES),
)
PACK_MODELS = NounFigures(
    "pack-models",
    "Models of pack",
    "model of pack",
    "No models of pack yet.",
    (
        _NAME,
        Figure("chemistry", "Chemistry", "choice", choices=_CHEMISTRIES, begins="lipo"),
        _count("cells", "Cells in series", 1, 28, begins=6),
        Figure("capacity_ah", "Capacity", unit="Ah", digits=2, low=0.2, high=200, begins=16),
        Figure(
            "nominal_cell_v",
            "Nominal volts a cell",
            unit="V",
            digits=2,
            low=2.5,
            high=4.0,
            default=3.7,
            checked_as="Nominal volts of a cell",
        ),
        _percent("cv_from_frac", "Constant voltage from, at 1 C", default=0.85, aside=True),
        Figure("most_rate_c", "Fastest charge", unit="C", digits=1, default=2.0),
        Figure(
            "balance_s",
            "Balancing, after full",
            unit="min",
            scale=1 / 60,
            digits=0,
            low=0,
            high=4 * 3600,
            default=0.0,
            checked_as="Balancing",
        ),
        _percent("storage_frac", "Storage charge", low=0.2, high=0.8, default=0.6),
        Figure("drains_itself", "Drains itself to storage charge", "yes", default=False),
        _count(
            "drains_after_days",
            "and begins after",
            1,
            60,
            unit="days",
            default=None,
            aside=True,
            checked_as="Drains itself after",
        ),
        _count("parallel", "Cells in parallel", 1, 20, default=1, aside=True),
        _known("mass_kg", "Mass", 0.02, 60, unit="kg", digits=2, aside=True),
        _known("label_c", "Printed rate", 0.5, 500, unit="C", digits=0),
        _known("price", "Price", 0.0, 1e6, digits=2, aside=True),
        _count("warranty_replace_days", "Warranty: replaced for", 1, 3650, unit="days", default=None, aside=True),
        _count("warranty_prorata_days", "and pro rata until", 1, 3650, unit="days", default=None, aside=True),
        _known("alarm_first_v", "Alarm level 1, at rest", 1.0, 130.0, unit="V", digits=2, aside=True),
        _known("alarm_second_v", "Alarm level 2, at rest", 1.0, 130.0, unit="V", digits=2, aside=True),
        _known("alarm_loss_v", "Loss under load", 0.0, 30.0, unit="V", digits=2, aside=True),
        _known("test_good_v", "Own load test: good from", 2.0, 4.3, unit="V", digits=2, aside=True, checked_as="Good from"),
        _known("test_bad_v", "and bad below", 1.5, 4.2, unit="V", digits=2, aside=True, checked_as="Bad below"),
        Figure("fits", "Connector or airframe it fits", "text", default="", aside=True, longest=60),
        _NOTES,
    ),
)
AIRCRAFT_MODELS = NounFigures(
    "aircraft-models",
    "Models of aircraft",
    "model of aircraft",
    "No models of aircraft yet. First add the model of pack it flies.",
    (
        _NAME,
        Figure(
            "work",
            "Work",
            "choice",
            choices=(("any", "any"), ("mapping", "mapping"), ("spraying", "spraying"), ("search", "search")),
            begins="any",
        ),
        Figure("pack_model_id", "Flies", "thing", of="pack-models"),
        Figure("packs_count", "Packs together", "whole", digits=0, begins=1),
        Figure("power_w", "Mean power with its load", unit="W", digits=0, begins=600),
        Figure("cruise_m_s", "Cruise airspeed", quantity="m_s", begins=10),
        Figure("fixed_s", "Take-off and landing together", unit="s", digits=0, begins=75),
        Figure("turn_s", "One turn", unit="s", begins=4, aside=True),
        Figure("camera_id", "Camera", "thing", of="cameras", default=None),
        _known("tank_l", "Tank", 0.5, 400, quantity="l", unit="L"),
        _known("swath_m", "Swath", 0.5, 40, quantity="m", unit="m"),
        Figure("mass_kg", "Mass at take-off, tank empty", unit="kg", digits=2, default=None, aside=True),
        _count("rotors", "Rotors", 3, 16, default=None, aside=True),
        Figure("rotor_m", "Rotor diameter", unit="m", digits=3, default=None, aside=True),
        Figure("hover_w", "Power in hover", unit="W", digits=0, default=None, aside=True),
        Figure("climb_m_s", "Climb", quantity="m_s", default=3.0, aside=True),
        Figure(
            "holds",
            "On lines it holds",
            "choice",
            choices=(("ground", "its speed over ground"), ("air", "its airspeed")),
            default="ground",
            aside=True,
        ),
        _known("most_m_s", "Greatest airspeed", 1, 60, quantity="m_s", unit="m/s", aside=True),
        Figure(
            "flow",
            "Flow when spraying",
            "choice",
            choices=(("by speed", "follows the speed"), ("constant", "stays as set")),
            default="by speed",
            aside=True,
        ),
        _known("least_flow_l_min", "Flow from", 0.01, 100, unit="L/min", digits=2, aside=True, checked_as="Least flow"),
        _known("most_flow_l_min", "Flow to", 0.01, 100, unit="L/min", digits=2, aside=True, checked_as="Greatest flow"),
        _known(
            "most_wind_m_s", "Wind limit, data sheet", 1, 40, quantity="m_s", unit="m/s", checked_as="Wind limit of the maker"
        ),
        _known("least_air_c", "Air from", -50, 20, quantity="c", unit="°C", aside=True, checked_as="Least air temperature"),
        _known("most_air_c", "Air to", 10, 60, quantity="c", unit="°C", aside=True, checked_as="Most air temperature"),
        _known(
            "least_pack_c",
            "Refuses packs below",
            -30,
            30,
            quantity="c",
            unit="°C",
            aside=True,
            checked_as="Least pack temperature",
        ),
        _known("low_frac", "Warns of low battery at", 0.02, 0.9, unit="%", scale=100, digits=0, aside=True),
        _known("critical_frac", "Critical battery at", 0.01, 0.9, unit="%", scale=100, digits=0, aside=True),
        _known("rated_hover_min", "Rated flight time, hover", 1, 600, unit="min", digits=1, aside=True),
        _known("rated_steady_min", "Rated flight time, steady", 1, 600, unit="min", digits=1, aside=True),
        _known("rated_mixed_min", "Rated flight time, mixed", 1, 600, unit="min", digits=1, aside=True),
        _known("rated_left_frac", "Rated with this much left", 0, 0.9, unit="%", scale=100, digits=0, aside=True),
        _known("most_load_kg", "Load at most", 0, 200, unit="kg", digits=2, aside=True, checked_as="Most load"),
        Figure("rain_rated", "Rated for rain and snow", "yes", default=False, aside=True),
        Figure(
            "shows",
            "Cell telemetry",
            "choice",
            choices=(("cells", "each cell"), ("total", "a total only"), ("none", "no volts")),
            default="cells",
            aside=True,
        ),
        Figure("pale", "White or pale grey", "yes", default=False, aside=True),
        Figure("live_at_once", "Live the moment it is plugged in", "yes", default=False, aside=True),
        Figure("power_up", "Power-up, one step a line", "lines", default=(), aside=True, longest=120),
        _NOTES,
    ),
)
CHARGER_MODELS = NounFigures(
    "charger-models",
    "Models of charger",
    "model of charger",
    "No models of charger yet.",
    (
        _NAME,
        _count("ports", "Ports", 1, 32, begins=2),
        Figure("modes", "Rates of one port", "rates", begins=[{"name": "fast", "pack_w": 500, "wall_w": 560}]),
        _count("least_cells", "Cells in series, min", 1, 28, default=None, checked_as="Fewest cells"),
        _count("most_cells", "Cells in series, max", 1, 28, default=None, checked_as="Most cells"),
        _known("most_v", "Pack voltage, max", 3.0, 130.0, unit="V", digits=1, aside=True, checked_as="Most volts"),
        Figure("chemistries", "Chemistries it charges", "several", default=(), choices=_CHEMISTRIES, aside=True),
        Figure("cap_w", "All ports draw at most", unit="W", digits=0, default=None),
        _count("supply_leads", "Supply leads, each to its own circuit", 1, 4, default=1, begins=1, checked_as="Supply leads"),
        Figure("power_factor", "Power factor", digits=2, low=0.3, high=1.0, default=0.95, aside=True),
        _NOTES,
    ),
)
SUPPLY_MODELS = NounFigures(
    "supply-models",
    "Models of supply",
    "model of supply",
    "No models of supply yet.",
    (
        _NAME,
        Figure(
            "kind",
            "Kind",
            "choice",
            choices=(("generator", "generator"), ("mains", "mains"), ("vehicle", "vehicle")),
            begins="generator",
        ),
        Figure("rated_w", "Continuous rating", unit="W", digits=0, begins=2000),
        _percent("headroom_frac", "Headroom kept", begins=0.2),
        _count("outlets_count", "Outlets, 0 if not known", 0, 12, default=0, begins=1, checked_as="Outlets"),
        Figure("outlet_a", "Breaker of each outlet", unit="A", digits=0, default=16.0),
        Figure("outlet_v", "Volts of the outlets", unit="V", digits=0, default=230.0),
        Figure(
            "fuel",
            "Fuel",
            "choice",
            choices=(("", "none"), ("petrol", "petrol"), ("diesel", "diesel")),
            default="",
            begins="petrol",
        ),
        _known("tank_l", "Tank", 0.5, 2000.0, unit="L", digits=1),
        _NOTES,
    ),
)
CAMERAS = NounFigures(
    "cameras",
    "Cameras",
    "camera",
    "No cameras yet.",
    (
        _NAME,
        Figure("sensor_w_mm", "Sensor, long side", unit="mm", digits=2, begins=13.2),
        Figure("sensor_h_mm", "Sensor, short side", unit="mm", digits=2, begins=8.8),
        Figure("focal_mm", "Focal length, true", unit="mm", digits=2, begins=8.8),
        Figure("image_w_px", "Pixels, long side", "whole", digits=0, begins=5472),
        Figure("image_h_px", "Pixels, short side", "whole", digits=0, begins=3648),
        _known("least_interval_s", "Fastest picture interval", 0.05, 60, unit="s", digits=2, aside=True),
        _known("image_mb", "One picture on the card", 0.1, 1000, unit="MB", digits=1, aside=True),
        _known("card_gb", "Card", 0.5, 20_000, unit="GB", digits=0, aside=True),
        _NOTES,
    ),
)
NOZZLES = NounFigures(
    "nozzles",
    "Nozzles",
    "nozzle",
    "No nozzles yet. Take size, pressures and droplets from the maker's table.",
    (
        _NAME,
        Figure("kind", "Kind", "choice", choices=(("hydraulic", "hydraulic"), ("rotary", "rotary atomiser")), begins="hydraulic"),
        Figure(
            "size",
            "Size",
            "choice",
            choices=tuple(NOZZLE_SIZES),
            default="",
            begins="02",
        ),
        _known("angle_deg", "Spray angle", 0, 180, unit="°", digits=0),
        _known("least_bar", "Pressure from", 0.3, 20, unit="bar", digits=1, checked_as="Least pressure"),
        _known("most_bar", "Pressure to", 0.3, 20, unit="bar", digits=1, checked_as="Greatest pressure"),
        _known("least_l_min", "Flow of one atomiser from", 0.01, 50, unit="L/min", digits=2, aside=True, checked_as="Least flow"),
        _known("most_l_min", "Flow of one atomiser to", 0.01, 50, unit="L/min", digits=2, aside=True, checked_as="Greatest flow"),
        Figure(
            "droplets",
            "Droplets, a line each: bar; class, or 1/min; µm of an atomiser",
            "lines",
            default=(),
            aside=True,
            longest=60,
        ),
        _NOTES,
    ),
)
PRODUCTS = NounFigures(
    "products",
    "Products",
    "product",
    "No products yet. Enter them from their labels, which take precedence over everything here.",
    (
        _NAME,
        Figure("registration", "Registration number", "text", default="", longest=40),
        Figure("form", "Form", "choice", choices=tuple(PRODUCT_FORMS), default="other", begins="suspension"),
        Figure("rate_amount", "Rate", digits=3, low=1e-4, high=1000, default=None, checked_as="Rate of the label"),
        Figure("unit", "in", "choice", choices=(("L", "L"), ("kg", "kg")), default="L"),
        Figure("basis", "for each", "choice", choices=(("ha", "hectare"), ("100_l", "100 L")), default="ha"),
        _known("least_water_l_ha", "Water at least", 0.5, 1000, unit="L/ha", digits=1, aside=True),
        _known("rainfast_h", "No rain for, after spraying", 0, 72, unit="h", digits=1),
        _known("reentry_h", "No entry for, after spraying", 0, 2000, unit="h", digits=0),
        _count("before_harvest_days", "Before harvest at least", 0, 730, unit="days", default=None),
        _count("most_count", "Treatments a season, at most", 1, 50, default=None, checked_as="Treatments"),
        _known("most_amount", "In a season at most, on a hectare", 1e-4, 1e5, digits=3, aside=True),
        _count("least_interval_days", "Between treatments at least", 1, 365, unit="days", default=None, aside=True),
        Figure(
            "buffer",
            "Distances of the label, a line each: wind in m/s; distance in m; droplet class",
            "lines",
            default=(),
            aside=True,
            longest=60,
        ),
        Figure("clothing", "Protective clothing, as the label says", "text", default="", aside=True, longest=200),
        _NOTES,
    ),
)
ITEMS = (PACKS, AIRCRAFT, CHARGERS, SUPPLIES)
MODELS = (PACK_MODELS, AIRCRAFT_MODELS, CHARGER_MODELS, SUPPLY_MODELS, CAMERAS, NOZZLES, PRODUCTS)
BY_NOUN: dict[str, NounFigures] = {n.noun: n for n in (*ITEMS, *MODELS)}
