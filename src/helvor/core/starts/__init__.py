"""What one is about to do: a few questions, and a procedure that works to its end."""
