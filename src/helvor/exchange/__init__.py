"""Open formats, out of Helvor (and, later, in)."""
