"""A class: prep, meetings, numbered unknowns."""
