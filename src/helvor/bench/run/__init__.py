"""A bench at work: what is written down while a procedure is carried out, and what follows from it."""
