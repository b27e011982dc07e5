"""Control points of a job: proposed, kept, out and back in as CSV and GeoJSON."""

import csv
import io
import json
import math

import pytest
from pyproj import Transformer

from quarry.apps.accounts.errors import DomainError
from quarry.apps.jobs import exports, queries, services
from tests.factories import make_job, make_terrain

pytestmark = pytest.mark.django_db


@pytest.fixture
def placed(lead, fleet):
    make_terrain(lead)
    job = make_job(lead, fleet)
    points = queries.proposed_control(job, 250.0)
    site = {**job.site, "control": [{"at": p.at, "name": p.name, "check": p.check, "why": p.why} for p in points]}
    return services.save_job(actor=lead, job_id=job.pk, version=job.version, figures={"site": site})


def test_proposed_points_are_kept_and_come_to_something(placed):
    view = queries.control_of(placed)
    assert view.control_count >= 5
    assert view.check_count >= 3
    assert view.farthest_m < 300.0
    assert view.outside == []
    assert view.walk_m > 1000.0
    sample = queries.plan_of(placed).figure("ground_sample_m")
    # Control surveyed with a corrected receiver: its centimetre comes to the pixel or two of the pictures.
    assert view.plan_m == pytest.approx([math.hypot(sample, 0.01), math.hypot(2 * sample, 0.01)])
    assert view.working.value == pytest.approx(view.plan_m[1])
    whys = {p.why for p in queries.entered(placed).site.control}
    assert {"corner", "middle", "between control"} <= whys


def test_they_change_no_plan(lead, placed):
    before = queries.plan_of(placed)
    bare = services.save_job(
        actor=lead,
        job_id=placed.pk,
        version=placed.version,
        figures={"site": {**placed.site, "control": [], "receiver": "own base"}},
    )
    assert queries.plan_of(bare) == before
    alone = queries.control_of(bare)
    assert (alone.control_count, alone.farthest_m) == (0, None)
    assert alone.plan_m == [2.0, 5.0]
    assert "as a receiver has them on its own" in alone.rests_on
    with pytest.raises(DomainError, match="No control points"):
        exports.export_control(bare, "csv")


@pytest.mark.parametrize("form", ["csv", "geojson"])
def test_out_and_back_in_they_are_the_same(lead, placed, form):
    data, name = exports.export_control(placed, form)
    assert name == f"top-field-control.{form}"
    back = services.read_control_file(actor=lead, data=data, filename=name)
    kept = queries.entered(placed).site.control
    assert [(p.name, p.check) for p in back] == [(p.name, p.check) for p in kept]
    for a, b in zip(back, kept, strict=True):
        assert a.at == pytest.approx(b.at, abs=1e-7)


def test_the_csv_names_its_systems_and_its_grid_is_pyprojs(placed):
    rows = list(csv.reader(io.StringIO(exports.export_control(placed, "csv")[0].decode())))
    code = rows[0][4].split("EPSG:")[1].split()[0]
    assert code == "32632"
    to_grid = Transformer.from_crs("EPSG:4326", f"EPSG:{code}", always_xy=True)
    east, north = to_grid.transform(float(rows[1][3]), float(rows[1][2]))
    assert (float(rows[1][4]), float(rows[1][5])) == pytest.approx((east, north), abs=0.002)
    whole = json.loads(exports.export_control(placed, "geojson")[0])
    assert {f["properties"]["kind"] for f in whole["features"]} == {"control", "check"}


def test_a_surveyors_table_of_another_hand_is_read(lead):
    data = (
        "Punkt;Breite;Länge;Höhe;Art\nGCP-1;46,2001;7,1002;512,34;Passpunkt\nCP-9;46,2003;7,1005;514,10;Kontrollpunkt\n".encode()
    )
    one, other = services.read_control_file(actor=lead, data=data, filename="points.csv")
    assert (one.name, one.check, one.height_m) == ("GCP-1", False, 512.34)
    assert (other.name, other.check, other.at) == ("CP-9", True, (7.1005, 46.2003))


@pytest.mark.parametrize(
    "data", [b"", b"{", b"name,x\na,1\n", b'{"type":"FeatureCollection","features":[1,null]}', b"name,lat,lon\na,950,7\n"]
)
def test_a_file_without_points_is_told(lead, data):
    with pytest.raises(DomainError) as bad:
        services.read_control_file(actor=lead, data=data, filename="p.csv")
    assert bad.value.field == "file"
