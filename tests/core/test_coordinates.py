"""Places as people write them, against the projection library and published references."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyproj import Transformer

from quarry.core.ground.coordinates import BadPlace, read_place

LAT, LON = st.floats(-79.5, 83.5), st.floats(-179.99, 179.99)


def _near(found, lon, lat, metres=1.5):
    across = (found.lon_deg - lon) * 111_320 * math.cos(math.radians(lat))
    assert math.hypot(across, (found.lat_deg - lat) * 111_320) < metres


def _dms(value, sides, spread):
    side, value = sides[value < 0], abs(value)
    total = round(value * 3600, 3)
    d, rest = divmod(total, 3600)
    m, s = divmod(rest, 60)
    return spread.format(d=int(d), m=int(m), s=s, dm=rest / 60, side=side)


@given(LAT, LON, st.sampled_from([", ", " ", "; ", "\t", " / "]))
def test_plain_degrees_latitude_first(lat, lon, gap):
    _near(read_place(f"{lat:.6f}{gap}{lon:.6f}"), lon, lat)


@given(LAT, LON)
def test_degrees_with_a_decimal_comma(lat, lon):
    _near(read_place(f"{lat:.6f} {lon:.6f}".replace(".", ",")), lon, lat)


@given(
    LAT,
    LON,
    st.sampled_from(
        [
            "{d}°{m}'{s:.3f}\" {side}",
            "{side} {d} {m} {s:.3f}",
            "{d} {m} {s:.3f} {side}",
            "{side}{d}°{dm:.5f}'",
            "{d} {dm:.5f}{side}",
        ]
    ),
    st.sampled_from([" ", ", ", "  "]),
    st.booleans(),
)
def test_degrees_minutes_and_seconds_in_either_order(lat, lon, form, gap, turned):
    parts = [_dms(lat, "NS", form), _dms(lon, "EW", form)]
    _near(read_place(gap.join(reversed(parts) if turned else parts)), lon, lat)


def _zone(lon):
    return min(60, int((lon + 180) // 6) + 1)


@given(LAT, LON)
def test_utm_and_grid_references_come_back_to_where_the_projection_library_puts_them(lat, lon):
    lat = math.copysign(max(abs(lat), 1e-4), lat)
    zone = _zone(lon)
    band = "CDEFGHJKLMNPQRSTUVWX"[min(19, int((lat + 80) // 8))]
    east, north = Transformer.from_crs(4326, (32600 if lat >= 0 else 32700) + zone, always_xy=True).transform(lon, lat)
    found = read_place(f"{zone}{band} {east:.1f} {north:.1f}")
    assert found.form == "UTM"
    _near(found, lon, lat)
    column = ["STUVWXYZ", "ABCDEFGH", "JKLMNPQR"][zone % 3][int(east // 100_000) - 1]
    rows = "ABCDEFGHJKLMNPQRSTUV"
    row = rows[(int(north // 100_000) + (0 if zone % 2 else 5)) % 20]
    digits = f"{int(east % 100_000):05d} {int(north % 100_000):05d}"
    for text in (f"{zone}{band} {column}{row} {digits}", f"{zone:02d}{band}{column}{row}{digits.replace(' ', '')}"):
        found = read_place(text)
        assert found.form == "grid reference"
        _near(found, lon, lat, 2.5)


def test_a_published_grid_reference():
    """The Washington Monument by the United States National Grid (FGDC-STD-011-2001); its degrees from memory."""
    found = read_place("18S UJ 2348 0647")
    _near(found, -77.03524, 38.88947, 15)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("55 75 N 4 18 W", "go to 60"),
        ("-55 N 4 W", "a sign or a letter"),
        ("55 N 4 N", "Two latitudes"),
        ("46 12 N", "Only one of the two"),
        ("91, 4", "Latitude goes to 90"),
        ("4, 181", "longitude to 180"),
        ("hello", "no place that can be read"),
        ("55.1", "no place that can be read"),
        ("30U VG 1612 09456", "as many digits"),
        ("30U AA 16123 09456", "Check the letters"),
        ("61U 416123 6109456", "from 1 to 60"),
        ("", "no place"),
    ],
)
def test_what_is_no_place_says_what_to_write(text, words):
    with pytest.raises(BadPlace) as refused:
        read_place(text)
    assert words in refused.value.message
    assert refused.value.field == "text"


@given(st.text(max_size=60))
def test_any_text_is_a_place_on_earth_or_refused(text):
    try:
        found = read_place(text)
    except BadPlace:
        return
    assert -90 <= found.lat_deg <= 90
    assert -180 <= found.lon_deg <= 180


def test_the_letter_for_south_is_never_taken_for_seconds():
    assert read_place("33 55 30 S 18 25 0 E").lat_deg == pytest.approx(-33.925)
