"""A bench's run on the web: its step, its balance, its mass record, its files."""
