"""Jobs and their routes as files: what is written, with heights, speeds and actions, and that nothing is lost on the way back."""

import csv
import io
import json
from itertools import pairwise
from xml.etree import ElementTree as Xml

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quarry.apps.jobs.fields import (
    AreaFields,
    JobFields,
    KeepOutFields,
    LineFields,
    MappingWork,
    NamedPlace,
    ObstacleFields,
    SiteFields,
    SortieFields,
    WindFields,
)
from quarry.apps.jobs.formats.boundary.reading import read_boundary
from quarry.apps.jobs.formats.boundary.shapes import FormatError
from quarry.apps.jobs.formats.writing import Drawn, geojson, gpx, kml, waypoint_table
from quarry.core.base.errors import MissingInput, OutOfRange
from quarry.core.ground.geodesy import distance_m
from quarry.core.sorties.waypoints import (
    Heights,
    Leg,
    SortieRoute,
    Speeds,
    done_at_place,
    done_at_time,
    done_at_waypoint,
    done_on_track,
    remainder,
    waypoints,
)
from tests.factories import FIELD, HOME, POND

SHORE = [[round(x + 0.004, 7), y] for x, y in FIELD]
LINE = [[7.11, 46.21], [7.12, 46.212], [7.13, 46.21]]
PROFILE = ((0.0, 5.0, 50.0), (120.0, 20.0, 65.0), (300.0, 8.0, 53.0), (2000.0, 8.0, 53.0))


def pairs(ring):
    return [tuple(p) for p in ring]


def route(label="S1", *, profile=(), sea=None, bends=(), begins=60.0):
    """A sortie of two lines with a transit between, the second with a gap."""
    a, b, c, d, e = (7.1005, 46.2005), (7.1045, 46.2005), (7.1045, 46.2010), (7.1030, 46.2010), (7.1010, 46.2010)
    legs = (
        Leg(a, b, 0, 100.0),
        Leg(b, c, -1, 110.0),
        Leg(c, d, 1, 130.0),
        Leg(d, e, -1, 150.0),
        Leg(e, (7.1005, 46.2010), 1, 160.0),
    )
    return SortieRoute(
        label,
        tuple(HOME),
        tuple(bends),
        legs,
        (),
        begins,
        240.0,
        Heights(45.0, 60.0, tuple(profile), sea),
        Speeds(8.0, 12.0, 12.0, {0: 7.5, 1: 6.5}),
    )


def drawn(*, routes=None, whole=True, home=HOME, kind="mapping"):
    """A job as it goes out: two areas and a corridor, keep-outs of both kinds, and all that stands around."""
    entered = JobFields(
        kind=kind,
        areas=[
            AreaFields(pairs(FIELD), "Top & <field>"),
            AreaFields(pairs(SHORE), "Shore", left_out=True, bearing_deg=31.5, rate_l_ha=12.5),
            AreaFields(pairs(LINE), "Ditch", corridor_m=24.0, bearing_deg=40.0, rate_l_ha=9.0),
        ],
        keep_outs=[KeepOutFields(pairs(POND), "never", 5.0, "pond")],
        home=tuple(home) if home else None,
        work=MappingWork(height_m=45.0),
        lines=LineFields(),
        sorties=SortieFields(),
        wind=WindFields(),
        site=SiteFields(
            obstacles=[ObstacleFields((7.101, 46.2), 6.0, 31.0, "mast")],
            fallbacks=[NamedPlace((7.1, 46.2), "bank")],
            homes=[NamedPlace((7.09, 46.2), "track end")],
        ),
    )
    return Drawn("Estate", entered, [route()] if routes is None else routes, whole)


@pytest.mark.parametrize("write", [geojson, kml])
def test_a_job_comes_back_from_its_own_file_without_loss(write):
    job = drawn()
    found = read_boundary(write(job), "x")
    f = job.fields
    areas = [(a.name, pairs(a.ring), a.use == "nothing", a.bearing_deg, a.rate_l_ha) for a in found.areas]
    assert areas == [(a.name, a.ring, a.left_out, a.bearing_deg, a.rate_l_ha) for a in f.areas if a.corridor_m is None]
    lines = [(x.name, pairs(x.places), x.width_m, x.bearing_deg, x.rate_l_ha) for x in found.lines]
    assert lines == [("Ditch", pairs(LINE), 24.0, 40.0, 9.0)]
    keeps = [(k.name, pairs(k.ring), k.crossing, k.margin_m) for k in (*found.areas[0].holes, *found.keep_outs)]
    assert keeps == [(k.name, k.ring, k.crossing, k.margin_m) for k in f.keep_outs]
    points = {(p.name, tuple(p.at), p.looks_like, p.radius_m, p.top_m) for p in found.points}
    assert points == {
        ("home", tuple(HOME), "home", None, None),
        ("bank", (7.1, 46.2), "landing", None, None),
        ("mast", (7.101, 46.2), "obstacle", 6.0, 31.0),
        ("track end", (7.09, 46.2), "other home", None, None),
    }
    assert all(p.own for p in found.points)


@settings(max_examples=40, deadline=None)
@given(
    st.text(max_size=90),
    st.lists(
        st.tuples(st.floats(-170, 170), st.floats(-80, 80)),
        min_size=1,
        max_size=3,
        unique_by=lambda p: (round(p[0], 3), round(p[1], 3)),
    ),
    st.sampled_from(["never", "unworked"]),
    st.floats(0, 400),
)
def test_whatever_a_job_holds_goes_out_and_comes_back_the_same(name, corners, crossing, margin):
    """Export, import, export: the second file says what the first did."""
    from dataclasses import replace

    base = drawn(routes=[])
    areas = []
    for k, (x, y) in enumerate(corners):
        ring = [(round(x + dx, 7), round(y + dy, 7)) for dx, dy in ((0, 0), (0.003, 0), (0.003, 0.002), (0, 0.002))]
        areas.append(AreaFields(ring, f"{name}{k}"))
    keep = KeepOutFields([(round(p[0] + 0.001, 7), round(p[1] + 0.0005, 7)) for p in areas[0].ring[:3]], crossing, margin, name)
    first = replace(base, fields=replace(base.fields, areas=areas, keep_outs=[keep]))
    found = read_boundary(geojson(first), "x.geojson")
    assert [pairs(a.ring) for a in found.areas] == [a.ring for a in areas]
    kept = [k for a in found.areas for k in a.holes] + found.keep_outs
    assert [(pairs(k.ring), k.crossing) for k in kept] == [(keep.ring, crossing)]
    assert kept[0].margin_m == pytest.approx(margin)
    again = [AreaFields(pairs(a.ring), a.name) for a in found.areas]
    keeps = [KeepOutFields(pairs(k.ring), k.crossing, k.margin_m, k.name) for k in kept]
    second = replace(base, fields=replace(base.fields, areas=again, keep_outs=keeps))
    third = read_boundary(geojson(second), "x.geojson")
    assert [(a.name, a.ring) for a in third.areas] == [(a.name, a.ring) for a in found.areas]


def test_gpx_gives_areas_and_places_and_no_sortie_is_taken_for_ground():
    found = read_boundary(gpx(drawn()), "x.gpx")
    assert [(a.name, pairs(a.ring)) for a in found.areas] == [("Top & <field>", pairs(FIELD)), ("Shore", pairs(SHORE))]
    assert {p.name: p.looks_like for p in found.points} == {
        "home": "home",
        "bank": "landing",
        "mast": "obstacle",
        "track end": "other home",
    }
    assert any(n.words == "1 sortie of a job was left out: sorties are planned anew." for n in found.notes)


def test_waypoints_begin_and_end_safely_and_say_what_is_switched():
    points = waypoints(route(sea=400.0, bends=[(7.1, 46.2)]))
    assert [w.number for w in points] == list(range(1, len(points) + 1))
    assert [w.kind for w in points[:4]] == ["take-off", "safe", "way", "safe"]
    assert [w.kind for w in points[-3:]] == ["safe", "safe", "landing"]
    assert all(w.over_home_m == 60.0 for w in points[1:4])
    assert [(w.kind, w.action, w.line) for w in points if w.action] == [
        ("line start", "start", 1),
        ("line end", "stop", 1),
        ("line start", "start", 2),
        ("line end", "stop", 2),
        ("line start", "start", 2),
        ("line end", "stop", 2),
    ], "over a gap in a line nothing is switched on"
    assert points[3].at == points[4].at, "down to the work over its first point"
    assert {w.speed_m_s for w in points if w.kind == "line start"} == {7.5, 6.5}
    assert all(w.over_sea_m == pytest.approx(400.0 + w.over_home_m) for w in points)
    assert points[-1].at_s == 240.0


def test_heights_follow_the_profile_along_lines():
    points = waypoints(route(profile=PROFILE))
    on_line = [w for w in points if w.line == 1]
    heights = [w.over_home_m for w in on_line]
    assert max(heights) == pytest.approx(65.0, abs=1.1), "a waypoint stands on the crest"
    assert all(w.over_ground_m == pytest.approx(45.0, abs=2.0) for w in on_line)
    flat = waypoints(route())
    assert all(w.over_ground_m is None for w in flat if w.kind == "line start"), "no ground is known"
    assert len(points) > len(flat)


def test_one_sortie_alone_has_its_waypoints_in_each_form():
    alone = drawn(whole=False, routes=[route("S2", sea=400.0)])
    count = len(waypoints(alone.routes[0]))
    features = json.loads(geojson(alone))["features"]
    assert [f["properties"]["role"] for f in features] == ["sortie", *["waypoint"] * count]
    assert features[1]["geometry"]["coordinates"][2] == 400.0
    root = Xml.fromstring(kml(alone))
    space = "{http://www.opengis.net/kml/2.2}"
    assert root.find(f".//{space}LineString/{space}altitudeMode").text == "absolute"
    assert len(root.findall(f".//{space}Point")) == count
    points = Xml.fromstring(gpx(alone)).findall(".//{http://www.topografix.com/GPX/1/1}rtept")
    assert len(points) == count
    assert points[1][0].text == "460.0"
    rows = list(csv.DictReader(io.StringIO(waypoint_table(alone).decode("utf-8-sig"))))
    assert [r["waypoint"] for r in rows] == [str(k + 1) for k in range(count)]
    assert {r["action"] for r in rows} == {"", "trigger on", "trigger off"}
    spraying = drawn(whole=False, routes=[route()], kind="spraying")
    assert "spray on" in waypoint_table(spraying).decode()


def test_what_is_left_out_of_our_own_files_is_told_and_a_table_of_waypoints_is_no_outline():
    count = len(waypoints(route()))
    for write in (geojson, kml):
        told = [n.words for n in read_boundary(write(drawn()), "x").notes if n.did == "left out"]
        assert told == [f"1 sortie and {count} waypoints of a job were left out: sorties are planned anew."]
    with pytest.raises(FormatError, match="1 sortie of a job was left out"):
        read_boundary(waypoint_table(drawn()), "x.csv")


def test_a_job_without_a_plan_still_goes_out():
    features = json.loads(geojson(drawn(routes=[], home=None)))["features"]
    assert "sortie" not in {f["properties"]["role"] for f in features}
    assert b"rtept" not in gpx(drawn(routes=[]))


@settings(max_examples=150, deadline=None)
@given(st.floats(0, 1))
def test_what_is_left_begins_where_work_stopped_and_is_all_that_was_left(share):
    whole = route()
    length = sum(whole.lengths_m)
    done = share * length
    rest = remainder(whole, done)
    lines = [
        (leg, m, sum(whole.lengths_m[:k]))
        for k, (leg, m) in enumerate(zip(whole.legs, whole.lengths_m, strict=True))
        if leg.line >= 0
    ]
    left = sum(max(0.0, m - max(0.0, done - before)) for _, m, before in lines)
    if rest is None:
        assert left < 0.06
        return
    worked = sum(m for leg, m in zip(rest.legs, rest.lengths_m, strict=True) if leg.line >= 0)
    assert worked == pytest.approx(left, abs=0.07)
    assert rest.legs[0].line >= 0
    assert rest.legs[-1].end == whole.legs[-1].end
    for a, b in pairwise(rest.legs):
        assert a.end == b.start
    points = waypoints(rest)
    assert [w.kind for w in points[:3]] == ["take-off", "safe", "safe"]
    assert (points[3].kind, points[3].action) == ("line start", "start")
    assert done_at_place(whole, *points[3].at) == pytest.approx(rest.along_m, abs=0.1)


def test_where_work_stopped_is_told_by_waypoint_place_time_or_distance():
    whole = route()
    first = whole.lengths_m[0]
    middle = (7.1025, 46.2005)
    assert done_at_place(whole, middle[0], middle[1] + 0.0002) == pytest.approx(first / 2, rel=1e-3)
    assert done_at_time(whole, 80.0) == pytest.approx(first / 2, rel=1e-6)
    assert done_at_time(whole, 10.0) == 0.0
    assert done_at_time(whole, 1e4) == pytest.approx(sum(whole.lengths_m))
    by_number = {w.number: done_at_waypoint(whole, w.number) for w in waypoints(whole)}
    ends = [w for w in waypoints(whole) if w.kind == "line end"]
    assert by_number[ends[0].number] == pytest.approx(first, rel=1e-6)
    assert list(by_number.values()) == sorted(by_number.values())
    with pytest.raises(OutOfRange, match="has waypoints 1 to"):
        done_at_waypoint(whole, 99)
    rest = remainder(whole, first / 2)
    assert distance_m(*rest.legs[0].start, *middle) < 0.5
    assert remainder(whole, 1e6) is None
    with pytest.raises(OutOfRange, match="cannot be negative"):
        remainder(whole, -1.0)


def test_the_rest_of_a_sortie_begins_where_its_log_left_the_lines():
    """The track stops in the middle of the first line, or flies home across and beside lines: that is no work."""
    whole = route()
    a, b = whole.legs[0].start, whole.legs[0].end

    def along(*shares):
        return [(a[0] + (b[0] - a[0]) * s, a[1] + (b[1] - a[1]) * s) for s in shares]

    first = whole.lengths_m[0]
    out = [tuple(HOME), *along(0.0, 0.2, 0.4, 0.6)]
    home = [(7.1035, 46.2012), (7.1030, 46.2008), tuple(HOME)]
    assert done_on_track(whole, [*out, *home]) == pytest.approx(0.6 * first, rel=1e-3)
    backwards = [*out, *along(0.5, 0.3, 0.1), tuple(HOME)]
    assert done_on_track(whole, backwards) == pytest.approx(0.6 * first, rel=1e-3)
    second = [*along(0.0, 0.5, 1.0), (7.1045, 46.2010), (7.1038, 46.2010), (7.1031, 46.2010)]
    rest = remainder(whole, done_on_track(whole, second))
    assert rest is not None
    assert rest.legs[0].line == 1
    assert rest.legs[0].start[0] == pytest.approx(7.1031, abs=2e-6)
    with pytest.raises(MissingInput, match="follows no line of S1"):
        done_on_track(whole, [(7.2, 46.3), (7.201, 46.3)])
