"""Review: what a class found, what it answered, and what goes out of it."""
