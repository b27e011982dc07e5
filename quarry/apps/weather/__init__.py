"""Forecasts from the weather desk, and what was measured or reported on the day."""
