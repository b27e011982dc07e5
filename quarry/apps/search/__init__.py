"""Searches: where the missing may be, what was searched, which ground next."""
