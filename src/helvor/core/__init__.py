"""The heart: the rules and the arithmetic of the bench, in layers."""
