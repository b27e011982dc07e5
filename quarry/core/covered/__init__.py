"""What was truly covered: tracks, strips and footprints laid over the ground, counted on a raster, gaps with their cause."""
