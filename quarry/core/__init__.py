"""Every rule and number of the job, in plain Python.

No framework, no input or output, no clock and no chance that is not passed in. SI units inside,
the unit is in the name. Read the folders in this order: base, cells, packs, flight, ground, sorties, power,
rotation. It is not the place for storage, rights or texts of the screens.
"""
