"""Fourteen logs that nobody here wrote, with known truth (README in their folder): columns, flights, and logs made of them."""

from __future__ import annotations

import contextlib
import gzip
import io
import itertools
import json
import zipfile
from pathlib import Path

import numpy as np
import polars as pl
import pytest
import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st

from quarry.core.base.errors import BadReading, CoreError
from quarry.core.logs import reading as reading_module
from quarry.core.logs.archive import logs_in
from quarry.core.logs.candidates import Above
from quarry.core.logs.columns import candidates_of, search
from quarry.core.logs.contradictions import percent_rises
from quarry.core.logs.discharge import discharge_of
from quarry.core.logs.flight import flights_in, part
from quarry.core.logs.forms import table_of
from quarry.core.logs.reading import read_log
from quarry.core.logs.together import Facts
from quarry.core.logs.wind import wind_met

HERE = Path(__file__).parents[1] / "samples" / "logs"
TRUTH = json.loads((HERE / "truth.json").read_text())["files"]
# What the folder's README calls a quantity, and what it is called here; “other” is none of them.
NAMES = {
    "other": "", "time_iso": "time_s", "time_epoch": "time_s", "time_s": "time_s", "time_of_day": "time_s", "date": "date_s",
    "percent": "left_frac", "cell_voltage": "cell_v", "cell_voltages_list": "cell_v", "cell_voltage_min": "cell_low_v",
    "cell_voltage_max": "cell_high_v", "pack_voltage": "pack_v", "current": "current_a", "charge_used": "used_ah",
    "pack_temperature": "pack_c", "ambient_temperature": "air_c", "height": "height_m", "altitude_msl": "altitude_m",
    "vertical_speed": "climb_m_s", "ground_speed": "speed_m_s", "latitude": "lat_deg", "longitude": "lon_deg",
    "pitch": "pitch_deg", "roll": "roll_deg", "heading": "heading_deg", "wind_speed": "wind_m_s", "wind_from": "wind_from_deg",
    "warning": "warning", "mode": "mode", "firmware": "firmware", "serial": "airframe", "pack_serial": "serial",
}  # fmt: skip


def bytes_of(key):
    name, _, member = key.partition("::")
    path = HERE / name
    if member:
        return zipfile.ZipFile(path).read(member)
    return gzip.decompress(path.read_bytes()) if name.endswith(".gz") else path.read_bytes()


@pytest.fixture(scope="module", params=TRUTH)
def log(request):
    return request.param, TRUTH[request.param], read_log(bytes_of(request.param))


def test_every_column_is_what_it_is_and_nothing_is_asked(log):
    _, truth, reading = log
    taken = {c.header: c.quantity for c in reading.columns}
    assert taken == {c["name"]: NAMES[c["quantity"]] for c in truth["columns"]}
    assert reading.asks == ()
    assert reading.holds == ()
    assert reading.bad_rows == 0


def test_each_value_comes_out_in_its_unit(log):
    """By the factor of the truth; a permille, a kelvin or a foot that is taken for another unit is far off."""
    _, truth, reading = log
    for c, known in zip(reading.columns, truth["columns"], strict=True):
        if known["quantity"] == "cell_voltage":
            assert c.cell == known.get("cell", c.cell)
    plausible = {"current_a": (0.3, 120), "pack_c": (-5, 60), "speed_m_s": (-0.5, 25), "climb_m_s": (-8, 8), "left_frac": (0, 1)}
    for name, (low, high) in plausible.items():
        values = reading.log.numbers.get(name)
        if values is not None:
            values = np.abs(values) if name == "current_a" else values
            assert low <= np.nanpercentile(values, 1) <= np.nanpercentile(values, 99) <= high, name


def test_what_stands_above_the_table_is_read(log):
    _, truth, reading = log
    assert reading.log.words["firmware"] == truth["firmware"]
    assert truth["serial"] in reading.log.words.values()


def near(found, known, off):
    return known is None if found is None else known is not None and abs(found - known) <= off


def test_flights_are_those_that_were_flown(log):
    """Tolerances of the folder's README; what the log does not tell must not be a number."""
    key, truth, reading = log
    spans = flights_in(reading.log)
    assert len(spans) == len(truth["flights"])
    for span, known in zip(spans, truth["flights"], strict=True):
        flight = part(reading.log, span)
        seen, blind = discharge_of(flight), known["not_observable"]
        assert near(span.start_s, known["takeoff_s"], 3)
        assert near(span.end_s, known["landing_s"], 3)
        assert near(seen.length_s / 60, known["minutes"], 0.1)
        assert near(100 * seen.from_frac, known["percent_from"], 1.01)
        assert near(100 * seen.to_frac, known["percent_to"], 1.01)
        assert near(None if seen.knee_frac is None else 100 * seen.knee_frac, known["knee_percent"], 6)
        assert len(seen.drops) == len(known["sudden_drops"])
        for (at_s, by_frac), drop in zip(seen.drops, known["sudden_drops"], strict=True):
            assert near(span.start_s + at_s, drop["t_s"], 3)
            assert near(100 * by_frac, drop["from"] - drop["to"], 2)
        assert seen.used_wh == pytest.approx(known["energy_Wh"], rel=0.02)
        assert 1000 * seen.used_ah == pytest.approx(known["mAh_used"], rel=0.02)
        assert seen.mean_a == pytest.approx(known["mean_A"], rel=0.02)
        hard = known["hard_climb_A"]
        assert seen.hard_a == (None if hard is None else pytest.approx(hard, rel=0.08))
        if truth["warnings_logged"]:
            low = 0.0 if seen.warned_s is None else seen.length_s - seen.warned_s
            assert near(low, known["low_to_landing_s"], 5)
            assert near(seen.critical_s or 0.0, known["critical_s"], 5)
        if "lowest_cell" not in blind:
            assert near(seen.lowest_v, known["lowest_cell_V"], 0.025)
            if "lowest_cell_index" not in blind and known["lowest_cell_margin_V"] >= 0.02:
                assert seen.lowest_cell == known["lowest_cell_index"]
        if seen.resistance_ohm is not None:
            each, ohm = 1000 * seen.resistance_ohm / truth["pack"]["cells"], known["resistance_per_cell_mohm"]
            assert 0.8 * ohm["ohmic_mean"] <= each <= 1.2 * ohm["with_slow_part_mean"]
        if "temp" in blind:
            assert seen.from_c is None
        else:
            assert near(seen.from_c, known["temp_start_C"], 1)
            assert near(seen.most_c, known["temp_max_C"], 1)
        assert seen.distance_m == pytest.approx(known["distance_m"], rel=0.08)
        assert near(float(np.nanmax(flight.numbers["height_m"])), known["max_height_m"], 2)
        wind, met = known["mean_wind"], wind_met(flight)
        assert met is None or truth["wind_judged"], key
        if met is not None:
            column = truth["wind_source"] == "column"
            assert near(met.wind_m_s, wind["speed_ms"], 0.3 if column else 1.5)
            away = abs((met.from_deg - wind["from_deg"] + 180) % 360 - 180)
            assert away <= (8 if column else 30)


def test_what_is_odd_about_a_log_is_said():
    doubts = {key: " ".join(read_log(bytes_of(key)).doubts) for key in ("polder.csv.gz", "river-clock.csv", "shuffled.csv")}
    assert "jumps by 2.0 h in flight" in doubts["polder.csv.gz"]
    assert "its clock was set during the log" in doubts["river-clock.csv"]
    assert f"{TRUTH['shuffled.csv']['duplicated_rows']} rows stand there twice" in doubts["shuffled.csv"]
    assert "rows are put in order" in doubts["shuffled.csv"]


def test_a_height_that_begins_far_up_on_the_ground_is_counted_from_there():
    """One above the sea by another name; a log that begins in the air keeps its height."""
    text = (HERE / "gravel-pit.csv").read_text().splitlines()
    rows = [line.split(",") for line in text[5:]]
    up = "\n".join([*text[:5], *(",".join([*r[:3], f"{float(r[3]) + 312.4:.1f}", *r[4:]]) for r in rows)])
    reading = read_log(up.encode())
    assert "height does not begin at nothing" in " ".join(reading.doubts)
    (span,) = flights_in(reading.log)
    most = TRUTH["gravel-pit.csv"]["flights"][0]["max_height_m"]
    assert float(np.nanmax(part(reading.log, span).numbers["height_m"])) == pytest.approx(most, abs=2)


def test_a_charge_that_comes_back_in_flight_is_said_with_when():
    """Its README: two steps upwards in flight, 175 s and 273 s after the first row; take-off after nine."""
    reading = read_log((HERE / "bad" / "charge_comes_back.csv").read_bytes())
    (span,) = flights_in(reading.log)
    flight = part(reading.log, span)
    hold = percent_rises(flight.numbers["left_frac"], flight.time_s)
    words = hold.words
    assert flight.time_s[hold.row] == pytest.approx(165.5, abs=1.0)
    assert "first 2:45 min after take-off" in words or "first 2:46 min after take-off" in words


HEADS = [
    b"\n".join(bytes_of(key).splitlines()[:70])
    for key in ("gravel-pit.csv", "bosco.txt", "ladera.txt", "champ-nord.tsv", "telemetry.jsonl")
]


@given(st.sampled_from(HEADS), st.lists(st.tuples(st.integers(0, 10**6), st.binary(max_size=6)), max_size=12))
@settings(max_examples=120, deadline=None)
def test_a_damaged_log_is_refused_in_words_or_read(head, wounds):
    data = bytearray(head)
    for place, other in wounds:
        at = place % len(data)
        data[at : at + len(other)] = other
    with contextlib.suppress(CoreError):
        reading = read_log(bytes(data))
        assert reading.log.rows > 0
        assert np.all(np.diff(reading.log.time_s) >= 0)


def test_a_spreadsheet_tells_what_its_text_tells():
    """Numbers and dates of a workbook, by a library of others (XlsxWriter); a second sheet of notes is no log."""
    table = pl.read_csv(HERE / "gravel-pit.csv", skip_rows=4).head(900)
    dated = table.with_columns(pl.col("Clock (UTC)").str.to_datetime("%Y-%m-%d %H:%M:%S%.f"))
    book = io.BytesIO()
    with xlsxwriter.Workbook(book, {"in_memory": True}) as made:
        dated.write_excel(made, worksheet="Flight", dtype_formats={pl.Datetime: "yyyy-mm-dd hh:mm:ss.0"})
        made.add_worksheet("Notes").write(0, 0, "calm")
    (packed,) = logs_in("flight.xlsx", book.getvalue())
    sheet, text = read_log(packed.unpack()), read_log(table.write_csv().encode())
    assert [(c.header, c.quantity, c.unit) for c in sheet.columns] == [(c.header, c.quantity, c.unit) for c in text.columns]
    assert sheet.log.time_s == pytest.approx(text.log.time_s, abs=0.06)
    for name, values in text.log.numbers.items():
        assert sheet.log.numbers[name] == pytest.approx(values, abs=1e-6), name
    with pytest.raises(BadReading, match="no table of samples"):
        list(logs_in("flight.xlsx", _book_of_notes()))


def _book_of_notes():
    book = io.BytesIO()
    with xlsxwriter.Workbook(book, {"in_memory": True}) as made:
        made.add_worksheet("Notes").write(0, 0, "calm")
    return book.getvalue()


@pytest.mark.parametrize("seed", range(12))
def test_the_assignment_is_that_of_an_exhaustive_search(seed):
    """On six columns of a foreign log, a beam so wide that it drops nothing finds no better one."""
    rng = np.random.default_rng(seed)
    key = str(rng.choice([k for k in TRUTH if k != "telemetry.jsonl"]))
    shape, plain = reading_module._opened(bytes_of(key))
    frame = table_of(plain, shape)[::4]
    chosen = sorted(rng.choice(frame.width, min(6, frame.width), replace=False))
    samples = [reading_module._sample(frame.to_series(int(k)), shape, int(k)) for k in chosen]
    offered = {k: candidates_of(s, (), Above()) for k, s in enumerate(samples)}
    offered = {k: [c for c in of if c.quantity not in ("time_s", "date_s", "cell_v")] for k, of in offered.items()}
    facts = Facts(np.arange(frame.height) * 1.0)
    best, whole = search(offered, samples, facts), search(offered, samples, facts, beam=10**7)
    assert len(whole) >= len(best)
    assert best[0][0] == pytest.approx(whole[0][0])
    assert {k: c.quantity for k, c in best[0][1].items()} == {k: c.quantity for k, c in whole[0][1].items()}


# Other hands' names for the same things, in eight languages; not taken from the product's own words.
OTHERS = {
    "time_epoch": ["Timestamp", "Zeitstempel", "horodate", "marca de tiempo", "tempo", "znacznik czasu", "tijdstempel"],
    "percent": ["State of charge", "Akkuladung", "Charge restante", "Carga restante", "Carica residua", "Nivel da bateria",
                "Acculading", "Poziom baterii", "battery left"],
    "pack_voltage": ["Battery voltage", "Akkuspannung", "Tension batterie", "Voltaje de bateria", "Tensione batteria",
                     "Tensao da bateria", "Accuspanning", "Napiecie baterii"],
    "current": ["Battery current", "Akkustrom", "Courant batterie", "Corriente", "Corrente batteria", "Stroomsterkte", "Prad baterii"],
    "charge_used": ["Consumed", "Verbrauchte Kapazitaet", "Consomme", "Consumo", "Consumato", "Verbruikt", "Zuzyte"],
    "pack_temperature": ["Battery temperature", "Akkutemperatur", "Temperature batterie", "Temperatura bateria",
                         "Accutemperatuur", "Temperatura baterii"],
    "height": ["Relative altitude", "Hoehe ueber Start", "Hauteur sol", "Altura relativa", "Quota relativa", "Hoogte", "Wysokosc"],
    "ground_speed": ["Ground velocity", "Geschwindigkeit", "Vitesse sol", "Velocidad", "Velocita", "Snelheid", "Predkosc"],
    "latitude": ["Latitude", "Breitengrad", "Latitud", "Latitudine", "Breedtegraad", "Szerokosc"],
    "longitude": ["Longitude", "Laengengrad", "Longitud", "Longitudine", "Lengtegraad", "Dlugosc"],
    "other": ["Remote battery", "Fernbedienung Akku", "Batterie telecommande", "Bateria del mando", "Batteria radiocomando",
              "Bateria do comando", "Accu afstandsbediening", "Bateria nadajnika", "Tablet battery"],
}  # fmt: skip
SCALES = {
    "pack_voltage": [("V", 1.0), ("mV", 1e3), ("cV", 1e2)],
    "current": [("A", 1.0), ("mA", 1e3), ("dA", 10.0)],
    "charge_used": [("mAh", 1e3), ("Ah", 1.0)],
    "percent": [("%", 100.0), ("", 1.0)],
    "pack_temperature": [("°C", 1.0), ("K", 1.0)],
    "height": [("m", 1.0), ("ft", 1 / 0.3048), ("cm", 100.0)],
    "ground_speed": [("m/s", 1.0), ("km/h", 3.6), ("kt", 1 / 0.514444), ("mph", 1 / 0.44704)],
    "other": [("%", 100.0)],
}
FIGURES = {"time_epoch": 3, "latitude": 7, "longitude": 7, "percent": 4}
BASES = ("gravel-pit.csv", "lot_07.csv", "bosco.txt", "champ-nord.tsv", "telemetry.jsonl", "shuffled.csv")


def bases_of():
    """Return six of the logs once a second, by what the folder's README calls their quantities, in canonical units."""
    found = {}
    for key in BASES:
        log = read_log(bytes_of(key)).log
        rows = np.arange(0, log.rows, max(1, round(1.0 / float(np.median(np.diff(log.time_s))))))
        n = {k: v[rows] for k, v in log.numbers.items()}
        found[key] = {
            "time_epoch": 1.75e9 + log.time_s[rows],
            "percent": n["left_frac"],
            "pack_voltage": n["pack_v"],
            "current": np.abs(n["current_a"]),
            "charge_used": n.get("used_ah"),
            "pack_temperature": n.get("pack_c"),
            "height": n["height_m"],
            "ground_speed": n["speed_m_s"],
            "latitude": n["lat_deg"],
            "longitude": n["lon_deg"],
            "other": np.round(0.97 - 0.1 * np.arange(rows.size) / rows.size, 2),
        }
    return found


@pytest.fixture(scope="module")
def bases():
    return bases_of()


def mutated(base, rng):
    """Return a log with columns renamed, reordered, rescaled and separated anew, and what each header holds, by its factor."""
    separator = rng.choice([",", ";", "\t", "|"])
    comma = separator != "," and rng.random() < 0.4
    style = rng.integers(4)
    heads, columns, truth = [], [], {}
    for q in rng.permutation([q for q, v in base.items() if v is not None]):
        name = str(rng.choice(OTHERS[q]))
        unit, factor = SCALES.get(q, [("", 1.0)])[rng.integers(len(SCALES.get(q, [0])))]
        said = f" [{unit}]" if style == 0 else f" ({unit})" if style == 1 else f" {unit}" if style == 2 else f"_{unit}"
        head = name.replace(" ", "_") if style == 3 else name
        head += said if unit else ""
        values = base[q] * factor + (273.15 if unit == "K" else 0.0)
        text = [f"{v:.{FIGURES.get(q, 2)}f}" for v in values]
        heads.append(head)
        columns.append([t.replace(".", ",") for t in text] if comma else text)
        truth[head] = (NAMES[q], factor)
    lines = [separator.join(heads), *(separator.join(row) for row in zip(*columns, strict=True))]
    encoding = str(rng.choice(["utf-8", "utf-8-sig", "utf-16", "cp1252"]))
    return "\n".join(lines).encode(encoding), truth


def judged(reading, truth, base):
    """Return (kept, asked, unused, wrong) headers of a mutated log."""
    kept, asked, unused, wrong = [], [], [], []
    plain = {NAMES[q]: v for q, v in base.items() if v is not None}
    for c in reading.columns:
        known, _ = truth[c.header]
        if not c.certain:
            asked.append(c.header)
        elif c.quantity == known:
            told = reading.log.numbers.get(c.quantity)
            same = told is None or np.nanmedian(np.abs(np.abs(told) - np.abs(plain[known]))) <= 0.02 * np.nanmax(
                np.abs(plain[known])
            )
            (kept if same else wrong).append(c.header)
        else:
            (unused if not c.quantity else wrong).append(c.header)
    return kept, asked, unused, wrong


def test_three_hundred_logs_made_of_them_keep_their_truth_or_ask(bases):
    rng = np.random.default_rng(18)
    counts = np.zeros(4, dtype=int)
    for _, key in zip(range(300), itertools.cycle(BASES), strict=False):
        data, truth = mutated(bases[key], rng)
        found = judged(read_log(data), truth, bases[key])
        assert found[3] == [], (key, truth)
        counts += [len(f) for f in found]
    kept, _, unused, wrong = counts / counts.sum()
    assert kept > 0.95
    assert (unused < 0.01, wrong) == (True, 0)


# Tables as crews have them, by headers alone (invented): each header with what it holds; “” is nothing that is known or asked.
HEADERS = {
    "Portuguese": "Bateria (%)=left_frac; Nível do comando (%)=; Tensão total (V)=pack_v; Corrente (A)=current_a; Altura (m)=height_m; "
    "Altitude GPS (m)=altitude_m; Velocidade horizontal (km/h)=speed_m_s; Velocidade vertical (m/s)=climb_m_s; "
    "Temp. bateria (°C)=pack_c; Temp. ESC (°C)=; Latitude=lat_deg; Longitude=lon_deg",
    "short": "VBAT=pack_v; IBAT=current_a; MAH=used_ah; ALT=height_m; VSPD=climb_m_s; GSPD=speed_m_s; LAT=lat_deg; LNG=lon_deg; "
    "PIT=pitch_deg; ROL=roll_deg; YAW=heading_deg; TEMP=pack_c; RSSI=",
    "long": "Battery 1 voltage (V)=pack_v; Battery 1 current (A)=current_a; Battery 1 charge level (%)=left_frac; "
    "RC battery level (%)=; Motor 1 temperature (C)=; Battery 1 temperature (C)=pack_c; GPS altitude AMSL (ft)=altitude_m; "
    "Height above launch (ft)=height_m; Horizontal speed (mph)=speed_m_s; Heading (deg)=heading_deg; Throttle (%)=throttle_frac",
    "French": "Charge batterie %=left_frac; Charge radiocommande %=; Tension batterie mV=pack_v; Intensité A=current_a; "
    "Température batterie °C=pack_c; Température moteur °C=; Altitude m=height_m; Vitesse km/h=speed_m_s",
    "Dutch": "accuspanning=pack_v; stroom=current_a; resterend=left_frac; temperatuur accu=pack_c; hoogte=height_m; "
    "snelheid=speed_m_s; breedtegraad=lat_deg; lengtegraad=lon_deg",
    "Spanish": "Batería dron (%)=left_frac; Batería mando (%)=; Voltaje (V)=pack_v; Intensidad (A)=current_a; Consumo (mAh)=used_ah; "
    "Altura relativa (m)=height_m; Velocidad (m/s)=speed_m_s; Temperatura batería=pack_c; Temperatura aire=air_c",
}
FACTORS = {"(km/h)": 3.6, "km/h": 3.6, "(mph)": 1 / 0.44704, "(ft)": 1 / 0.3048, "mV": 1e3, "(mAh)": 1e3, "MAH": 1e3}


@pytest.mark.parametrize("habit", HEADERS)
def test_headers_of_other_habits_are_known(habit):
    log = read_log(bytes_of("gravel-pit.csv")).log
    rows = np.arange(0, log.rows, 5)
    n = {k: v[rows] for k, v in log.numbers.items()}
    other = {
        "altitude_m": n["height_m"] + 312.0,
        "throttle_frac": np.clip(np.abs(n["current_a"]) / 60, 0, 1),
        "air_c": np.full(rows.size, 21.0),
        "": np.round(0.9 - 0.1 * np.arange(rows.size) / rows.size, 3),
    }
    heads, columns, known = ["Flight time (s)"], [log.time_s[rows]], {}
    for pair in HEADERS[habit].split("; "):
        head, _, quantity = pair.rpartition("=")
        values = n.get(quantity, other.get(quantity)) * FACTORS.get(head.split()[-1], 1.0)
        percent = quantity in ("left_frac", "throttle_frac") or (not quantity and "%" in head)
        heads.append(head)
        columns.append(values * 100 if percent or head == "resterend" else values + 40 * (not quantity))
        known[head] = quantity
    lines = [",".join(heads), *(",".join(f"{v:.7f}" for v in row) for row in zip(*columns, strict=True))]
    reading = read_log("\n".join(lines).encode())
    assert {c.header: c.quantity for c in reading.columns[1:]} == known
    assert reading.asks == ()
