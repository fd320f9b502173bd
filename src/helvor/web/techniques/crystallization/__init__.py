"""Crystals on a run's page: the flask on its solubility curve, cooling, melting ranges."""
