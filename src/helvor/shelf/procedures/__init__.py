"""The procedures that ship: the demo's classes follow them, and practice runs rehearse them."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

from helvor.core.record.procedure import Procedure, read_procedure


@cache
def shipped_procedure(name: str) -> Procedure:
    """A procedure by the name of its file, such as ``a-mixed-powder``.

    Raises:
        FileNotFoundError: none of that name ships.
    """
    return read_procedure((files(__name__) / f"{name}.json").read_text(encoding="utf-8"))
