"""Precipitation and gravimetry."""
