"""What can hurt somebody: rules held against a plan and a run."""
