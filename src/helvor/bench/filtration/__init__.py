"""Filtration and decanting: choosing, setting up, running, washing, drying what was collected."""
