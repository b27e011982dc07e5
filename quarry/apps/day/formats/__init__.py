"""A day's plan in open formats: a sheet for the windscreen, a calendar, tables."""
