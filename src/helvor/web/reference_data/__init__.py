"""The shelf on the web."""
