"""Outlines from files: what is taken, what is said, and what is refused before it can do harm."""

import dataclasses
import io
import json
import math
import random
import zipfile
from pathlib import Path
from xml.etree import ElementTree as Xml

import pytest

from quarry.apps.bounded import BoundedReader, ReadingStopped, read_bounded
from quarry.apps.jobs.fields import (
    JobFields,
    KeepOutFields,
    LineFields,
    MappingWork,
    NamedPlace,
    SiteFields,
    SortieFields,
    WindFields,
)
from quarry.apps.jobs.formats.reading import FormatError, read_outline
from quarry.apps.jobs.formats.writing import Drawn, geojson, gpx, kml
from quarry.apps.jobs.views import SortieOut
from tests.factories import FIELD, HOME, POND

SAMPLES = Path(__file__).parent.parent / "samples" / "fields"
KML = '<?xml version="1.0"?><kml xmlns="http://www.opengis.net/kml/2.2"><Document>{}</Document></kml>'


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


def kmz(text, name="doc.kml", extra=()):
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr(name, text)
        for member, body in extra:
            packed.writestr(member, body)
    return buffer.getvalue()


def feature(kind, coordinates, **properties):
    return {"type": "Feature", "properties": properties, "geometry": {"type": kind, "coordinates": coordinates}}


def collection(*features):
    return json.dumps({"type": "FeatureCollection", "features": list(features)}).encode()


CLOSED = [*FIELD, FIELD[0]]


@pytest.mark.parametrize(
    ("data", "name"),
    [
        (KML.format(placemark(FIELD)).encode(), "a.kml"),
        (b"\xef\xbb\xbf" + KML.format(placemark(FIELD)).encode(), "bom.kml"),
        (kmz(KML.format(placemark(FIELD))), "a.kmz"),
        (kmz(KML.format(placemark(FIELD)), "deep/folder/area.KML"), "wrong-suffix.kml"),
        (collection(feature("Polygon", [CLOSED], name="Field")), "a.geojson"),
        (json.dumps(feature("Polygon", [CLOSED], name="Field")).encode(), "b.json"),
        (json.dumps({"type": "Polygon", "coordinates": [CLOSED]}).encode(), "Field.json"),
        (collection(feature("LineString", CLOSED, name="Field")), "closed line.geojson"),
        (
            json.dumps({"type": "GeometryCollection", "geometries": [{"type": "Polygon", "coordinates": [CLOSED]}]}).encode(),
            "Field",
        ),
    ],
)
def test_an_outline_is_found_whatever_the_file_is_called(data, name):
    found = read_outline(data, name)
    assert [tuple(p) for p in found.area] == [tuple(p) for p in FIELD]
    assert found.name == "Field"
    assert found.keep_outs == []
    assert found.notes == []


def test_holes_become_keep_outs_and_no_point_becomes_home_by_itself():
    found = read_outline(KML.format(placemark(FIELD, holes=[POND]) + point(HOME, "Home")).encode(), "a.kml")
    assert [dataclasses.asdict(k) for k in found.keep_outs] == [{"ring": POND, "crossing": "never", "margin_m": 5.0, "name": ""}]
    assert [(p.name, p.at, p.home) for p in found.points] == [("Home", HOME, True)]
    assert any("none is home unless chosen" in n for n in found.notes)


def test_a_lone_point_far_away_is_offered_with_how_far_it_is():
    found = read_outline(KML.format(placemark(FIELD) + point([12.0, 46.2], "office")).encode(), "a.kml")
    (office,) = found.points
    assert not office.home
    assert office.away_m == pytest.approx(377_000, rel=0.02), "a degree of longitude at 46.2 N is 77.2 km"


def test_areas_beside_the_largest_are_told_and_none_is_a_keep_out():
    beside = [[x + 0.004, y] for x, y in FIELD]
    apart = [[x + 0.05, y] for x, y in POND]
    body = placemark(POND, "pond") + placemark(FIELD) + placemark(apart, "orchard") + placemark(beside[:3], "beside")
    found = read_outline(KML.format(body).encode(), "a.kml")
    assert (found.name, found.keep_outs) == ("Field", [])
    assert {o.name: o.meets for o in found.others} == {"pond": True, "orchard": False, "beside": True}
    assert "3 more areas in the file (beside, pond, orchard)" in found.notes[0]


def test_an_area_without_three_corners_is_left_out_by_name():
    good, bad = feature("Polygon", [CLOSED], name="Field"), feature("Polygon", [[FIELD[0], FIELD[1], FIELD[0]]], name="Half")
    found = read_outline(collection(bad, good), "x.geojson")
    assert found.name == "Field"
    assert found.notes == ["“Half” has too few corners (at least three are needed) and was left out."]
    with pytest.raises(FormatError, match="“Half” has too few corners"):
        read_outline(collection(bad), "x.geojson")


@pytest.mark.parametrize("encoding", ["utf-8-sig", "utf-16", "utf-16-be", "utf-32"])
def test_geojson_with_a_byte_order_mark_is_read(encoding):
    text = collection(feature("Polygon", [CLOSED], name="Tørv")).decode()
    assert read_outline(text.encode(encoding), "bom.geojson").name == "Tørv"


def test_long_and_hostile_names_are_cut_to_what_can_be_kept_and_told():
    long, marks = "x" * 75, "west\u202e\x00\nfield"
    found = read_outline(
        collection(feature("Polygon", [CLOSED], name=long), feature("Polygon", [[*POND, POND[0]]], name=marks)), "x"
    )
    assert len(found.name) == 60
    assert found.others[0].name == "west field"
    assert any("was shortened to 60 characters" in n for n in found.notes)


def scribble(points):
    draw = random.Random(5)
    ring = [[7.1 + draw.random() * 0.01, 46.2 + draw.random() * 0.005] for _ in range(points)]
    return collection(feature("Polygon", [[*ring, ring[0]]], name="Scribble"))


def test_a_scribble_is_refused_instead_of_simplified_for_ever():
    with pytest.raises(FormatError, match="crosses itself over and over"):
        read_bounded("quarry.apps.jobs.formats.reading:read_outline", scribble(5000), "scribble", seconds=10.0)


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
        with pytest.raises(FormatError, match="neither") as bad:
            reader.call("quarry.apps.jobs.formats.reading:read_outline", b"?", "x")
        assert bad.value.field == "file"


@pytest.mark.parametrize("path", sorted(SAMPLES.glob("*/*.*")), ids=lambda p: p.name)
def test_foreign_boundary_files_are_read_or_refused_in_words(path):
    """Files with known truth, made by other hands; see README in their folder."""
    truth = json.loads((SAMPLES / "truth.json").read_text())["files"].get(path.name)
    try:
        found = read_outline(path.read_bytes(), path.name)
    except FormatError:
        assert "coordinates" not in str(truth and truth["tests"]), "blanks around commas are read"
        # In words, never as another error. That all of these are read at last is for their own work to show.
        return
    if truth and truth["outcome"] == "import":
        areas = [found.area_ha, *(o.area_ha for o in found.others)]
        assert max(areas) == found.area_ha
        assert len(found.points) == len(truth.get("points", []))


def test_twenty_thousand_points_are_simplified_and_it_says_by_how_much():
    ring = [
        [7 + 0.004 * math.cos(2 * math.pi * k / 20_000), 46 + 0.003 * math.sin(2 * math.pi * k / 20_000)] for k in range(20_000)
    ]
    found = read_outline(collection(feature("Polygon", [[*ring, ring[0]]])), "round.geojson")
    assert 3 < len(found.area) <= 4_000
    assert "20,000 points and was simplified" in found.notes[0]
    assert "moved by at most" in found.notes[0]


BOMB = kmz("<kml>" + " " * 30_000_000 + "</kml>")
ENTITIES = b'<?xml version="1.0"?><!DOCTYPE k [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><kml>&b;</kml>'
OUTSIDE = b'<?xml version="1.0"?><!DOCTYPE k [<!ENTITY x SYSTEM "file:///etc/hostname">]><kml>&x;</kml>'


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (ENTITIES, "defines entities or a document type"),
        (OUTSIDE, "defines entities or a document type"),
        (BOMB, "unpacks to far more than it should"),
        (kmz(KML, extra=[(f"f{k}", "x") for k in range(250)]), "unpacks to far more"),
        (kmz("hello", "readme.txt"), "holds no KML"),
        (b"PK\x03\x04 not a zip", "KMZ is damaged"),
        (b"<kml><Placemark>", "file is damaged"),
        (KML.format(placemark(FIELD).replace("7.1,", "seven,")).encode(), "not a pair of numbers: seven"),
        (KML.format(point(HOME, "x")).encode(), "holds no area"),
        (b'{"type": "FeatureCollection", "features": [', "GeoJSON is damaged"),
        (b"[" * 100_000, "GeoJSON"),
        (b'{"type": "Circle", "coordinates": []}', "does not follow the form"),
        (b'{"type": "Polygon", "coordinates": [[["a", "b"]]]}', "does not follow the form"),
        (b"42 is a number", "neither GeoJSON, KML, KMZ nor GPX"),
        (b"", "neither GeoJSON, KML, KMZ nor GPX"),
        (collection(feature("Polygon", [[[y, -x * 14] for x, y in CLOSED]])), "look swapped"),
        (collection(feature("Polygon", [[[x * 60_000, y * 60_000] for x, y in CLOSED]])), "not in degrees"),
        (collection(feature("Polygon", [[[None, 1], [2, 3], [4, 5]]])), "does not follow the form"),
    ],
)
def test_what_cannot_be_read_is_refused_with_a_remedy(data, words):
    with pytest.raises(FormatError, match=words) as bad:
        read_outline(data, "file")
    assert bad.value.field == "file"


def pairs(ring):
    return [tuple(p) for p in ring]


def drawn(*, sorties=(1, 2), whole=True, home=HOME, fallbacks=()):
    """A job as it goes out."""
    entered = JobFields(
        kind="mapping",
        area=pairs(FIELD),
        keep_outs=[KeepOutFields(pairs(POND), "never", 5.0, "pond")],
        home=tuple(home) if home else None,
        work=MappingWork(height_m=45.0),
        lines=LineFields(),
        sorties=SortieFields(),
        wind=WindFields(),
        site=SiteFields(fallbacks=[NamedPlace(tuple(at), name) for name, at in fallbacks]),
    )
    blank = dict.fromkeys((f.name for f in dataclasses.fields(SortieOut)), None)
    path = pairs([HOME, *FIELD[:3], HOME])
    known = {"path": path, "time_s": 900.0, "turn_back_s": 800.0}
    flown = [SortieOut(**blank | known | {"number": n, "turn_back_at": tuple(FIELD[n])}) for n in sorties]
    return Drawn("Top & <field>", "S", entered, flown, whole)


@pytest.mark.parametrize("form", ["kml", "geojson"])
def test_what_is_written_can_be_read_again(form):
    data = kml(drawn()) if form == "kml" else geojson(drawn())
    found = read_outline(data, f"x.{form}")
    assert found.area == FIELD
    assert [(p.at, p.home) for p in found.points if p.name == "home"] == [(HOME, True)]
    assert found.name == "Top & <field>"
    assert [k.ring for k in found.keep_outs] == [POND], "no sortie is taken for a keep-out"
    assert found.others == []


def test_gpx_that_is_written_gives_outline_and_home_and_no_sortie_is_taken_for_ground():
    found = read_outline(gpx(drawn(fallbacks=[("bank", POND[0])])), "x.gpx")
    assert (found.area, found.keep_outs, found.others) == (FIELD, [], [])
    assert {p.name: p.home for p in found.points} == {"home": True, "fallback bank": False}


def test_one_sortie_alone_and_heights_above_ground():
    root = Xml.fromstring(kml(drawn(sorties=[2], whole=False)))
    space = "{http://www.opengis.net/kml/2.2}"
    lines = root.findall(f".//{space}LineString")
    assert len(lines) == 1
    assert lines[0].find(f"{space}altitudeMode").text == "relativeToGround"
    assert all(c.endswith(",45") for c in lines[0].find(f"{space}coordinates").text.split())
    alone = json.loads(geojson(drawn(sorties=[1], whole=False)))["features"]
    assert [f["properties"]["name"] for f in alone if f["properties"]["role"] == "sortie"] == ["S1"]
    assert len([f for f in json.loads(geojson(drawn()))["features"] if f["properties"]["role"] == "sortie"]) == 2


def test_a_job_without_a_plan_still_goes_out():
    assert len(json.loads(geojson(drawn(sorties=[], home=None)))["features"]) == 2
    assert b"LineString" not in kml(drawn(sorties=[]))
