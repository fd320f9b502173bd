"""Getting a class ready for a meeting."""
