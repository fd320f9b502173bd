"""What is written down, and what it is written about."""
