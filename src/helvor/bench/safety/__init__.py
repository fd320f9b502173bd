"""What can hurt somebody: what is known of substances, and the rules that are held against a plan and a run."""
