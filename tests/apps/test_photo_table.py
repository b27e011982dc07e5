"""Tables of photo positions in the habits of many hands."""

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quarry.apps.flown.formats.photo_table import PhotoTableError, read_photo_table

ROWS = [("P1.JPG", "2031-05-06T09:41:02Z", 55.1201, -4.3102, 431.5), ("P2.JPG", "2031-05-06T09:41:04Z", 55.1203, -4.3105, 431.9)]


def table(head, rows, separator=","):
    return "\n".join([head, *[separator.join(str(v) for v in r) for r in rows]]).encode()


@pytest.mark.parametrize(
    "head",
    [
        "name,time,latitude,longitude,altitude",
        "Image,DateTime,Lat,Lon,Alt",
        "#file,timestamp,lat_deg,lon_deg,altitude msl",
        "photo name,utc,Y,X,Z",
    ],
)
def test_headers_of_many_hands(head):
    found = read_photo_table(table(head, ROWS))
    assert found.names == ["P1.JPG", "P2.JPG"]
    assert found.lat == [55.1201, 55.1203]
    assert found.lon == [-4.3102, -4.3105]
    assert found.at[1] - found.at[0] == 2.0
    assert found.clock == "utc"


def test_decimal_commas_and_day_before_month():
    text = "Bild;Datum Zeit;Breite;Länge;Höhe\nB1;06.05.2031 09:41:02;55,1201;-4,3102;80,5\nB2;06.05.2031 09:41:04.5;55,1203;-4,3105;80,7"
    found = read_photo_table(text.encode())
    assert found.lat == [55.1201, 55.1203]
    assert found.relative_m == [80.5, 80.7]
    assert found.clock == "local"
    assert found.at[1] - found.at[0] == 2.5


def test_how_the_camera_looked_is_taken_with_it():
    found = read_photo_table(
        b"image\ttime\tlat\tlon\tyaw\tpitch\troll\na\t1935999662\t1\t2\t90\t-88\t1\nb\t1935999664\t1\t2\t91\t-87\t2"
    )
    assert (found.heading_deg, found.pitch_deg, found.roll_deg) == ([90, 91], [-88, -87], [1, 2])
    assert found.at == [1935999662, 1935999664]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "holds no photo"),
        (b"name,lat,lon", "holds no photo"),
        (b"name,easting,northing\na,1,2", "longitude and latitude"),
    ],
)
def test_what_is_no_table_of_positions_says_what_to_do(data, words):
    with pytest.raises(PhotoTableError, match=words) as bad:
        read_photo_table(data)
    assert bad.value.field == "file"


@settings(max_examples=150)
@given(st.integers(0, 10**6), st.binary(max_size=300))
def test_mutated_tables_are_read_or_refused(seed, noise):
    rng = random.Random(seed)
    data = bytearray(table("name,time,latitude,longitude,altitude", ROWS))
    for _ in range(rng.randint(0, 6)):
        at = rng.randrange(len(data))
        data[at : at + rng.randint(0, 5)] = noise[: rng.randint(0, 20)]
    try:
        found = read_photo_table(bytes(data))
    except PhotoTableError:
        return
    assert found.uneven() == ""
