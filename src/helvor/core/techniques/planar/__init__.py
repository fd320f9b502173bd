"""Paper and thin-layer plates."""
