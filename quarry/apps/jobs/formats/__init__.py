"""Open formats for outlines and routes: GeoJSON, KML and KMZ, read defensively and written plainly."""
