"""Which core function answers which topic of the published check values.

A topic maps the inputs of a row to its outputs in the units of the file. `how` names, for each
output, the kind of comparison and the key of the row's tolerance.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from shapely import Polygon

from quarry.core.air import aloft, atmosphere, damp
from quarry.core.air.metar import FOOT_M, read_metar
from quarry.core.base.errors import Infeasible
from quarry.core.base.units import M2_PER_HA, m_s_from_kmh
from quarry.core.cells import resistance, thermal
from quarry.core.cells.chemistry import CHEMISTRIES
from quarry.core.cells.circuit import Stack, discharge
from quarry.core.cells.curves import CURVES
from quarry.core.cells.laws import ECKER_LAW, KIM_LAW, OKANE_LAW
from quarry.core.cells.ocv import charge_at_frac, ocv_v
from quarry.core.flight import rotary
from quarry.core.flight.envelope import farthest_flight, longest_flight
from quarry.core.flight.wind import Wind, crosswind_m_s, headwind_m_s, leg_times_s, wind_triangle
from quarry.core.ground import geodesy, mapping, search
from quarry.core.ground.outline import make_area, min_width
from quarry.core.ground.rows import clip_rows, row_positions, turned
from quarry.core.limits.sheets import Sheet, strictest
from quarry.core.limits.starter import WORK
from quarry.core.limits.verdict import Reading, judge
from quarry.core.packs.transport import transport_advice
from quarry.core.power import generator as generators
from quarry.core.power import outlets
from quarry.core.rotation import steady_state
from quarry.core.rotation.dispatch import earliest_ready
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.spraying import rate as spraying

Row = dict[str, Any]
EXACT = ("exact", "")


@dataclass(frozen=True, slots=True)
class Topic:
    """A function from inputs to outputs, and how each output is compared."""

    answer: Callable[[Row], Row]
    how: dict[str, tuple[str, str]]


def wind(i: Row) -> Row:
    """Topic 4a."""
    at = (i["track_deg"], i["wind_speed"], i["wind_from_deg"])
    out: Row = {"crosswind": crosswind_m_s(*at), "headwind": headwind_m_s(*at)}
    try:
        t = wind_triangle(i["track_deg"], i["airspeed"], Wind(i["wind_speed"], i["wind_from_deg"]))
    except Infeasible:
        return out | {"feasible": False, "crab_deg": None, "heading_deg": None, "ground_speed": None}
    return out | {"feasible": True, "crab_deg": t.crab_deg, "heading_deg": t.heading_deg, "ground_speed": t.ground_speed_m_s}


def out_and_back(i: Row) -> Row:
    """Topic 4b, with the array form that the planner uses."""
    a = math.radians(i["track_deg"])
    d = i["distance_m"] * np.array([math.sin(a), math.cos(a)])
    legs = np.array([d, -d])
    air = Wind(i["wind_speed"], i["wind_from_deg"])
    out, back = leg_times_s(legs[:, 0], legs[:, 1], i["airspeed"], air)
    return {
        "gs_out": i["distance_m"] / out,
        "gs_back": i["distance_m"] / back,
        "t_out_s": out,
        "t_back_s": back,
        "t_total_s": out + back,
        "t_calm_s": 2 * i["distance_m"] / i["airspeed"],
    }


def standard(i: Row) -> Row:
    """Topic 1a."""
    air = atmosphere.standard_air(i["geopotential_altitude_m"])
    return {"T_K": air.temperature_c + 273.15, "p_Pa": air.pressure_pa, "rho_kg_m3": air.density_kg_m3}


def moist(i: Row) -> Row:
    """Topic 1b: the ideal-gas form is ours; the reference form CIPM-2007 lies within the tolerance."""
    rho = atmosphere.air_density_kg_m3(i["p_Pa"], i["t_C"], i["RH"])
    return {"rho_kg_m3": rho, "rho_ideal_kg_m3": rho, "rho_coolprop": rho}


def density_altitude(i: Row) -> Row:
    """Topic 1c."""
    p = atmosphere.station_pressure_pa(i["QNH_hPa"], i["elevation_m"])
    rho = atmosphere.air_density_kg_m3(p, i["t_C"], i["RH"])
    return {
        "p_station_hPa": p / 100,
        "rho_kg_m3": rho,
        "pressure_altitude_m": atmosphere.pressure_altitude_m(p),
        "density_altitude_m": atmosphere.density_altitude_m(rho),
    }


def dew(i: Row) -> Row:
    """Topic 1d."""
    td = damp.dew_point_c(i["t_C"], i["RH"])
    assert math.isclose(damp.humidity_from_dew_point(i["t_C"], td), i["RH"], rel_tol=1e-9)
    return {"dew_point_C": td, "spread_C": damp.spread_k(i["t_C"], td)}


_DELTA_T = {
    "too damp": "too humid/low (<2)",
    "fit": "preferred (2-8)",
    "marginal": "marginal (8-10)",
    "too dry": "unsuitable (>10)",
}


def wet_bulb(i: Row) -> Row:
    """Topic 1e."""
    w = damp.wet_bulb_c(i["t_C"], i["RH_pct"] / 100, i["p_Pa"])
    dt = damp.delta_t_k(i["t_C"], w)
    return {"wet_bulb_C": w, "delta_t_C": dt, "class_": _DELTA_T[damp.delta_t_class(dt)]}


def wind_aloft(i: Row) -> Row:
    """Topic 1f."""
    if i["law"] == "power":
        u = aloft.wind_by_power_law_m_s(i["u_ref"], i["z_ref_m"], i["z_m"], i["alpha"])
    else:
        u = aloft.wind_by_log_law_m_s(i["u_ref"], i["z_ref_m"], i["z_m"], i["z0_m"], i["d_m"])
    return {"u_m_s": u, "ratio": u / i["u_ref"]}


def gust(i: Row) -> Row:
    """Topic 1h."""
    turbulence = aloft.turbulence_frac(i["z_m"], i["z0_m"])
    factor = aloft.gust_factor(turbulence, i["peak_factor"])
    return {"turbulence_intensity": turbulence, "gust_factor": factor, "gust_m_s": aloft.gust_m_s(i["u_mean"], factor)}


def metar(i: Row) -> Row:
    """Topic 2, in the words of the file; a minus zero is a zero."""
    r = read_metar(i["metar"], year=2026, month=11)
    sky = [f"{x.amount}{'' if x.base_m is None else round(x.base_m / FOOT_M)}{x.kind}" for x in r.layers]
    return {
        "day": r.day,
        "time": f"{r.hour:02}:{r.minute:02}Z",
        "wind_dir": "VRB" if r.from_deg is None and r.wind_m_s else r.from_deg,
        "wind_m_s": r.wind_m_s,
        "gust_m_s": r.gust_m_s,
        "dir_var": list(r.varies_deg) if r.varies_deg else None,
        "vis_m": r.visibility_m,
        "weather": r.weather or None,
        "sky": " ".join(sky) or None,
        "ceiling_ft": None if r.ceiling_m is None else round(r.ceiling_m / FOOT_M),
        "t_C": r.air_c,
        "td_C": r.dew_point_c,
        "qnh_hPa": r.qnh_hpa,
    }


def rotor_power(i: Row) -> Row:
    """Topic 3a."""
    p = float(rotary.shaft_power_w(rotary.published_rotor(i["W_N"], i["rho"]), i["V_m_s"]))
    return {"P_W": p, "J_per_m": p / i["V_m_s"] if i["V_m_s"] else None}


def rotor_speeds(i: Row) -> Row:
    """Topic 3b."""
    rotor = rotary.published_rotor(i["W_N"], i["rho"])
    longest = longest_flight(lambda v: rotary.shaft_power_w(rotor, v))
    farthest = farthest_flight(lambda v: rotary.shaft_power_w(rotor, v))
    assert farthest is not None
    return {
        "hover_W": float(rotary.shaft_power_w(rotor, 0.0)),
        "V_max_endurance": longest.airspeed_m_s,
        "P_min_W": longest.power_w,
        "V_max_range": farthest.airspeed_m_s,
        "P_at_Vmr_W": farthest.power_w,
        "J_per_m_min": farthest.cost_j_m,
    }


def range_in_wind(i: Row) -> Row:
    """Topic 3c."""
    rotor = rotary.published_rotor(20.0, 1.225)
    calm, best = (farthest_flight(lambda v: rotary.shaft_power_w(rotor, v), w) for w in (0.0, i["headwind_m_s"]))
    assert calm is not None
    assert best is not None
    return {
        "V_air_best": best.airspeed_m_s,
        "ground_speed": best.ground_m_s,
        "J_per_ground_m": best.cost_j_m,
        "cost_ratio_vs_calm": best.cost_j_m / calm.cost_j_m,
    }


def hover(i: Row) -> Row:
    """Topic 3d."""
    disc, weight = rotary.disc_area_m2(i["rotors"], i["prop_diameter_m"]), rotary.weight_n(i["mass_kg"])
    ideal = rotary.ideal_hover_w(weight, i["rho"], disc)
    battery = rotary.hover_power_w(ideal, i["FM"], i["eta_elec"])
    return {
        "A_m2": disc,
        "disc_loading_N_m2": weight / disc,
        "v_induced": rotary.induced_velocity_m_s(weight, i["rho"], disc),
        "P_ideal_W": ideal,
        "P_battery_W": battery,
        "W_per_kg": battery / i["mass_kg"],
    }


def hover_ratio(i: Row) -> Row:
    """Topic 3e."""
    ratio = rotary.power_ratio(i["m1_kg"], i["m2_kg"], i["rho1"], i["rho2"])
    return {"power_ratio": ratio, "endurance_ratio": 1 / ratio}


def lump(i: Row) -> Row:
    """Topic 6b."""
    tau = thermal.tau_s(i["mass_kg"], i["cp"], i["hA_W_K"])
    rise = thermal.final_rise_k(i["I_A"], i["R_pack_ohm"], i["hA_W_K"])
    return {
        "tau_s": tau,
        "dT_inf_K": rise,
        "T_C": thermal.pack_after_c(i["T0_C"], i["T_ambient_C"], rise, i["t_s"], tau),
        "heat_W": thermal.joule_heat_w(i["I_A"], i["R_pack_ohm"]),
    }


def cool_down(i: Row) -> Row:
    """Topic 6c."""
    tau = thermal.tau_s(i["mass_kg"], i["cp"], i["hA_W_K"])
    return {"tau_s": tau, "t_cool_s": thermal.cool_time_s(i["T0_C"], i["T_ambient_C"], i["T_limit_C"], tau)}


LAWS = {
    "OKane2022": (OKANE_LAW, 5.10995 / 5.0),
    "NCA_Kim2011": (KIM_LAW, 0.48313 / 0.43),
    "Ecker2015": (ECKER_LAW, 0.171 / 0.15625),
}


def circuit_course(cell: str, rate: float, start_c: float, *, adiabatic: bool) -> list[Any]:
    """Return the course of one published cell in our circuit at a current in multiples of its nominal capacity."""
    law, true_over_nominal = LAWS[cell]
    current = rate / true_over_nominal
    length = 3600.0 / current * 1.02
    stack = Stack(CURVES["Chen2020" if cell == "OKane2022" else cell], law, 1.0, 1, cooling_w_k_ah=0.0)
    return discharge(
        stack,
        [(length, current)],
        start_frac=1.0,
        start_c=start_c,
        air_c=start_c,
        step_s=length / 250,
        current=True,
        self_heating=adiabatic,
    )


def photogrammetry(i: Row) -> Row:
    """Topic 8."""
    camera = mapping.Camera("c", i["sensor_w_mm"], i["sensor_h_mm"], i["f_mm"], i["px_w"], i["px_h"])
    f = mapping.mapping_figures(mapping.MappingTask(camera, i["H_m"], i["sidelap"], i["endlap"], i["v_m_s"], i["t_exp_s"]))
    block = (i["block_along_m"], i["block_across_m"], f.spacing_m, f.trigger_m)
    lines_a, photos_a = mapping.exposures_block(*block)
    lines_m, photos_m = mapping.exposures_block_minimal(*block, f.footprint_w_m, f.footprint_h_m)
    return {
        "GSD_cm": 100 * f.ground_sample_m,
        "footprint_w_m": f.footprint_w_m,
        "footprint_h_m": f.footprint_h_m,
        "line_spacing_m": f.spacing_m,
        "trigger_m": f.trigger_m,
        "interval_s": f.interval_s,
        "blur_px": f.blur_px,
        "t_exp_max_half_px_s": mapping.longest_exposure_s(0.5, f.ground_sample_m, i["v_m_s"]),
        "lines_A": lines_a,
        "photos_A": photos_a,
        "lines_M": lines_m,
        "photos_M": photos_m,
    }


def spray(i: Row) -> Row:
    """Topic 9a."""
    v = m_s_from_kmh(i["speed_km_h"])
    rate = spraying.application_rate_l_ha(i["flow_L_min"], v, i["swath_m"])
    assert math.isclose(spraying.flow_for_rate_l_min(rate, v, i["swath_m"]), i["flow_L_min"])
    return {
        "rate_L_ha": rate,
        "area_per_tank_ha": spraying.tank_area_ha(i["tank_L"], rate),
        "empty_time_min": spraying.empty_time_s(i["tank_L"], i["flow_L_min"]) / 60,
        "work_rate_ha_h": spraying.work_rate_ha_h(v, i["swath_m"]),
    }


def spray_weather(i: Row) -> Row:
    """Topic 9b, through the starter sheet for spraying and the verdict of its hour."""
    sheet = strictest([Sheet("s", "work", "spraying", WORK["spraying"])])
    known = {"delta_t_k": i["delta_t_C"], "spray_wind_m_s": m_s_from_kmh(i["wind_km_h"])}
    verdict = judge(sheet, {k: [Reading(v, "measured")] for k, v in known.items()})
    return {"go": verdict.word != "no", "marginal": verdict.word == "care"}


def detection(i: Row) -> Row:
    """Topic 10a."""
    return {
        "POD_random": search.detection_random_frac(i["coverage"]),
        "POD_inverse_cube": search.detection_inverse_cube_frac(i["coverage"]),
        "POD_definite": search.detection_definite_frac(i["coverage"]),
    }


def coverage_wanted(i: Row) -> Row:
    """Topic 10b."""
    return {
        "C_random": search.coverage_for_detection(i["target_POD"], "random"),
        "C_inverse_cube": search.coverage_for_detection(i["target_POD"], "inverse_cube"),
    }


def search_plan(i: Row) -> Row:
    """Topic 10c."""
    area = i["area_km2"] * 1e6
    spacing = search.track_spacing_m(i["W_m"], i["coverage"])
    return {
        "spacing_m": spacing,
        "track_km": search.track_length_m(area, spacing) / 1000,
        "time_min": search.time_on_scene_s(area, spacing, i["v_m_s"], i["units"]) / 60,
        "POD_random": search.detection_random_frac(i["coverage"]),
        "POD_inverse_cube": search.detection_inverse_cube_frac(i["coverage"]),
    }


def cumulative(i: Row) -> Row:
    """Topic 10d."""
    if "coverages" in i:
        return {
            "POD_cum_random": search.cumulative_detection_frac(i["coverages"], "random"),
            "POD_cum_inverse_cube": search.cumulative_detection_frac(i["coverages"], "inverse_cube"),
        }
    success, left = search.after_a_miss(i["POA"], i["POD"])
    return {"POS": success, "POA_after_miss": left}


def coverage_path(i: Row) -> Row:
    """Topic 11: rows clipped at the boundary, in the direction of least width and across it."""
    area = make_area([(x, y) for x, y in i["polygon"]])
    width, angle = min_width(area.worked)
    out: Row = {
        "area_m2": area.area_m2,
        "min_width_m": width,
        "line_angle_deg": angle,
        "lower_bound_m": area.area_m2 / i["swath_m"],
    }
    for turn, suffix in ((angle, ""), (angle + 90, "_perp")):
        flat = turned(area.worked, Polygon(), turn)
        _, low, _, high = flat.worked.bounds
        n = math.ceil((high - low) / i["swath_m"] - 1e-9)
        ys = low + (high - low) / n * (np.arange(n) + 0.5)
        assert len(row_positions(low, high, i["swath_m"])) == n
        out[f"n_lines{suffix}"] = n
        out[f"line_length{suffix}_m"] = sum(b - a for row in clip_rows(flat, ys) for a, b in row)
        out[f"transfers{suffix}_m"] = (n - 1) * (high - low) / n
    return out


def distance(i: Row) -> Row:
    """Topic 12a."""
    at = (i["lon1"], i["lat1"], i["lon2"], i["lat2"])
    return {"distance_m": geodesy.distance_m(*at), "azimuth_deg": geodesy.azimuth_deg(*at)}


def ellipsoid_area(i: Row) -> Row:
    """Topic 12b: ellipsoidal, and the local frame's error."""
    ring = [(lon, lat) for lat, lon in i["latlon"]]
    whole = geodesy.ring_area_m2(ring)
    return {"area_m2": whole, "area_ha": whole / M2_PER_HA, "perimeter_m": geodesy.ring_perimeter_m(ring)}


def supply(i: Row) -> Row:
    """Topic 13a."""
    whole = outlets.outlet_va(i["U_V"], i["breaker_A"])
    steady_va = outlets.continuous_va(whole, i["continuous_factor"])
    return {"S_VA": whole, "S_continuous_VA": steady_va, "I_continuous_A": outlets.current_a(steady_va, i["U_V"])}


def chargers_on_circuit(i: Row) -> Row:
    """Topic 13b: the sum of equal chargers on one breaker, and how many it carries for hours."""
    each = outlets.wall_w(i["P_out_W"], i["eta"])
    outlet = outlets.Outlet("o", i["U_V"], i["breaker_A"])
    total = outlets.apparent_va(each * i["chargers"], i["PF"])
    plugged = outlets.plug_in([outlet], [outlets.Drawn(str(k), each, i["PF"]) for k in range(i["chargers"])])
    return {
        "P_in_W": each * i["chargers"],
        "S_in_VA": total,
        "I_A": outlets.current_a(total, i["U_V"]),
        "ok_80pct": not plugged.left_out,
        "ok_breaker": total <= outlets.outlet_va(i["U_V"], i["breaker_A"]),
        "max_chargers_80pct": outlets.chargers_on(outlet, outlets.Drawn("c", each, i["PF"])),
    }


def generator(i: Row) -> Row:
    """Topic 13c."""
    by_height = generators.height_frac(i["altitude_m"], i["a_per_300m"])
    by_heat = generators.heat_frac(i["t_C"], i["b_per_10K"])
    derating = generators.Derating(i["a_per_300m"], i["b_per_10K"])
    return {
        "alt_factor": by_height,
        "temp_factor": by_heat,
        "P_available_W": generators.generator_w(i["P_rated_W"], i["altitude_m"], i["t_C"], derating),
    }


def fuel(i: Row) -> Row:
    """Topic 13d: the constants of each kind are the core's own."""
    idle, by_load = generators.WILLANS[i["kind"]]
    litres = generators.fuel_l_h(1000 * i["P_rated_kW"], 1000 * i["P_kW"], idle, by_load)
    return {"fuel_L_h": litres, "L_per_kWh": litres / i["P_kW"]}


def rotation(i: Row) -> Row:
    """Topic 16: the closed form, and four hundred flights by the plain rule of the dispatcher."""
    f, r1, c, r2 = (60.0 * i[k] for k in ("f_min", "r1_min", "c_min", "r2_min"))
    interval = steady_state.takeoff_interval_s(f, r1, c, r2, i["packs"], i["ports"])
    task = RotationTask(
        (Craft("a", "t"),),
        tuple(Flight(str(k), "a", f, 1.0) for k in range(400)),
        tuple(PackSet(str(k), "t", 1, 100.0, 1.0) for k in range(i["packs"])),
        (Charger("c", i["ports"], (Mode("m", 100.0 * 3600 / c, 100.0),)),),
        0.0,
        r1,
        r2,
    )
    plan = earliest_ready(task)
    assert plan is not None
    ready, waits = 0.0, []
    for flight in plan.flights:
        waits.append((flight.takeoff_s - ready) / 60)
        ready = flight.landing_s
    return {
        "packs_needed": steady_state.packs_needed(f, r1, c, r2),
        "ports_needed": steady_state.ports_needed(f, c),
        "interval_formula_min": interval / 60,
        "wait_formula_min": steady_state.mean_wait_s(f, interval) / 60,
        "sim_waits_first12": waits[:12],
        "sim_mean_wait_steady": sum(waits[-240:]) / 240,
        "sim_makespan40_min": plan.flights[39].landing_s / 60,
    }


def shared_power(i: Row) -> Row:
    """Topic 16b: the energy bound; the sharing of one power in time is not modelled yet."""
    alone, interval = steady_state.shared_interval_s(
        60.0 * i["f_min"], 60.0 * i["r1_min"], i["E_Wh"], i["P_total_W"], i["P_port_cap_W"], i["packs"]
    )
    return {"single_charge_min": alone / 60, "lower_bound_interval_min": interval / 60}


LABELS = {"LiPo (LCO/NMC pouch)": "lipo", "LiHV": "lihv", "Li-ion NMC/NCA cylindrical": "liion", "LFP": "lfp"}


def cell_voltages(i: Row) -> Row:
    """Topic 5a."""
    c = CHEMISTRIES[LABELS[i["chemistry"]]]
    return {
        "nominal": c.nominal_v,
        "full": c.full_v,
        "min_absolute": c.least_v,
        "land_under_load": c.land_loaded_v,
        "storage_lo": c.storage_low_v,
        "storage_hi": c.storage_high_v,
    }


def open_circuit(i: Row) -> Row:
    """Topics 5b and 5b3."""
    return {"OCV_V": ocv_v(CURVES[i["set"]], i["SoC_pct"] / 100)}


def charge_at_rest(i: Row) -> Row:
    """Topic 5b2."""
    volts = (3.5, 3.6, 3.7, 3.75, 3.8, 3.85, 3.9, 4.0, 4.1)
    return {f"SoC_at_{v:.2f}V": 100 * charge_at_frac(CURVES[i["set"]], v) for v in volts}


def current_from_resistance(i: Row) -> Row:
    """Topic 6a."""
    ohm = i["R_cell_mOhm"] / 1000
    current = resistance.sustainable_current_a(i["Q_Ah"], ohm)
    return {
        "I_max_A": current,
        "C_rate": resistance.rate_of_current(current, i["Q_Ah"]),
        "heat_W_per_cell": resistance.heat_w(current, ohm),
        "sag_V_at_Imax": resistance.sag_v(current, ohm),
    }


def resistance_at_25(i: Row) -> Row:
    """Topic 17a."""
    at_25 = 1000 * resistance.resistance_at_25_ohm(i["R_mOhm"] / 1000, i["T_C"], i["B_K"])
    return {"R25_mOhm": at_25, "factor_R_over_R25": i["R_mOhm"] / at_25}


def load_points(i: Row) -> Row:
    """Topic 17b: charge drawn by the trapezoid rule, as the row says."""
    amperes = np.array(i["I_A"])
    drawn = np.concatenate([[0.0], np.cumsum((amperes[1:] + amperes[:-1]) / 2 * i["dt_s"] / 3600)])
    fit = resistance.resistance_from_load(i["V"], i["I_A"], drawn.tolist())
    return {"R_multi_ohm": fit.resistance_ohm}


def air_transport(i: Row) -> Row:
    """Topic 14."""
    told = transport_advice(i["cells_in_series"], i["V_nom_cell"], i["Q_Ah"])
    words = {
        "cabin": "<=100: carry-on, no approval",
        "cabin with approval": "100-160: operator approval, max 2 spares",
        "cargo": ">160: not in passenger baggage; DG cargo",
    }
    return {"energy_Wh": told.energy_wh, "passenger_class": words[told.travel]}


def _same(kind: str, key: str, *names: str) -> dict[str, tuple[str, str]]:
    return dict.fromkeys(names, (kind, key))


TOPICS: dict[str, Topic] = {
    "1a_isa": Topic(standard, {"T_K": ("abs", "T_K"), "p_Pa": ("rel", "p_rel"), "rho_kg_m3": ("rel", "rho_rel")}),
    "1b_moist_air_density": Topic(moist, _same("rel", "rho_rel", "rho_kg_m3", "rho_ideal_kg_m3", "rho_coolprop")),
    "1c_density_altitude": Topic(
        density_altitude,
        {
            "p_station_hPa": ("abs", "p_station_hPa"),
            "rho_kg_m3": ("rel", "rho_rel"),
            "pressure_altitude_m": ("abs", "density_altitude_m"),
            "density_altitude_m": ("abs", "density_altitude_m"),
        },
    ),
    "1d_dew_point": Topic(dew, {"dew_point_C": ("abs", "dew_point_C"), "spread_C": ("abs", "spread_C")}),
    "1e_wet_bulb_delta_t": Topic(
        wet_bulb, {"wet_bulb_C": ("abs", "wet_bulb_C"), "delta_t_C": ("abs", "delta_t_C"), "class_": EXACT}
    ),
    "1f_wind_profile": Topic(wind_aloft, _same("rel", "u_m_s_rel", "u_m_s", "ratio")),
    "1g_beaufort": Topic(lambda i: {"beaufort": aloft.beaufort(i["v_m_s"])}, {"beaufort": EXACT}),
    "1h_gust": Topic(gust, _same("rel", "rel", "turbulence_intensity", "gust_factor", "gust_m_s")),
    "2_metar": Topic(
        metar,
        _same("abs", "wind_m_s", "wind_m_s", "gust_m_s")
        | {"vis_m": ("abs", "vis_m"), "qnh_hPa": ("abs", "qnh_hPa")}
        | _same("exact", "", "day", "time", "wind_dir", "dir_var", "weather", "sky", "ceiling_ft", "t_C", "td_C"),
    ),
    "3a_rotary_wing_power": Topic(rotor_power, _same("rel", "P_rel", "P_W", "J_per_m")),
    "3b_speeds": Topic(
        rotor_speeds,
        {"hover_W": ("rel", "hover_rel")}
        | _same("abs", "V", "V_max_endurance", "V_max_range")
        | _same("rel", "P_rel", "P_min_W", "P_at_Vmr_W", "J_per_m_min"),
    ),
    "3c_best_range_wind": Topic(
        range_in_wind,
        _same("abs", "V", "V_air_best", "ground_speed") | _same("rel", "J_rel", "J_per_ground_m", "cost_ratio_vs_calm"),
    ),
    "3d_hover": Topic(
        hover, _same("rel", "rel", "A_m2", "disc_loading_N_m2", "v_induced", "P_ideal_W", "P_battery_W", "W_per_kg")
    ),
    "3e_scaling": Topic(hover_ratio, _same("rel", "rel", "power_ratio", "endurance_ratio")),
    "6b_thermal": Topic(
        lump, {"tau_s": ("rel", "tau_rel"), "dT_inf_K": ("abs", "T_C"), "T_C": ("abs", "T_C"), "heat_W": ("abs", "T_C")}
    ),
    "6c_cool_down": Topic(cool_down, _same("rel", "t_rel", "tau_s", "t_cool_s")),
    "5a_cell_voltages": Topic(
        cell_voltages,
        _same("abs", "V", "nominal", "full", "min_absolute", "land_under_load", "storage_lo", "storage_hi"),
    ),
    "5b_ocv": Topic(open_circuit, _same("abs", "V", "OCV_V")),
    "5b2_ocv_inverse": Topic(
        charge_at_rest,
        _same("abs", "SoC_pct", *(f"SoC_at_{v:.2f}V" for v in (3.5, 3.6, 3.7, 3.75, 3.8, 3.85, 3.9, 4.0, 4.1))),
    ),
    "5b3_lfp_ocv": Topic(open_circuit, _same("abs", "V", "OCV_V")),
    "6a_max_current_ir": Topic(
        current_from_resistance, _same("rel", "rel", "I_max_A", "C_rate", "heat_W_per_cell", "sag_V_at_Imax")
    ),
    "14_air_transport": Topic(air_transport, {"energy_Wh": ("abs", "energy_Wh"), "passenger_class": EXACT}),
    "17a_ir_temperature": Topic(resistance_at_25, _same("rel", "rel", "R25_mOhm", "factor_R_over_R25")),
    "17b_dvdi": Topic(load_points, _same("rel", "R_rel", "R_multi_ohm")),
    "4a_wind_triangle": Topic(
        wind,
        {"feasible": EXACT}
        | _same("abs", "speed", "crosswind", "headwind", "ground_speed")
        | {"crab_deg": ("abs", "angle_deg"), "heading_deg": ("bearing", "angle_deg")},
    ),
    "4b_out_and_back": Topic(
        out_and_back, _same("rel", "time_s_rel", "gs_out", "gs_back", "t_out_s", "t_back_s", "t_total_s", "t_calm_s")
    ),
    "8_photogrammetry": Topic(
        photogrammetry,
        _same("exact", "", "lines_A", "photos_A", "lines_M", "photos_M")
        | _same("rel", "rel", "GSD_cm", "footprint_w_m", "footprint_h_m", "line_spacing_m", "trigger_m", "interval_s")
        | _same("rel", "rel", "blur_px", "t_exp_max_half_px_s"),
    ),
    "9a_spraying": Topic(spray, _same("rel", "rel", "rate_L_ha", "area_per_tank_ha", "empty_time_min", "work_rate_ha_h")),
    "9b_spray_weather": Topic(spray_weather, _same("exact", "", "go", "marginal")),
    "10a_pod": Topic(detection, _same("abs", "abs", "POD_random", "POD_inverse_cube", "POD_definite")),
    "10b_inverse": Topic(coverage_wanted, _same("rel", "rel", "C_random", "C_inverse_cube")),
    "10c_search_plan": Topic(
        search_plan, _same("rel", "rel", "spacing_m", "track_km", "time_min", "POD_random", "POD_inverse_cube")
    ),
    "10d_cumulative": Topic(cumulative, _same("abs", "abs", "POD_cum_random", "POD_cum_inverse_cube", "POS", "POA_after_miss")),
    "11_coverage_path": Topic(
        coverage_path,
        {"area_m2": ("rel", "area_rel"), "min_width_m": ("abs", "width_m"), "line_angle_deg": ("axis", "angle_deg")}
        | _same("exact", "", "n_lines", "n_lines_perp")
        | _same("rel", "length_rel", "lower_bound_m", "line_length_m", "line_length_perp_m", "transfers_m", "transfers_perp_m"),
    ),
    "12a_geodesy_distance": Topic(distance, {"distance_m": ("rel", "distance_rel"), "azimuth_deg": ("abs", "azimuth_deg")}),
    "12b_geodesy_area": Topic(
        ellipsoid_area,
        _same("rel", "area_rel", "area_m2", "area_ha") | {"perimeter_m": ("rel", "perimeter_rel")},
    ),
    "13a_supply": Topic(supply, _same("rel", "rel", "S_VA", "S_continuous_VA", "I_continuous_A")),
    "13b_chargers": Topic(
        chargers_on_circuit,
        _same("rel", "rel", "P_in_W", "S_in_VA", "I_A") | _same("exact", "", "ok_80pct", "ok_breaker", "max_chargers_80pct"),
    ),
    "13c_generator": Topic(generator, _same("rel", "rel", "alt_factor", "temp_factor", "P_available_W")),
    "13d_fuel": Topic(fuel, _same("rel", "rel", "fuel_L_h", "L_per_kWh")),
    "16_rotation": Topic(
        rotation,
        _same("exact", "", "packs_needed", "ports_needed")
        | _same("abs", "wait_min", "interval_formula_min", "wait_formula_min", "sim_waits_first12", "sim_mean_wait_steady")
        | {"sim_makespan40_min": ("abs", "makespan_min")},
    ),
    "16b_shared_power": Topic(shared_power, _same("abs", "wait_min", "single_charge_min", "lower_bound_interval_min")),
}
