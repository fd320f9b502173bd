"""The pages of plates, of their photographs, and of a class's plates side by side."""
