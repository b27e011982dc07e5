"""Organisations, people, rights, history. It knows nothing of aircraft or ground."""
