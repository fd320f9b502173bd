"""Solid mixtures: subliming and dissolving."""
