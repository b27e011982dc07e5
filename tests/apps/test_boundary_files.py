"""Boundary files that strangers mail: what is taken, what is told, and what is refused before it can do harm.

Files with known truth in tests/samples/fields were made by other hands; their README says how.
"""

import gzip
import io
import json
import math
import random
import zipfile
from pathlib import Path

import numpy as np
import pyogrio
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Polygon

from quarry.apps.bounded import BoundedReader, ReadingStopped, read_bounded
from quarry.apps.jobs.formats.boundary.reading import read_boundary
from quarry.apps.jobs.formats.boundary.shapes import FormatError
from quarry.core.ground.geodesy import LocalFrame, distance_m
from tests.factories import FIELD, HOME, POND

SAMPLES = Path(__file__).parent.parent / "samples" / "fields"
TRUTH = json.loads((SAMPLES / "truth.json").read_text())["files"]
BAD = json.loads((SAMPLES / "bad.json").read_text())["files"]
KML = '<?xml version="1.0"?><kml xmlns="http://www.opengis.net/kml/2.2"><Document>{}</Document></kml>'
CLOSED = [*FIELD, FIELD[0]]
READER = "quarry.apps.jobs.formats.boundary.reading:read_boundary"


def ring_text(ring):
    return " ".join(f"{x},{y},0" for x, y in [*ring, ring[0]])


def placemark(ring, name="Field", holes=()):
    inner = "".join(
        f"<innerBoundaryIs><LinearRing><coordinates>{ring_text(h)}</coordinates></LinearRing></innerBoundaryIs>" for h in holes
    )
    outer = f"<outerBoundaryIs><LinearRing><coordinates>{ring_text(ring)}</coordinates></LinearRing></outerBoundaryIs>"
    return f"<Placemark><name>{name}</name><Polygon>{outer}{inner}</Polygon></Placemark>"


def point(place, name):
    return f"<Placemark><name>{name}</name><Point><coordinates>{place[0]},{place[1]}</coordinates></Point></Placemark>"


def packed(*members):
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as made:
        for name, body in members:
            made.writestr(name, body)
    return buffer.getvalue()


def feature(kind, coordinates, **properties):
    return {"type": "Feature", "properties": properties, "geometry": {"type": kind, "coordinates": coordinates}}


def collection(*features):
    return json.dumps({"type": "FeatureCollection", "features": list(features)}).encode()


def words(found):
    return " ".join(n.words for n in found.notes)


def attempt(read, *args, **more):
    """Return what was read, or the words of the refusal."""
    try:
        return read(*args, **more), ""
    except FormatError as bad:
        return None, bad.message


@pytest.mark.parametrize("name", sorted(TRUTH))
def test_a_file_that_can_be_imported_comes_in_whole(name):
    truth = TRUTH[name]
    found = read_boundary((SAMPLES / "valid" / name).read_bytes(), name)
    main = [a for a in found.areas if not a.source]
    assert len(main) == truth["polygons"]
    assert len(found.points) == len(truth.get("points", []))
    assert len(found.lines) == len(truth.get("lines", []))
    assert sum(len(a.holes) for a in main) == truth["holes"]
    assert sum(a.area_ha for a in main) == pytest.approx(truth["area_ha"], rel=truth.get("loose", {}).get("area", 1e-3))
    if truth["outcome"] == "import":
        corners = sum(len(a.ring) + sum(len(h.ring) for h in a.holes) for a in main)
        assert corners == truth["vertices"], "no corner is lost"
        want = sorted((p["name"], p["area_m2"]) for p in truth["per_polygon"])
        for (label, area_m2), a in zip(want, sorted(main, key=lambda a: (a.name, a.area_ha)), strict=True):
            assert a.name == (label or "")[:300]
            assert a.area_ha * 1e4 == pytest.approx(area_m2, rel=5e-3 if "loose" in truth else 1e-3)
    assert all(p.looks_like in ("home", "landing", "obstacle", "nothing") and not p.own for p in found.points)
    for pair in truth.get("touching", []):
        a, b = found.areas[pair["a"]], found.areas[pair["b"]]
        assert pair["b"] in a.touches or b.inside == pair["a"] or a.inside == pair["b"]


def test_what_the_samples_must_say():
    def read(name):
        return read_boundary((SAMPLES / "valid" / name).read_bytes(), name)

    inner = read("04-inner-field.geojson").areas[1]
    assert (inner.inside, inner.fills_hole, inner.use) == (0, True, "area")
    duct = read("08-duct-line.kml")
    assert (duct.areas, duct.lines[0].width_m, duct.lines[0].closed) == ([], 70.0, False)
    several = read("09-several-kml.kmz")
    assert [(a.name, a.use) for a in several.areas if a.source] == [("Sønderholm", "nothing")]
    assert "One more KML is in the archive (more/extra.kml)" in words(several)
    walk = read("10-walked-60000.gpx")
    assert "59,99" in words(walk)
    assert "smoothed" in words(walk)
    (outline,) = [a.ring for a in walk.areas]
    true = TRUTH["10-walked-60000.gpx"]["true_outline"]
    frame = LocalFrame.around([tuple(p) for p in true])
    edge = shapely.LinearRing(frame.to_metres([tuple(p) for p in true]))
    off = shapely.distance(shapely.points(frame.to_metres([tuple(p) for p in outline])), edge)
    assert off.max() < 3.5, "noise of 1 m does not move the outline by more"
    assert np.sqrt((off**2).mean()) < 1.3
    assert len(outline) < 1_000
    track = read("11-track-route-waypoints.gpx")
    assert {a.name for a in track.areas} == {"La Lomita", "El Recodo"}
    assert "open track: its ends are 462 m apart" in words(track)
    offered = {p.name: p.looks_like for p in read("07-folders-points.kml").points}
    assert offered == {"gate": "nothing", "mast": "obstacle", "home": "home", "office": "nothing", "take-off": "home"}


@pytest.mark.parametrize("name", sorted(BAD))
def test_a_faulty_or_hostile_file_is_repaired_and_told_or_refused_in_words(name):
    case = BAD[name]
    data = (SAMPLES / "bad" / name).read_bytes()
    found, refusal = attempt(read_bounded, READER, data, name, seconds=case["time_limit_s"] * 6.0, memory_mb=1_200)
    if found is None:
        assert case["expect"] == "refuse" or any("refuse" in also for also in case["also_ok"])
        assert any(word.lower() in refusal.lower() for word in case["say_any"]), refusal
        return
    may = case["expect"] != "refuse" or case["also_ok"]
    assert may, "it ought to be refused"
    told = words(found).lower()
    assert not case["say_any"] or any(word.lower() in told for word in case["say_any"]), told
    truth = case["truth"] or {}
    truth = truth.get("if_converted") or truth.get("if_first_only") or truth
    area = truth.get("area_m2") or truth.get("area_m2_about") or truth.get("area_shell_less_union_of_holes_m2")
    if area:
        assert sum(a.area_ha for a in found.areas if not a.problem) * 1e4 == pytest.approx(area, rel=2e-3)
    for a in found.areas:
        assert a.name.isprintable()
    if "gap_m" in truth:
        assert not found.areas
        assert found.lines[0].gap_m == pytest.approx(truth["gap_m"], abs=1.0)


@pytest.mark.parametrize(
    ("data", "name"),
    [
        (KML.format(placemark(FIELD)).encode(), "a.kml"),
        (b"\xef\xbb\xbf" + KML.format(placemark(FIELD)).encode(), "bom.kml"),
        (KML.format(placemark(FIELD)).encode("utf-16"), "wide.kml"),
        (packed(("doc.kml", KML.format(placemark(FIELD)))), "a.kmz"),
        (packed(("deep/folder/area.KML", KML.format(placemark(FIELD)))), "wrong-suffix.kml"),
        (collection(feature("Polygon", [CLOSED], name="Field")), "a.geojson"),
        (gzip.compress(collection(feature("Polygon", [CLOSED], Name="Field"))), "a.geojson.gz"),
        (packed(("x/a.geojson", collection(feature("Polygon", [CLOSED], title="Field")))), "a.zip"),
        (json.dumps({"type": "Polygon", "coordinates": [CLOSED]}).encode(), "Field.json"),
        (("name,lon,lat\n" + "\n".join(f"Field,{x},{y}" for x, y in FIELD)).encode(), "corners.csv"),
        (
            ("lat;lon\n" + "\n".join(f"{y}".replace(".", ",") + f"°;{x}".replace(".", ",") + "°" for x, y in FIELD)).encode(),
            "Field.csv",
        ),
        (("\n".join(f"{x}\t{y}" for x, y in FIELD)).encode(), "Field.txt"),
        (Polygon(FIELD).wkt.encode(), "Field"),
        (f"name;wkt\nField;{Polygon(FIELD).wkt}".encode(), "t.csv"),
    ],
)
def test_an_outline_is_found_whatever_the_file_is_called(data, name):
    found = read_boundary(data, name)
    ((only,), _) = (found.areas, found.name)
    assert [tuple(p) for p in only.ring] == [tuple(p) for p in FIELD]
    assert "Field" in (only.name, found.name)
    assert (only.holes, only.problem, only.use) == ([], "", "area")


def degrees(value, sides):
    whole = abs(value)
    minutes = (whole % 1) * 60
    return f"{int(whole)}° {int(minutes)}' {(minutes % 1) * 60:.4f}\" {sides[value < 0]}"


def test_corners_in_degrees_minutes_and_seconds_are_read_as_written():
    ring = [(-71.9, -8.1), (-71.89, -8.1), (-71.89, -8.09)]
    rows = "\n".join(f"{degrees(y, 'NS')};{degrees(x, 'EW')}" for x, y in ring)
    (area,) = read_boundary(f"latitude;longitude\n{rows}".encode(), "t.csv").areas
    assert np.array(area.ring) == pytest.approx(np.array(ring), abs=1e-7)


@pytest.mark.parametrize("driver", ["ESRI Shapefile", "GPKG"])
@pytest.mark.parametrize("crs", ["EPSG:4326", "EPSG:25832", "EPSG:3857"])
def test_shapefile_and_geopackage_in_their_own_coordinate_system(tmp_path, driver, crs):
    from pyproj import Transformer

    turn = Transformer.from_crs("EPSG:4326", crs, always_xy=True).transform
    rings = [[turn(x + shift, y) for x, y in FIELD] for shift in (0.0, 0.02)]
    shapes = np.array([Polygon(r) for r in rings])
    path = tmp_path / ("parcels.shp" if driver.startswith("ESRI") else "parcels.gpkg")
    names = np.array(["Øvre", "Nedre"], dtype=object)
    pyogrio.raw.write(
        path, shapely.to_wkb(shapes), [names], ["name"], geometry_type="Polygon", crs=crs, driver=driver, encoding="UTF-8"
    )
    data = (
        path.read_bytes() if path.suffix == ".gpkg" else packed(*[(f"in/{p.name}", p.read_bytes()) for p in tmp_path.iterdir()])
    )
    found = read_boundary(data, path.name)
    assert [a.name for a in found.areas] == ["Øvre", "Nedre"]
    flat = sorted(tuple(p) for p in found.areas[0].ring)
    assert np.array(flat) == pytest.approx(np.array(sorted(tuple(p) for p in FIELD)), abs=1e-7)
    assert ("converted" in words(found)) == (crs != "EPSG:4326")
    if driver.startswith("ESRI"):
        bare = packed(*[(p.name, p.read_bytes()) for p in tmp_path.iterdir() if p.suffix in (".shp", ".shx")])
        if crs == "EPSG:4326":
            assert len(read_boundary(bare, "bare.zip").areas) == 2, "places in degrees need no name of their system"
        else:
            with pytest.raises(FormatError, match="names no coordinate system"):
                read_boundary(bare, "bare.zip")


def test_holes_are_told_and_no_point_becomes_home_by_itself():
    found = read_boundary(KML.format(placemark(FIELD, holes=[POND]) + point(HOME, "Home")).encode(), "a.kml")
    (hole,) = found.areas[0].holes
    assert (hole.ring, hole.crossing, hole.margin_m) == (POND, "unworked", 0.0)
    assert [(p.name, p.at, p.looks_like) for p in found.points] == [("Home", HOME, "home")]
    assert found.notes[0].words == "In the file: 1 area, 1 hole, 1 point."


def test_a_lone_point_far_away_is_offered_with_how_far_it_is():
    found = read_boundary(KML.format(placemark(FIELD) + point([12.0, 46.2], "office")).encode(), "a.kml")
    (office,) = found.points
    assert office.away_m == pytest.approx(377_000, rel=0.02), "a degree of longitude at 46.2 N is 77.2 km"


def test_one_area_inside_another_is_asked_about():
    found = read_boundary(KML.format(placemark(FIELD) + placemark(POND, "pond")).encode(), "a.kml")
    assert [(a.name, a.use, a.inside) for a in found.areas] == [("Field", "area", None), ("pond", "keep-out", 0)]
    assert "“pond” lies inside “Field”: a keep-out is put forward: choose what it is." in words(found)


def test_an_area_without_three_corners_is_left_out_by_name_and_the_others_stay():
    good, bad = feature("Polygon", [CLOSED], name="Field"), feature("Polygon", [[FIELD[0], FIELD[1], FIELD[0]]], name="Half")
    found = read_boundary(collection(bad, good), "x.geojson")
    assert [(a.name, bool(a.problem)) for a in found.areas] == [("Half", True), ("Field", False)]
    assert "“Half” has 2 corners: too few" in words(found)
    with pytest.raises(FormatError, match="“Half” has 2 corners"):
        read_boundary(collection(bad), "x.geojson")


def bow_tie(name="Tie"):
    return feature("Polygon", [[[7.0, 46.0], [7.004, 46.003], [7.004, 46.0], [7.0, 46.003], [7.0, 46.0]]], name=name)


def test_a_bow_tie_is_split_a_spike_and_doubles_are_taken_out_and_all_is_told_with_its_place():
    found = read_boundary(collection(bow_tie()), "x")
    assert [a.name for a in found.areas] == ["Tie (part 1)", "Tie (part 2)"]
    (split,) = [n for n in found.notes if n.did == "repaired"]
    assert split.at == pytest.approx((7.002, 46.0015), abs=1e-5)
    spiked = [*FIELD[:2], [FIELD[1][0] + 0.001, FIELD[1][1]], FIELD[1], *FIELD[2:], FIELD[-1], FIELD[0]]
    found = read_boundary(collection(feature("Polygon", [spiked], name="S")), "x")
    whole = read_boundary(collection(feature("Polygon", [CLOSED])), "x").areas[0].area_ha
    assert found.areas[0].area_ha == pytest.approx(whole, rel=1e-9)
    told = [n.did for n in found.notes]
    assert told.count("repaired") >= 1
    unclosed = read_boundary(collection(feature("Polygon", [FIELD], name="Open")), "x")
    assert "“Open” was not closed" in words(unclosed)


def test_overlapping_and_nested_holes_count_once():
    found = read_boundary((SAMPLES / "bad" / "05-tangled-holes.geojson").read_bytes(), "t")
    (area,) = found.areas
    shells = [Polygon(h.ring) for h in area.holes]
    assert all(not a.intersects(b) or a.intersection(b).area == 0 for k, a in enumerate(shells) for b in shells[:k])


@settings(max_examples=25, deadline=None)
@given(st.integers(3, 400), st.integers(0, 10_000), st.floats(0.0005, 0.02))
def test_random_rings_never_hang_and_give_sound_areas_or_a_reason(count, seed, reach):
    """Shapely judges: what is offered is valid, and no larger than what the points span."""
    draw = random.Random(seed)
    ring = [[7 + draw.random() * reach, 46 + draw.random() * reach] for _ in range(count)]
    found, refusal = attempt(read_boundary, collection(feature("Polygon", [[*ring, ring[0]]], name="R")), "r")
    if found is None:
        assert any(word in refusal for word in ("cross", "encloses", "corners"))
        return
    hull = Polygon(ring).convex_hull.area
    shells = [Polygon(a.ring) for a in found.areas if not a.problem]
    assert shells
    assert all(s.is_valid for s in shells)
    assert sum(s.area for s in shells) <= hull * (1 + 1e-6)


def scribble(points):
    draw = random.Random(5)
    ring = [[7.1 + draw.random() * 0.01, 46.2 + draw.random() * 0.005] for _ in range(points)]
    return collection(feature("Polygon", [[*ring, ring[0]]], name="Scribble"))


def test_a_scribble_is_refused_instead_of_simplified_for_ever():
    with pytest.raises(FormatError, match="crosses itself over and over"):
        read_bounded(READER, scribble(20_000), "scribble", seconds=60.0)


@settings(max_examples=8, deadline=None)
@given(st.integers(2_000, 30_000), st.floats(0.0, 1.0), st.integers(0, 99))
def test_a_walked_edge_is_thinned_within_what_it_says(count, noise_m, seed):
    turn = np.linspace(0, 2 * math.pi, count, endpoint=False)
    jitter = np.random.default_rng(seed).normal(0, noise_m, (count, 2))
    xy = 250 * np.column_stack([np.cos(turn), np.sin(turn) * 0.7]) + jitter
    frame = LocalFrame(7.0, 46.0)
    ring = [list(p) for p in frame.to_degrees([tuple(p) for p in xy])]
    found = read_boundary(collection(feature("Polygon", [[*ring, ring[0]]])), "walk")
    (area,) = found.areas
    edge = shapely.LinearRing(250 * np.column_stack([np.cos(turn), np.sin(turn) * 0.7]))
    off = shapely.distance(shapely.points(frame.to_metres([tuple(p) for p in area.ring])), edge)
    assert off.max() < 0.6 + 3.0 * noise_m
    assert "thinned" in [n.did for n in found.notes] or len(area.ring) == count


def test_across_the_date_line_and_at_the_pole_places_are_where_they_are():
    (tovu,) = read_boundary((SAMPLES / "valid" / "12-past-180.geojson").read_bytes(), "x").areas
    assert all(-180 <= x <= 180 for x, _ in tovu.ring)
    assert min(x for x, _ in tovu.ring) < 0 < max(x for x, _ in tovu.ring)
    for lon, lat, span in ((180.0, -17.0, 0.01), (40.0, 89.9, 3.0), (-60.0, -89.95, 4.0), (0.0, 0.0, 0.01)):
        ring = [((lon + dx + 180) % 360 - 180, lat + dy) for dx, dy in ((-span, 0), (span, 0), (span, 0.004), (-span, 0.004))]
        frame = LocalFrame.around(ring)
        flat = frame.to_metres(ring)
        sides = [math.dist(a, b) for a, b in zip(flat, flat[1:], strict=False)]
        real = [distance_m(*a, *b) for a, b in zip(ring, ring[1:], strict=False)]
        assert sides == pytest.approx(real, rel=1e-4)
        assert np.array(frame.to_degrees(flat)) == pytest.approx(np.array(ring), abs=1e-8)


BOMB = packed(("doc.kml", "<kml>" + " " * 30_000_000 + "</kml>"))
ENTITIES = b'<?xml version="1.0"?><!DOCTYPE k [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><kml>&b;</kml>'
OUTSIDE = b'<?xml version="1.0"?><!DOCTYPE k [<!ENTITY x SYSTEM "file:///etc/hostname">]><kml>&x;</kml>'


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (ENTITIES, "defines entities or a document type"),
        (OUTSIDE, "defines entities or a document type"),
        (BOMB, "unpacks to far more than it should"),
        (gzip.compress(b" " * 60_000_000), "unpacks to far more"),
        (packed(("a.kml", KML), *[(f"f{k}", "x") for k in range(250)]), "unpacks to far more"),
        (packed(("readme.txt", "hello")), "does not hold a boundary"),
        (b"PK\x03\x04 not a zip", "archive is damaged"),
        (b"\x1f\x8b not gzip", "gzip"),
        (b"SQLite format 3\x00 not a package", "GeoPackage is damaged"),
        (packed(("a.shp", b"not a shape")), "a.shp is damaged"),
        (b"<kml><Placemark>", "ends too early"),
        (b"<kml><a></b></kml>", "not valid XML"),
        (KML.format(placemark(FIELD).replace("7.1,", "seven,")).encode(), "not a pair of numbers: seven"),
        (KML.format(point(HOME, "x")).encode(), "There is no area in the file and no line"),
        (b'{"type": "FeatureCollection", "features": [', "cut off: it ends too early"),
        (b'{"type": "FeatureCollection" "features": []}', "GeoJSON is damaged"),
        (b"[" * 100_000, "GeoJSON"),
        (b'{"type": "Circle", "coordinates": []}', "does not follow the form"),
        (b'{"type": "Polygon", "coordinates": [[["a", "b"]]]}', "not a number"),
        (b'{"type": "Polygon", "coordinates": [[[NaN, 1], [1, 2], [2, 1]]]}', "not a number"),
        (b"POLYGON ((1 2, 3", "WKT is damaged"),
        (b"lon,lat\n7.1,46.2\n7.2,\n7.3,46.3", "Row 2 of the table holds no place"),
        (b"42 is a number", "none of the forms that are read"),
        (b"", "none of the forms that are read"),
        (bytes(range(256)) * 40, "none of the forms that are read"),
        (collection(feature("Polygon", [[[y, -x * 14] for x, y in CLOSED]])), "look swapped"),
        (collection(feature("Polygon", [[[x * 60_000, y * 60_000] for x, y in CLOSED]])), "look projected"),
        (collection(feature("Polygon", [[[None, 1], [2, 3], [4, 5]]])), "not a number"),
        (b'<gpx><trk><trkseg><trkpt lat="x"/></trkseg></trk></gpx>', "without latitude"),
    ],
)
def test_what_cannot_be_read_is_refused_with_a_remedy(data, words):
    with pytest.raises(FormatError, match=words) as bad:
        read_boundary(data, "file")
    assert bad.value.field == "file"


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(sorted([*TRUTH, *BAD])), st.integers(0, 10_000), st.data())
def test_a_mutated_sample_is_read_or_refused_in_words(name, seed, data):
    if name in ("10-walked-60000.gpx", "05-150-ponds.geojson", "02-scribble-5000.geojson", "10-lying-size.kmz"):
        return
    folder = "valid" if name in TRUTH else "bad"
    whole = bytearray((SAMPLES / folder / name).read_bytes())
    draw = random.Random(seed)
    for _ in range(data.draw(st.integers(1, 6))):
        k = draw.randrange(len(whole))
        kind = draw.randrange(3)
        if kind == 0:
            whole[k] = draw.randrange(256)
        elif kind == 1:
            del whole[k : k + draw.randrange(1, 40)]
        else:
            whole[k:k] = whole[max(0, k - 30) : k]
    found, refusal = attempt(read_boundary, bytes(whole), name)
    if found is None:
        assert len(refusal) > 20
        return
    for a in found.areas:
        assert a.problem or Polygon(a.ring).is_valid or len(a.ring) < 4


def test_a_reader_that_never_ends_eats_memory_or_dies_is_stopped_with_the_reason():
    with pytest.raises(ReadingStopped, match="stopped after 1 s"):
        read_bounded("time:sleep", 30, seconds=1.0)
    with pytest.raises(ReadingStopped, match="more than 600 MB of memory"):
        read_bounded("builtins:bytes", 2_000_000_000, memory_mb=600)
    with pytest.raises(ReadingStopped, match="broke its reader off"):
        read_bounded("os:abort")
    with BoundedReader() as reader:
        with pytest.raises(ReadingStopped):
            reader.call("os:abort")
        assert reader.call("builtins:len", b"again") == 5, "a fresh process after one that died"
        with pytest.raises(FormatError, match="none of the forms") as bad:
            reader.call(READER, b"?", "x")
        assert bad.value.field == "file"


def test_a_direction_or_rate_that_cannot_be_is_left_out_and_told():
    ring = [[7.1, 46.2], [7.106, 46.2], [7.106, 46.203], [7.1, 46.2]]
    about = {"name": "Low <field>", "bearing_deg": 725, "rate_l_ha": 9000}
    shape = {"type": "Feature", "properties": about, "geometry": {"type": "Polygon", "coordinates": [ring]}}
    found = read_boundary(json.dumps(shape).encode(), "x.geojson")
    assert (found.areas[0].bearing_deg, found.areas[0].rate_l_ha) == (None, None)
    told = " ".join(n.words for n in found.notes if n.did == "left out")
    assert "725" in told
    assert "9000 L/ha" in told
    sound = shape | {"properties": about | {"bearing_deg": 35, "rate_l_ha": 12}}
    kept = read_boundary(json.dumps(sound).encode(), "x.geojson").areas[0]
    assert (kept.bearing_deg, kept.rate_l_ha) == (35.0, 12.0)
