"""The pages on which a class is got ready."""
