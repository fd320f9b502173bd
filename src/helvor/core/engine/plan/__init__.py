"""A procedure: edited, checked, fitted to a period."""
