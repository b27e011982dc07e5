"""Who flies, who charges, when: the rotation of packs over ports through a day.

The dispatcher answers at once. An optimiser may replace its answer later through `Improver`.
"""
