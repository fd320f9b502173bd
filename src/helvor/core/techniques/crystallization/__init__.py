"""Recrystallization."""
