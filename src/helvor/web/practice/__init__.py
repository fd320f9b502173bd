"""Practice: virtual work on the models that planning uses."""
