"""Filtration on a run's page: its forms and instruments."""
