"""Mixtures of solids: sublimation found by loss, dissolving and decanting, evaporating what was dissolved."""
