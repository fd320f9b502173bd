"""A meeting: its lab log, the plan front, what is left standing."""
