"""Jobs: pieces of ground with the work to be done on them, and the sorties planned for it.

It knows nothing of days, chargers or who flies when.
"""
