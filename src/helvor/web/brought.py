"""What the web shows of the techniques that a house brings itself."""

from __future__ import annotations

from importlib import import_module
from importlib.util import find_spec
from types import ModuleType

from helvor.core.techniques.registered import BROUGHT

BROUGHT_PAGES: tuple[ModuleType, ...] = tuple(
    import_module(f"{name}.page") for name in BROUGHT if find_spec(f"{name}.page") is not None
)
"""The modules ``page`` of their packages."""
