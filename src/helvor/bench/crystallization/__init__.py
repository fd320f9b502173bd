"""Recrystallization: solvents, solubility, the plan and its ceiling, cooling, crops, melting ranges."""
