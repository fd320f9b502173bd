"""Getting a class ready: what is made and put out, and whether the period is long enough."""
