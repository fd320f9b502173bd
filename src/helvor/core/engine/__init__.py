"""A procedure and a run of it, whatever the technique."""
