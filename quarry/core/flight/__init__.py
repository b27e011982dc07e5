"""Moving through the air: the wind triangle, the time of a leg, the energy an aircraft spends.

First form: constant power for an aircraft and its load. It knows nothing of fields or packs.
"""
