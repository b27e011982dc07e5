"""Our circuits against published cells by their full models: Kim et al. 2011, Ecker et al. 2015, O'Kane et al. 2022.

The table is written by tools/make_cold_cells.py: usable energy to the cut-off at a constant current, held at one temperature
and insulated, by the full model (DFN) and the simpler one (SPMe). Where these two disagree, the models themselves are weak.
"""

import json
from pathlib import Path

import pytest

from quarry.core.base.errors import Infeasible
from quarry.core.cells.chemistry import CHEMISTRIES
from quarry.core.flight.cold_start import cold_start
from quarry.core.flight.energy import ReservePolicy
from quarry.core.flight.usable_energy import Demand, PackToday, usable_energy
from tests.reference.topics import circuit_course

TABLE = json.loads((Path(__file__).parents[1] / "reference" / "cold_cells.json").read_text())
FITTED = [r for r in TABLE["rows"] if r["DFN"]]
LIPO = CHEMISTRIES["lipo"]


def energy_wh_ah(course, cut_off_v):
    """Wh for each Ah until the cell first falls below a voltage."""
    found = 0.0
    for a, b in zip(course, course[1:], strict=False):
        share = a.charge_frac - b.charge_frac
        if b.cell_v < cut_off_v:
            return found + share * (a.cell_v - cut_off_v) / (a.cell_v - b.cell_v) * (a.cell_v + cut_off_v) / 2
        found += share * (a.cell_v + b.cell_v) / 2
    return found


def agree(row):
    return abs(row["SPMe"] - row["DFN"]) <= 0.1 * row["DFN"]


@pytest.mark.parametrize(
    "row", FITTED, ids=lambda r: f"{r['set']} {r['rate']}C {r['start_c']}C {'insulated' if r['insulated'] else 'held'}"
)
def test_in_the_cold_ours_gives_what_the_published_cell_gives_or_less(row):
    """Within 10 % or below, everywhere; and where both models give a useful flight, no less than nine tenths of it."""
    course = circuit_course(row["set"], row["rate"], row["start_c"], adiabatic=row["insulated"])
    ours = energy_wh_ah(course, row["cut_off_v"])
    words = f"{row['set']} at {row['start_c']} °C, {row['rate']} C: ours {ours:.3f}, DFN {row['DFN']}, SPMe {row['SPMe']} Wh/Ah"
    assert ours <= 1.1 * row["DFN"], words
    if agree(row) and row["DFN"] > 2.0:
        assert ours >= 0.9 * row["DFN"], words


def usual(cells=6, ah=10.0, **more):
    return PackToday("01", LIPO, cells, ah, cells * ah * LIPO.nominal_v, **more)


@pytest.mark.parametrize(("start_c", "rate"), [(-20, 2), (-20, 3), (-10, 3), (-10, 2.5), (-25, 1.5)])
def test_where_the_models_collapse_or_disagree_a_pack_is_not_promised_and_warmth_is_asked_for(start_c, rate):
    pack = usual(start_c=start_c)
    demand = Demand(pack.rated_wh * rate, pack.rated_wh * rate * 1.2, start_c)
    with pytest.raises(Infeasible, match="Warm it to") as no:
        usable_energy(pack, demand, ReservePolicy())
    needed = float(no.value.message.split("Warm it to ")[1].split(" °C")[0])
    assert start_c < needed <= 20
    warmed = usual(start_c=needed)
    assert usable_energy(warmed, demand, ReservePolicy()).usable_wh > 0


def test_a_spraying_load_in_frost_says_how_near_it_comes():
    """Three times the capacity at 0 °C: both models of the Kim cell come through insulated, and ours is let go."""
    pack = usual(start_c=0)
    demand = Demand(pack.rated_wh * 3, pack.rated_wh * 3, 0.0)
    usable = usable_energy(pack, demand, ReservePolicy())
    assert 0.8 < usable.cold_frac < 1.0


def test_below_its_launch_temperature_a_pack_stays_down_and_each_way_of_warming_has_its_time():
    pack = usual(start_c=-6.0, start_measured=True)
    demand = Demand(pack.rated_wh * 1.4, pack.rated_wh * 2, -6.0)
    cold = cold_start(pack, demand, ReservePolicy(), launch_c=10.0, case_c=30.0)
    assert not cold.launch
    assert cold.words == "Do not launch. The pack is at -6 °C; it does not take off below 10 °C."
    assert cold.target_c == 10.0
    times = {w.at_c: w.time_s for w in cold.ways}
    assert 20 * 60 < times[20.0] < 3 * 3600  # a vehicle
    assert [w.time_s for w in cold.ways] == sorted(w.time_s for w in cold.ways)
    assert any("never charge it below 0 °C" in m for m in cold.meanwhile)
    ready = cold_start(usual(start_c=12.0), demand, ReservePolicy(), launch_c=10.0, case_c=30.0)
    assert ready.launch
    assert ready.usable is not None
    cool = cold_start(pack, demand, ReservePolicy(), launch_c=25.0, case_c=8.0)
    assert [w.time_s for w in cool.ways if w.at_c == 8.0] == [None]


def test_where_no_warmth_helps_it_says_so():
    tired = usual(start_c=-5.0, resistance_25_ohm=0.03)
    cold = cold_start(tired, Demand(tired.rated_wh * 2, tired.rated_wh * 3, -5.0), ReservePolicy(), launch_c=0.0, case_c=30.0)
    assert not cold.launch
    assert cold.target_c is None
    assert cold.ways == ()
