"""Practice: virtual work from the same models that planning uses, with a seed, so that it can be had again."""
