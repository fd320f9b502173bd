"""Filtration: papers, ways, washing, ovens."""
