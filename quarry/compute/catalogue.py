"""Importing this module fills the register."""

from quarry.compute import bench, packs, small
from quarry.compute.register import CALCULATORS, Calculator, compute

__all__ = ["CALCULATORS", "Calculator", "bench", "compute", "packs", "small"]
