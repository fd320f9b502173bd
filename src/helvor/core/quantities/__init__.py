"""Readings, units, uncertainty, formulas, robust statistics."""
