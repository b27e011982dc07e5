"""The demo's made-up operator, site, fleet and jobs. Every name and figure is invented."""

from __future__ import annotations

from typing import Any

from quarry.standins.ground import boundary

LON, LAT, SEED = -4.3120, 55.1240, 41
ORGANISATION = "Tarnholt Air Works"
SITE = "Ormerigg Fell"
TERRAIN = "Ormerigg Fell, simulated"

PEOPLE = [
    ("marrable", "Ines Marrable", "lead"),
    ("oduya", "Tom Oduya", "pilot"),
    ("lindqvist", "Bo Lindqvist", "handler"),
    ("guest", "Site owner", "viewer"),
]

CAMERAS = [
    {"name": "24 MP, 18 mm", "sensor_w_mm": 23.4, "sensor_h_mm": 15.6, "focal_mm": 18.0, "image_w_px": 6000, "image_h_px": 4000}
]

PACK_MODELS = [
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

AIRCRAFT_MODELS = [
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
    },
]

CHARGER_MODELS = [
    {
        "name": "Duo 600",
        "ports": 2,
        "modes": [{"name": "fast", "pack_w": 560.0, "wall_w": 630.0}, {"name": "gentle", "pack_w": 280.0, "wall_w": 315.0}],
    },
    {
        "name": "Duo 1200",
        "ports": 2,
        "modes": [{"name": "fast", "pack_w": 1150.0, "wall_w": 1290.0}, {"name": "gentle", "pack_w": 575.0, "wall_w": 650.0}],
    },
]

SUPPLY_MODELS = [{"name": "Field generator 4.2 kW", "kind": "generator", "rated_w": 4200.0, "headroom_frac": 0.2}]

AIRCRAFT = [{"name": "Wren", "model": "Skarra 6", "power_w": 615.0}, {"name": "Bittern", "model": "Brunt 16", "power_w": None}]

PACKS: list[dict[str, Any]] = [
    {"name": "01", "model": "K6 16 Ah", "health_frac": 0.97, "charge_frac": 1.0, "cycles": 61},
    {"name": "02", "model": "K6 16 Ah", "health_frac": 0.96, "charge_frac": 0.6, "cycles": 74},
    {"name": "03", "model": "K6 16 Ah", "health_frac": 0.93, "charge_frac": 0.6, "cycles": 118},
    {"name": "04", "model": "K6 16 Ah", "health_frac": 0.88, "charge_frac": 0.58, "cycles": 203},
    {
        "name": "05",
        "model": "K6 16 Ah",
        "health_frac": 0.81,
        "charge_frac": 0.4,
        "cycles": 266,
        "grounded": True,
        "grounded_why": "swollen: out of service",
    },
    {"name": "06", "model": "K12 17 Ah", "mates": "P", "health_frac": 0.95, "charge_frac": 1.0, "cycles": 88},
    {"name": "07", "model": "K12 17 Ah", "mates": "P", "health_frac": 0.94, "charge_frac": 1.0, "cycles": 90},
    {"name": "08", "model": "K12 17 Ah", "mates": "Q", "health_frac": 0.96, "charge_frac": 0.61, "cycles": 71},
    {"name": "09", "model": "K12 17 Ah", "mates": "Q", "health_frac": 0.95, "charge_frac": 0.6, "cycles": 73},
    {"name": "10", "model": "K4 Li-ion 9 Ah", "health_frac": 0.9, "charge_frac": 0.5, "cycles": 34},
]

CHARGERS = [{"name": "Van bench left", "model": "Duo 600"}, {"name": "Van bench right", "model": "Duo 1200"}]
SUPPLIES = [{"name": "Trailer set", "model": "Field generator 4.2 kW"}]


def jobs() -> list[dict[str, Any]]:
    """Return the demo's three jobs, one of each kind of work."""
    pit = boundary(LON - 0.0012, LAT + 0.0006, radius_m=405, seed=5, corners=9, stretch=1.35, turn_deg=24)
    pond = boundary(LON + 0.0006, LAT - 0.0001, radius_m=52, seed=9, corners=6, stretch=1.3, turn_deg=60)
    bank = boundary(LON + 0.0102, LAT + 0.0024, radius_m=142, seed=23, corners=7, stretch=2.1, turn_deg=66)
    moor = boundary(LON - 0.0108, LAT + 0.0056, radius_m=560, seed=31, corners=10, stretch=1.25, turn_deg=-18)
    wind = {"speed_m_s": 5.5, "from_deg": 238.0, "height_m": 60.0, "assumed": True}
    return [
        {
            "name": "Old stone working",
            "letter": "S",
            "kind": "mapping",
            "place": SITE,
            "area": pit,
            "keep_outs": [{"ring": pond, "crossing": "never", "margin_m": 10.0, "name": "pond"}],
            "home": [LON - 0.0052, LAT - 0.0036],
            "work": {
                "height_m": 52.0,
                "side_overlap_frac": 0.72,
                "forward_overlap_frac": 0.8,
                "speed_m_s": 8.0,
                "exposure_s": 0.001,
            },
            "wind": wind,
        },
        {
            "name": "Bracken bank",
            "letter": "B",
            "kind": "spraying",
            "place": SITE,
            "area": bank,
            "keep_outs": [],
            "home": [LON + 0.0078, LAT + 0.0006],
            "work": {"rate_l_ha": 18.0, "swath_m": 5.5, "tank_l": 16.0, "speed_m_s": 5.0, "height_m": 3.0},
            "wind": {**wind, "speed_m_s": 3.0, "height_m": 5.0},
        },
        {
            "name": "Moor search exercise",
            "letter": "M",
            "kind": "search",
            "place": SITE,
            "area": moor,
            "keep_outs": [],
            "home": [LON - 0.0062, LAT + 0.0018],
            "work": {"sweep_width_m": 55.0, "coverage": 1.0, "law": "random", "speed_m_s": 10.0, "height_m": 60.0},
            "wind": wind,
        },
    ]
