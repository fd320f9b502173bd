"""Planning: building a procedure, judging it before anybody starts, fitting it into the time."""
