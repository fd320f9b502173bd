"""What a class found."""
