"""Liquid–liquid extraction and work-up: layers, distribution, acid and base, drying, reflux."""
