"""What the organisation owns: models and items of aircraft, packs, chargers, supplies, and cameras.

It knows nothing of jobs or days.
"""
