"""What comes from outside, read defensively: forecasts of the desk, tables of readings."""
