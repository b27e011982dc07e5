"""What every subject of the core stands on: units, sources, errors, the working of a number.

It knows nothing of aircraft, ground or packs.
"""
