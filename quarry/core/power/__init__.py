"""Chargers and supplies: how long a charge takes, what it draws, what a supply can give.

It knows nothing of who flies when; `rotation` decides that.
"""
