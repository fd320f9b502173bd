"""Filtration and decanting."""
