"""Cutting a route into sorties that packs can fly: fewest first, then least time.

It joins ground and flight. It knows nothing of chargers or of who flies which pack when.
"""
