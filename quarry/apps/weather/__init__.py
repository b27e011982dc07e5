"""Forecasts from the weather service, and what was measured or reported on the day."""
