"""The demo's made-up operator, site, fleet and jobs. Every name and figure is invented."""

from __future__ import annotations

from typing import Any

from quarry.simulators.ground import boundary
from quarry.simulators.histories import Life

LON, LAT, SEED = -4.3120, 55.1240, 41
ORGANISATION = "Tarnholt Air Works"
TIME_ZONE = "Europe/London"
SITE = "Ormerigg Fell"
TERRAIN = "Ormerigg Fell, simulated"
LAST_SEEN = (round(LON - 0.0092, 6), round(LAT + 0.0056, 6))
SEARCH_HOME = (round(LON - 0.0062, 6), round(LAT + 0.0018, 6))
SEARCH_PATH = [
    (round(LON + x, 6), round(LAT + y, 6))
    for x, y in ((-0.0062, 0.0018), (-0.0082, 0.0033), (-0.0092, 0.0056), (-0.0121, 0.0093))
]

PEOPLE = [
    ("marrable", "Ines Marrable", "lead"),
    ("oduya", "Tom Oduya", "pilot"),
    ("lindqvist", "Bo Lindqvist", "handler"),
    ("guest", "Site owner", "viewer"),
]

CAMERAS: list[dict[str, Any]] = [
    {
        "name": "24 MP, 18 mm",
        "sensor_w_mm": 23.4,
        "sensor_h_mm": 15.6,
        "focal_mm": 18.0,
        "image_w_px": 6000,
        "image_h_px": 4000,
        "least_interval_s": 0.7,
        "image_mb": 14.5,
        "card_gb": 128.0,
    }
]

PACK_MODELS: list[dict[str, Any]] = [
    {
        "name": "K6 16 Ah",
        "chemistry": "lipo",
        "cells": 6,
        "capacity_ah": 16.0,
        "nominal_cell_v": 3.7,
        "cv_from_frac": 0.86,
        "most_rate_c": 2.0,
        "storage_frac": 0.6,
        "drains_itself": False,
    },
    {
        "name": "K12 17 Ah",
        "chemistry": "lipo",
        "cells": 12,
        "capacity_ah": 17.0,
        "nominal_cell_v": 3.7,
        "cv_from_frac": 0.84,
        "most_rate_c": 3.0,
        "storage_frac": 0.6,
        "drains_itself": False,
    },
    {
        "name": "K4 Li-ion 9 Ah",
        "chemistry": "liion",
        "cells": 4,
        "capacity_ah": 9.0,
        "nominal_cell_v": 3.6,
        "cv_from_frac": 0.75,
        "most_rate_c": 1.0,
        "storage_frac": 0.5,
        "drains_itself": True,
    },
]

AIRCRAFT_MODELS: list[dict[str, Any]] = [
    {
        "name": "Skarra 6",
        "work": "mapping",
        "pack": "K6 16 Ah",
        "packs_count": 1,
        "power_w": 640.0,
        "cruise_m_s": 12.0,
        "fixed_s": 80.0,
        "turn_s": 4.0,
        "camera": "24 MP, 18 mm",
        "mass_kg": 6.6,
        "rotors": 6,
        "rotor_m": 0.39,
        "hover_w": 690.0,
        "climb_m_s": 3.0,
        "most_m_s": 17.0,
        "most_wind_m_s": 11.5,
        "least_air_c": -15.0,
        "most_air_c": 42.0,
        "least_pack_c": 4.0,
        "most_load_kg": 1.1,
        "power_up": [
            "Controller on, antennas up",
            "Pack in until both catches click",
            "Hold the button: three tones",
            "Link and video seen",
        ],
    },
    {
        "name": "Brunt 16",
        "work": "spraying",
        "pack": "K12 17 Ah",
        "packs_count": 2,
        "power_w": 4600.0,
        "cruise_m_s": 8.0,
        "fixed_s": 50.0,
        "turn_s": 5.0,
        "tank_l": 16.0,
        "swath_m": 5.5,
        "mass_kg": 27.5,
        "rotors": 6,
        "rotor_m": 0.92,
        "hover_w": 4750.0,
        "climb_m_s": 2.5,
        "most_m_s": 12.0,
        "least_flow_l_min": 0.8,
        "most_flow_l_min": 7.2,
        "most_wind_m_s": 8.5,
        "least_air_c": 0.0,
        "most_air_c": 42.0,
        "least_pack_c": 8.0,
        "rain_rated": True,
        "live_at_once": True,
        "shows": "total",
        "power_up": [
            "Arms locked, props clear of people",
            "Both packs in: it is live now",
            "Controller on, link seen",
            "Pump primed, no drip",
        ],
    },
]

CHARGER_MODELS: list[dict[str, Any]] = [
    {
        "name": "Duo 600",
        "ports": 2,
        "least_cells": 2,
        "most_cells": 6,
        "most_v": 26.0,
        "chemistries": ["lipo", "liion"],
        "modes": [{"name": "fast", "pack_w": 560.0, "wall_w": 630.0}, {"name": "gentle", "pack_w": 280.0, "wall_w": 315.0}],
    },
    {
        "name": "Duo 1200",
        "ports": 2,
        "least_cells": 4,
        "most_cells": 14,
        "most_v": 61.0,
        "chemistries": ["lipo", "liion"],
        "modes": [{"name": "fast", "pack_w": 1150.0, "wall_w": 1290.0}, {"name": "gentle", "pack_w": 575.0, "wall_w": 650.0}],
    },
]

SUPPLY_MODELS: list[dict[str, Any]] = [
    {
        "name": "Field generator 4.2 kW",
        "kind": "generator",
        "rated_w": 4200.0,
        "headroom_frac": 0.2,
        "outlets_count": 2,
        "outlet_a": 16.0,
        "outlet_v": 230.0,
        "fuel": "petrol",
        "tank_l": 12.0,
    }
]

AIRCRAFT: list[dict[str, Any]] = [
    {"name": "Wren", "model": "Skarra 6", "power_w": 615.0},
    {"name": "Bittern", "model": "Brunt 16", "power_w": None},
]

_BY_MODEL: dict[str, dict[str, Any]] = {
    "K6 16 Ah": {
        "chemistry": "lipo",
        "cells": 6,
        "capacity_ah": 16.0,
        "cell_ohm": 0.0020,
        "climb_a": 100.0,
        "gentle_s": 2060,
        "aircraft": "Wren",
    },
    "K12 17 Ah": {
        "chemistry": "lipo",
        "cells": 12,
        "capacity_ah": 17.0,
        "cell_ohm": 0.0016,
        "climb_a": 125.0,
        "gentle_s": 1080,
        "aircraft": "Bittern",
    },
    "K4 Li-ion 9 Ah": {
        "chemistry": "liion",
        "cells": 4,
        "capacity_ah": 9.0,
        "cell_ohm": 0.011,
        "climb_a": 30.0,
        "gentle_s": 1500,
        "aircraft": "Wren",
    },
}
_YEARS: list[tuple[str, str, str, int, int, dict[str, Any]]] = [
    # name, model, mates, months old, cycles before the year, how the year went
    (
        "01",
        "K6 16 Ah",
        "",
        13,
        4,
        {"cycles": 57, "health_start": 1.0, "health_end": 0.97, "charge_now": 1.0, "special": "alarms"},
    ),
    ("02", "K6 16 Ah", "", 13, 6, {"cycles": 68, "health_start": 1.0, "health_end": 0.96}),
    ("03", "K6 16 Ah", "", 19, 41, {"cycles": 77, "health_start": 0.99, "health_end": 0.93, "growth": 1.22, "special": "deep"}),
    (
        "04",
        "K6 16 Ah",
        "",
        29,
        104,
        {"cycles": 98, "health_start": 0.96, "health_end": 0.88, "growth": 1.3, "weak_cell": 4, "weak_growth": 2.25}
        | {"charge_now": 0.58},
    ),
    (
        "05",
        "K6 16 Ah",
        "",
        34,
        170,
        {"cycles": 96, "health_start": 0.93, "health_end": 0.81, "growth": 1.38, "charge_now": 0.4, "special": "swollen"}
        | {"idle_days": 24},
    ),
    ("06", "K12 17 Ah", "P", 16, 21, {"cycles": 67, "health_start": 1.0, "health_end": 0.95, "charge_now": 1.0, "idle_days": 2}),
    ("07", "K12 17 Ah", "P", 16, 22, {"cycles": 67, "health_start": 1.0, "health_end": 0.94, "charge_now": 1.0, "idle_days": 2}),
    ("08", "K12 17 Ah", "Q", 14, 8, {"cycles": 63, "health_start": 1.0, "health_end": 0.96, "charge_now": 0.61}),
    ("09", "K12 17 Ah", "Q", 14, 8, {"cycles": 64, "health_start": 1.0, "health_end": 0.95}),
    ("10", "K4 Li-ion 9 Ah", "", 18, 12, {"cycles": 40, "health_start": 0.98, "health_end": 0.9, "charge_now": 0.5}),
    ("11", "K6 16 Ah", "", 15, 18, {"cycles": 71, "health_start": 0.99, "health_end": 0.95, "idle_days": 5}),
    ("12", "K6 16 Ah", "", 15, 18, {"cycles": 66, "health_start": 1.0, "health_end": 0.95, "idle_days": 5}),
    (
        "13",
        "K6 16 Ah",
        "",
        22,
        63,
        {"cycles": 84, "health_start": 0.98, "health_end": 0.91, "growth": 1.26, "special": "left full"},
    ),
    ("14", "K6 16 Ah", "", 25, 31, {"cycles": 19, "health_start": 0.97, "health_end": 0.9, "idle_days": 118, "charge_now": 0.46}),
    ("15", "K6 16 Ah", "", 12, 0, {"cycles": 44, "health_start": 1.01, "health_end": 0.98, "idle_days": 9, "charge_now": 1.0}),
    ("16", "K6 16 Ah", "", 26, 118, {"cycles": 92, "health_start": 0.96, "health_end": 0.89, "growth": 1.31}),
    ("17", "K12 17 Ah", "R", 21, 66, {"cycles": 78, "health_start": 0.98, "health_end": 0.92, "growth": 1.18}),
    ("18", "K12 17 Ah", "R", 21, 66, {"cycles": 78, "health_start": 0.97, "health_end": 0.85, "growth": 1.22}),
    ("19", "K12 17 Ah", "S", 13, 2, {"cycles": 52, "health_start": 1.0, "health_end": 0.97, "idle_days": 6}),
    ("20", "K12 17 Ah", "S", 13, 2, {"cycles": 52, "health_start": 1.0, "health_end": 0.96, "idle_days": 6}),
    ("21", "K12 17 Ah", "T", 27, 112, {"cycles": 74, "health_start": 0.95, "health_end": 0.88, "growth": 1.24, "idle_days": 11}),
    ("22", "K12 17 Ah", "T", 27, 112, {"cycles": 74, "health_start": 0.95, "health_end": 0.87, "growth": 1.25, "idle_days": 11}),
    (
        "23",
        "K4 Li-ion 9 Ah",
        "",
        18,
        12,
        {"cycles": 46, "health_start": 0.98, "health_end": 0.89, "charge_now": 0.82, "idle_days": 2},
    ),
    ("24", "K4 Li-ion 9 Ah", "", 30, 71, {"cycles": 58, "health_start": 0.92, "health_end": 0.78, "growth": 1.6}),
    ("25", "K4 Li-ion 9 Ah", "", 12, 0, {"cycles": 30, "health_start": 1.0, "health_end": 0.97, "idle_days": 34}),
    ("26", "K4 Li-ion 9 Ah", "", 12, 0, {"cycles": 33, "health_start": 1.0, "health_end": 0.96, "idle_days": 34}),
]
PACKS: list[dict[str, Any]] = [
    {
        "name": name,
        "model": model,
        "mates": mates,
        "months": months,
        "cycles": before,
        "health_frac": year["health_start"] if year["health_start"] < 1 else 1.0,
        "charge_frac": year.get("charge_now", 0.6),
        "serial": f"TW-{model[:3].strip()}-{int(name) * 37 % 900 + 100}",
    }
    for name, model, mates, months, before, year in _YEARS
]
LIVES = [Life(name=name, **_BY_MODEL[model], **year) for name, model, _, _, _, year in _YEARS]
DAY_PACKS = ("01", "02", "03", "04", "05", "06", "07", "08", "09")
EXTRAS: dict[str, dict[str, Any]] = {
    "K6 16 Ah": {"mass_kg": 1.92, "label_c": 25.0, "price": 349.0, "fits": "Skarra tray, 8 mm bullets"},
    "K12 17 Ah": {"mass_kg": 4.35, "label_c": 30.0, "price": 780.0, "fits": "Brunt rails, blade plug"},
    "K4 Li-ion 9 Ah": {"mass_kg": 0.58, "label_c": 8.0, "price": 148.0, "fits": "Skarra spare tray", "parallel": 2}
    | {"drains_after_days": 5},
}

CHARGERS: list[dict[str, Any]] = [
    {"name": "Van bench left", "model": "Duo 600"},
    {"name": "Van bench right", "model": "Duo 1200"},
]
JOB_LIMITS: dict[str, list[dict[str, Any]]] = {
    "S": [{"key": "gust_m_s", "most": 10.5, "why": "the pit wall turns the wind over: agreed after the March flights"}],
}
NOZZLES: list[dict[str, Any]] = [
    {"name": "Low-drift 03", "kind": "hydraulic", "size": "03", "angle_deg": 110.0, "least_bar": 1.5, "most_bar": 5.0}
    | {"droplets": ["1.5; very coarse", "3; coarse", "4.5; medium"]},
    {"name": "Cup atomiser", "kind": "rotary", "size": "", "least_l_min": 0.2, "most_l_min": 2.0}
    | {"droplets": ["6000; 260", "9000; 190", "12000; 140"]},
]
PRODUCTS: list[dict[str, Any]] = [
    {"name": "Farnex 480", "registration": "TW 04-118", "unit": "L", "form": "soluble", "rate_amount": 1.2, "basis": "ha"}
    | {"least_water_l_ha": 15.0, "rainfast_h": 4.0, "reentry_h": 24.0, "most_count": 2, "most_amount": 2.4}
    | {"least_interval_days": 21, "buffer": ["3; 12", "5; 25"], "clothing": "coverall, nitrile gloves, face visor"},
    {"name": "Holdwet", "registration": "TW 09-031", "unit": "L", "form": "adjuvant", "rate_amount": 0.25, "basis": "100_l"}
    | {"buffer": [], "clothing": "nitrile gloves"},
]
BATCHES: list[dict[str, Any]] = [
    {"product": "Farnex 480", "name": "F-2217", "amount": 4.0, "days": 55},
    {"product": "Farnex 480", "name": "F-2304", "amount": 20.0, "days": 610},
    {"product": "Holdwet", "name": "H-88", "amount": 5.0, "days": None},
]
SUPPLIES: list[dict[str, Any]] = [{"name": "Trailer set", "model": "Field generator 4.2 kW"}]


def _at(*places: tuple[float, float]) -> list[list[float]]:
    """Return places in metres east and north of the site in degrees."""
    return [[round(LON + x / 63_650.0, 7), round(LAT + y / 111_250.0, 7)] for x, y in places]


def jobs() -> list[dict[str, Any]]:
    """Return the demo's three jobs, one of each kind of work."""
    pit = boundary(LON - 0.0012, LAT + 0.0006, radius_m=405, seed=5, corners=9, stretch=1.35, turn_deg=24)
    pond = boundary(LON + 0.0006, LAT - 0.0001, radius_m=52, seed=9, corners=6, stretch=1.3, turn_deg=60)
    bank = boundary(LON + 0.0102, LAT + 0.0024, radius_m=142, seed=23, corners=7, stretch=2.1, turn_deg=66)
    moor = boundary(LON - 0.0108, LAT + 0.0056, radius_m=560, seed=31, corners=10, stretch=1.25, turn_deg=-18)
    wind = {"speed_m_s": 5.5, "from_deg": 238.0, "height_m": 60.0, "assumed": True, "cover": "grass", "air_c": 11.0}
    return [
        {
            "name": "Old stone working",
            "letter": "S",
            "kind": "mapping",
            "place": SITE,
            "areas": [{"ring": pit}],
            "keep_outs": [{"ring": pond, "crossing": "never", "margin_m": 10.0, "name": "pond"}],
            "home": [LON - 0.0052, LAT - 0.0036],
            "work": {
                "height_m": 52.0,
                "side_overlap_frac": 0.72,
                "forward_overlap_frac": 0.8,
                "speed_m_s": 8.0,
                "exposure_s": 0.001,
                "tolerance_m": 4.0,
            },
            "wind": wind,
            "site": {
                "obstacles": [{"name": "old hoist", "at": [LON - 0.0031, LAT - 0.0019], "radius_m": 6.0, "top_m": 31.0}],
                "fallbacks": [
                    {"name": "quarry gate", "at": [LON + 0.0046, LAT - 0.0030]},
                    {"name": "ramp", "at": [LON - 0.0018, LAT + 0.0042]},
                ],
                "homes": [{"name": "track end", "at": [LON + 0.0022, LAT - 0.0037]}],
                "home_area": [],
            },
        },
        {
            "name": "Bracken bank",
            "letter": "B",
            "kind": "spraying",
            "place": SITE,
            "areas": [{"ring": bank}],
            "keep_outs": [],
            "home": [LON + 0.0078, LAT + 0.0006],
            "work": {
                "rate_l_ha": 18.0,
                "swath_m": 5.5,
                "tank_l": 16.0,
                "speed_m_s": 5.0,
                "height_m": 3.0,
                "nozzle": "Low-drift 03",
                "nozzle_size": "03",
                "nozzles_count": 3.0,
                "droplets": "coarse",
            },
            "wind": {**wind, "speed_m_s": 3.0, "height_m": 5.0},
            "site": {
                "fallbacks": [{"name": "field gate", "at": [LON + 0.0094, LAT + 0.0008]}],
                "sensitive": [
                    {
                        "name": "stream",
                        "rule": "wind",
                        "distance_m": 25.0,
                        "within_deg": 45.0,
                        "table": [[3.0, 12.0], [5.0, 25.0]],
                    }
                    | {"ring": _at((601, 452), (583, 411), (541, 312), (508, 152), (452, 40)), "closed": False},
                    {"name": "beehives", "rule": "wind", "distance_m": 30.0, "within_deg": 45.0, "table": []}
                    | {"ring": _at((776, 348), (784, 336)), "closed": False},
                ],
            },
        },
        {
            "name": "Moor search exercise",
            "letter": "M",
            "kind": "search",
            "place": SITE,
            "areas": [{"ring": moor}],
            "keep_outs": [],
            "home": [LON - 0.0062, LAT + 0.0018],
            "work": {"sweep_width_m": 55.0, "coverage": 1.0, "law": "random", "speed_m_s": 10.0, "height_m": 60.0},
            "wind": wind,
            "site": {"fallbacks": [{"name": "sheepfold", "at": [LON - 0.0092, LAT + 0.0031]}]},
        },
    ]
