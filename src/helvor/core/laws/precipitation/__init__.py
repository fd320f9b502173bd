"""Precipitation: reactions, solubility, solutions, gravimetry."""
