"""The register of calculators and the command line.

Each calculation of use by itself is registered once with a typed input; it then stands at
``POST /api/compute/<name>`` and at ``quarry compute <name>``. No database is needed.
"""
