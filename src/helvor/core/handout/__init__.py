"""Reading a handout: from an instructor's own text to a procedure, each part beside the sentence that it came from."""
