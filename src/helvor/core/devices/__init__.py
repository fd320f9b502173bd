"""Instruments on a bench: the line in which they speak, what of it may be written down, and how made-up ones behave."""
