"""The air: density, damp, wind with height, sun, and weather reports read.

It knows nothing of aircraft or packs.
"""
