"""Column chromatography."""
