"""What was covered in open formats: GeoTIFF, GeoJSON, PDF."""
