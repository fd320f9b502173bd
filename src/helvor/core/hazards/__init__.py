"""What is known of substances that can hurt."""
