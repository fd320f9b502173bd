"""Recrystallization: solubility, solvents, ceiling, melting ranges."""
