"""One cell: chemistries and their volts, open-circuit voltage, resistance.

It knows nothing of packs in service; `packs` judges those.
"""
