"""Limits: sheets of rules, the strictest of each, verdicts with reasons, hours in which it is a go, and preflight.

A no go is a result and never an error. Missing data is never a go.
"""
