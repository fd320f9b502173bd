"""Paper and thin-layer chromatography: Rf, eluents, fronts."""
