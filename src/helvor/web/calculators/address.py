"""Where a calculator of the core answers as JSON."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple


class Route(NamedTuple):
    """How a calculator is asked: by which method, at which address, under which heading of the documentation."""

    method: str
    path: str
    tag: str
    calculator: Callable[..., Any]
