"""Extraction on a run's page: funnel, pH, drying agent, reflux."""
