"""Limits of organisation, aircraft, work and job; the gate of a day; preflight lists with verdict and override."""
