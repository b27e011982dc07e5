"""What comes from outside, read defensively: forecasts of the service, tables of readings."""
