"""Gentle Quarry: from a piece of ground and a box of packs to a flown day.

Layers, top to bottom: project (settings), api (HTTP), compute and simulators, apps (storage and
rights), core (every rule and number). ARCHITECTURE.md tells the whole in one page.
"""

__version__ = "0.1.0"
