"""A meeting in the room: when it runs, what is said to all benches, what happens, what is put away."""
