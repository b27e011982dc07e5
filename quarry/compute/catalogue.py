"""Importing this module fills the register."""

from quarry.compute import air, bench, nozzles, packs, small
from quarry.compute.register import CALCULATORS, Calculator, compute

__all__ = ["CALCULATORS", "Calculator", "air", "bench", "compute", "nozzles", "packs", "small"]
