"""Column chromatography: sizing a column from what a plate shows."""
