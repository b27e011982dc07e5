"""Limits of organisation, aircraft, work and job; the weather window of a day; preflight lists with verdict and override."""
