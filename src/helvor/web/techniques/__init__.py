"""What each technique shows: its drawings and forms."""
