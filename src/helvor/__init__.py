"""Helvor: planner, bench notebook and calculator for a class that runs separations."""

__version__ = "0.1.0"
