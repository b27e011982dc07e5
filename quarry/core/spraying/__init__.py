"""Spraying: rate, dose, nozzles and their flow, catches and patterns, what is kept clear by the wind."""
