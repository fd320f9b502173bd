"""One folder for everything about one technique."""
