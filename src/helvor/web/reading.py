"""What a reading line says of a typed reading, on every kind of page."""

from __future__ import annotations

from dataclasses import dataclass

from starlette.responses import Response

from helvor.core.engine.run.names import NotSure
from helvor.web.rendering import html


@dataclass(frozen=True, slots=True, kw_only=True)
class UnderstoodShown:
    """
    Attributes:
        says: what was understood; trouble: why nothing was.
        offered: words that could come next, after *stem*; answers: whole lines that may be meant.
        hint: what can be typed, shown while nothing is.
    """

    says: str = ""
    trouble: str = ""
    offered: list[str]
    stem: str = ""
    answers: tuple[str, ...] = ()
    hint: str = ""


def refused(trouble: Exception) -> Response:
    """A typed reading that was not written: the sentence under the line, what was typed still in it."""
    headers = {"HX-Retarget": "#understood", "HX-Reswap": "innerHTML"}
    answers = trouble.lines if isinstance(trouble, NotSure) else ()
    shown = UnderstoodShown(trouble=str(trouble), offered=[], answers=answers)
    return html("understood.html", shown, status=422, headers=headers)
