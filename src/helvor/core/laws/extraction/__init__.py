"""Extraction: layers, distribution, acids and bases, drying, reflux."""
