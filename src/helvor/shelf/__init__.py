"""Reference data, every value with its source, and what reads it."""
