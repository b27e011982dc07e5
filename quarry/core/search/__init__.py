"""Searching: where the missing may be, how surely one looks, which ground next, and what each report changes.

Probabilities are shares of one: those of all segments and of the rest of the world sum to one at all times.
"""
