"""Liquid–liquid extraction and work-up."""
