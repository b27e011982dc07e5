"""Simulated stand-ins that ship with the product: terrain and boundaries from seeds, and the demo.

Everything made here is marked as simulated and can be replaced by an address in the settings.
"""
