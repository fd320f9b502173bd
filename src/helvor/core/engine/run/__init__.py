"""A run: what is written in it, its mass ledger, its findings."""
