"""Sums before and beside the work: equations, solutions, solubility, contents, filters, washes, folds."""
