"""Pictures of the ground: made by other libraries here, cut, kept and drawn where they lie."""

from __future__ import annotations

import math
from io import BytesIO

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django_scopes import scope
from hypothesis import given, settings
from hypothesis import strategies as st
from pmtiles.tile import Compression, TileType, zxy_to_tileid
from pmtiles.writer import Writer
from rasterio.enums import ColorInterp
from rasterio.io import MemoryFile
from rasterio.transform import Affine
from rasterio.warp import transform

from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.imagery import queries, services
from quarry.apps.imagery.formats import ImageryError, geotiff, read_imagery
from quarry.apps.imagery.models import Imagery
from tests.factories import person

# A tile says nothing of its place: that is its number.
pytestmark = pytest.mark.filterwarnings("ignore::rasterio.errors.NotGeoreferencedWarning")
EAST, NORTH, UTM = 415_000.0, 6_110_000.0, "EPSG:32630"
QUARTERS = [(200, 40, 40), (40, 180, 60), (50, 70, 210), (230, 220, 60)]


def quarters(side=600, dtype="uint8", scale=1):
    """Four colours: north-west, north-east, south-west, south-east."""
    out = np.zeros((3, side, side), dtype=dtype)
    half = side // 2
    for k, colour in enumerate(QUARTERS):
        y, x = half * (k // 2), half * (k % 2)
        for band in range(3):
            out[band, y : y + half, x : x + half] = colour[band] * scale
    return out


def tiff(bands, point_m=0.5, crs=UTM, **more):
    colours, nodata = more.pop("colorinterp", None), more.pop("nodata", None)
    with MemoryFile() as held:
        with held.open(
            driver="GTiff",
            count=bands.shape[0],
            height=bands.shape[1],
            width=bands.shape[2],
            dtype=bands.dtype,
            crs=crs,
            transform=Affine(point_m, 0, EAST, 0, -point_m, NORTH),
            nodata=nodata,
            **more,
        ) as out:
            if colours:
                out.colorinterp = colours
            out.write(bands)
        return bytes(held.read())


def drawn(held, lon, lat, zoom):
    """The colour and opacity that a tile shows at a place: worked out here from the definition of the net."""
    across = 2**zoom
    x = (lon + 180) / 360 * across
    y = (1 - math.asinh(math.tan(math.radians(lat))) / math.pi) / 2 * across
    tile = next((t for t in held.tiles if (t.zoom, t.column, t.row) == (zoom, int(x), int(y))), None)
    if tile is None:
        return None
    with MemoryFile(tile.picture) as file, file.open() as picture:
        points = picture.read()
        at = points[:, int(y % 1 * 256), int(x % 1 * 256)]
        return tuple(int(v) for v in (at if len(at) == 4 else (*at, 255)))


def place(dx, dy):
    lon, lat = transform(UTM, "EPSG:4326", [EAST + dx], [NORTH - dy])
    return lon[0], lat[0]


@pytest.fixture
def small_leaf(monkeypatch):
    monkeypatch.setattr(geotiff, "MOST_FINEST", 6)


def test_a_picture_in_metres_lies_where_it_was_taken():
    held = read_imagery(tiff(quarters()))
    least, most = held.zooms
    assert 156_543 * math.cos(math.radians(55.1)) / 2**most < 0.62  # as fine as the file, half a metre, or nearly so
    for zoom in range(least, most + 1):
        for k, colour in enumerate(QUARTERS):
            shown = drawn(held, *place(75 + 150 * (k % 2), 75 + 150 * (k // 2)), zoom)
            assert max(abs(a - b) for a, b in zip(shown[:3], colour, strict=True)) <= 12, (zoom, k, shown)
            assert shown[3] == 255
    assert drawn(held, *place(-40, 150), most) in (None, (0, 0, 0, 0))
    west, south, east, north = held.bounds
    assert west < place(0, 150)[0] < place(299, 150)[0] < east
    assert south < place(150, 299)[1] < place(150, 1)[1] < north
    assert held.notes == []


def test_a_file_finer_than_is_kept_says_so(small_leaf):
    held = read_imagery(tiff(quarters(1200), point_m=0.1))
    assert "Kept with" in held.notes[0]
    assert "the file has 10 cm" in held.notes[0]
    assert sum(t.zoom == held.zooms[1] for t in held.tiles) <= 6


def test_more_bits_palettes_grey_and_more_bands():
    deep = read_imagery(tiff(quarters(dtype="uint16", scale=40)))
    assert "more than 8 bits" in deep.notes[0]
    nw, se = (drawn(deep, *place(p, p), deep.zooms[1]) for p in (75, 225))
    assert nw[0] > 180
    assert se[2] < 90

    grey = read_imagery(tiff(np.full((1, 300, 300), 120, dtype="uint8"), colorinterp=[ColorInterp.gray]))
    assert all(abs(v - 120) < 4 for v in drawn(grey, *place(75, 75), grey.zooms[1])[:3])

    five = read_imagery(tiff(np.concatenate([quarters(), quarters()[:2]])))
    assert "2 more bands" in five.notes[0]

    with MemoryFile() as out:
        with out.open(
            driver="GTiff", count=1, height=300, width=300, dtype="uint8", crs=UTM, transform=Affine(1, 0, EAST, 0, -1, NORTH)
        ) as file:
            file.write(np.where(np.arange(300) < 150, 1, 2).astype("uint8")[None, None, :].repeat(300, axis=1)[0][None])
            file.write_colormap(1, {1: (250, 0, 0, 255), 2: (0, 0, 250, 255)})
        palette = read_imagery(bytes(out.read()))
    assert drawn(palette, *place(75, 150), palette.zooms[1])[0] > 200
    assert drawn(palette, *place(225, 150), palette.zooms[1])[2] > 200


def test_what_a_file_leaves_empty_is_see_through():
    bands = quarters()
    bands[:, 300:, 300:] = 0
    held = read_imagery(tiff(bands, nodata=0))
    assert drawn(held, *place(225, 225), held.zooms[1]) in (None, (0, 0, 0, 0))
    assert drawn(held, *place(75, 75), held.zooms[1])[3] == 255


@pytest.mark.parametrize(
    ("make", "code", "words"),
    [
        (lambda: tiff(np.ones((1, 50, 50), dtype="float32")), "heights", "not a picture"),
        (lambda: tiff(np.ones((1, 50, 50), dtype="int16")), "heights", "not a picture"),
        (lambda: tiff(quarters(), crs=None), "no_projection", "Export it with one"),
        (lambda: tiff(quarters())[:3000], "damaged", "Export it again"),
        (lambda: b"%PDF-1.7", "unknown_form", "Bring a GeoTIFF"),
        (lambda: b"", "unknown_form", "Bring a GeoTIFF"),
        (lambda: b"PMTiles\x03" + bytes(119), "damaged", "damaged"),
        (lambda: b"SQLite format 3\x00" + bytes(200), "damaged", "damaged"),
    ],
)
def test_what_is_no_picture_is_refused_with_what_to_do(make, code, words):
    with pytest.raises(ImageryError) as refused:
        read_imagery(make())
    assert refused.value.code == code
    assert words in refused.value.message


def _mbtiles(tmp_path, driver_from=None):
    """As the raster library writes it."""
    from rasterio.shutil import copy

    (tmp_path / "in.tif").write_bytes(driver_from or tiff(quarters(), point_m=1.0))
    copy(str(tmp_path / "in.tif"), str(tmp_path / "out.mbtiles"), driver="MBTiles")
    return (tmp_path / "out.mbtiles").read_bytes()


def test_an_archive_in_a_database_written_by_the_raster_library(tmp_path):
    held = read_imagery(_mbtiles(tmp_path))
    for k, colour in enumerate(QUARTERS):
        shown = drawn(held, *place(150 + 300 * (k % 2), 150 + 300 * (k // 2)), held.zooms[1])
        assert max(abs(a - b) for a, b in zip(shown[:3], colour, strict=True)) <= 6


def _pmtiles(tiles, kind=TileType.WEBP):
    out = BytesIO()
    writer = Writer(out)
    for t in sorted(tiles, key=lambda t: zxy_to_tileid(t.zoom, t.column, t.row)):
        writer.write_tile(zxy_to_tileid(t.zoom, t.column, t.row), t.picture)
    writer.finalize(
        {
            "tile_type": kind,
            "tile_compression": Compression.NONE,
            "min_lon_e7": 0,
            "min_lat_e7": 0,
            "max_lon_e7": 1,
            "max_lat_e7": 1,
            "center_zoom": 0,
            "center_lon_e7": 0,
            "center_lat_e7": 0,
        },
        {"attribution": "flown by ourselves"},
    )
    return out.getvalue()


def test_an_archive_of_the_other_kind_gives_the_same_tiles():
    cut = read_imagery(tiff(quarters()))
    held = read_imagery(_pmtiles(cut.tiles))
    key = lambda t: (t.zoom, t.column, t.row)  # noqa: E731
    assert sorted(map(key, held.tiles)) == sorted(map(key, cut.tiles))
    assert {t.picture for t in held.tiles} == {t.picture for t in cut.tiles}
    assert held.credit == "flown by ourselves"
    with pytest.raises(ImageryError, match="lines and areas"):
        read_imagery(_pmtiles(cut.tiles, TileType.MVT))


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_a_damaged_file_is_refused_or_read_and_never_more(data):
    whole = _SMALL[data.draw(st.sampled_from(sorted(_SMALL)))]
    cut = bytearray(whole[: data.draw(st.integers(0, len(whole)))])
    for at, to in data.draw(st.lists(st.tuples(st.integers(0, max(0, min(len(cut), 400) - 1)), st.integers(0, 255)), max_size=6)):
        if at < len(cut):
            cut[at] = to
    try:
        held = read_imagery(bytes(cut))
    except ImageryError:
        return
    assert held.tiles
    assert -180.1 <= held.bounds[0] <= held.bounds[2] <= 180.1


_SMALL = {"tiff": tiff(quarters(60), point_m=2.0)}
_SMALL["pmtiles"] = _pmtiles(read_imagery(_SMALL["tiff"]).tiles)


def test_a_picture_is_kept_with_the_company_listed_drawn_and_put_away(lead, web, stranger):
    file = SimpleUploadedFile("top field.tif", tiff(quarters(200), point_m=1.0))
    answer = web.client.post("/api/imagery", {"file": file})
    assert answer.status_code == 201, answer.content
    made = answer.json()
    assert made["name"] == "top field"
    lon, lat = place(50, 50)
    zoom = made["most_zoom"]
    x = int((lon + 180) / 360 * 2**zoom)
    y = int((1 - math.asinh(math.tan(math.radians(lat))) / math.pi) / 2 * 2**zoom)
    at = f"/api/imagery/{made['id']}/{zoom}"
    tile = web.client.get(f"{at}/{x}/{y}")
    assert (tile["Content-Type"], tile["Cache-Control"]) == ("image/webp", "private, max-age=31536000, immutable")
    assert web.client.get(f"{at}/0/0")["Content-Type"] == "image/png"
    assert web.client.get(f"/api/imagery/{made['id']}/99/0/0").status_code == 422
    with scope(organisation=stranger.organisation):
        assert not Imagery.objects.exists()
    web.client.force_login(stranger)
    assert web.client.get(f"{at}/{x}/{y}").status_code == 404
    web.client.force_login(lead)
    assert web.delete(f"/imagery/{made['id']}").status_code == 200
    assert web.get("/imagery").json() == []
    web.post(f"/imagery/{made['id']}/restore")
    assert [line["name"] for line in web.get("/imagery").json()] == ["top field"]


def test_heights_are_refused_by_a_code_and_a_viewer_may_add_nothing(org, lead, web):
    heights = SimpleUploadedFile("dem.tif", tiff(np.ones((1, 30, 30), dtype="float32")))
    answer = web.client.post("/api/imagery", {"file": heights})
    assert (answer.status_code, answer.json()["code"]) == (422, "heights")
    with scope(organisation=org), pytest.raises(NotAllowed):
        services.add_imagery(actor=person(org, "looker", "viewer"), name="x", data=b"")
    with scope(organisation=org):
        assert queries.imageries() == []
