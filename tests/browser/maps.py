"""Where places lie on a map that is open in a browser."""

from __future__ import annotations

import math


def mercator(place):
    """Web Mercator, the map's own plane."""
    lon, lat = math.radians(place[0]), math.radians(place[1])
    return 6_378_137.0 * lon, 6_378_137.0 * math.log(math.tan(math.pi / 4 + lat / 2))


def view(page):
    """The middle of the map on its plane and the metres of a point, as last drawn."""
    shown = page.get_by_test_id("map")
    x, y = (float(v) for v in shown.get_attribute("data-centre").split())
    return x, y, float(shown.get_attribute("data-resolution"))


def pixel(page, place):
    """Where a place lies on the screen."""
    box = page.get_by_test_id("map").bounding_box()
    x0, y0, metres = view(page)
    x, y = mercator(place)
    return box["x"] + box["width"] / 2 + (x - x0) / metres, box["y"] + box["height"] / 2 - (y - y0) / metres
