"""Addresses that places had before: bookmarks, printed codes and scripts still find them."""

from __future__ import annotations

import re

from starlette.responses import RedirectResponse
from starlette.types import ASGIApp, Receive, Scope, Send

MOVED: tuple[tuple[re.Pattern[str], str], ...] = tuple(
    (re.compile(old), new)
    for old, new in (
        (r"/plan/rules", "/house-rules"),
        (r"/plan/procedures", "/procedures"),
        (r"/plan((?:/import/files)?)", r"/procedures\1"),
        (r"/reckon((?:/.*)?)", r"/calculators\1"),
        (r"/shelf((?:/.*)?)", r"/reference-data\1"),
        (r"(/classes/[^/]+)/review((?:\.csv)?)", r"\1/results\2"),
        (r"(/classes/[^/]+)/day", r"\1/log"),
    )
)
"""What an address was, whole, and what it is now."""


def moved_to(path: str) -> str | None:
    """Where an old address leads now; None for one that never moved.

    >>> moved_to("/reckon/yield"), moved_to("/shelf/substance.csv"), moved_to("/api/planar/rf")
    ('/calculators/yield', '/reference-data/substance.csv', None)
    """
    for old, new in MOVED:
        match = old.fullmatch(path)
        if match:
            return match.expand(new)
    return None


class OldAddresses:
    """ASGI middleware: an old address is answered with the new one; 308 keeps what a form sends."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        there = moved_to(scope["path"]) if scope["type"] == "http" else None
        if there is None:
            await self.app(scope, receive, send)
            return
        query = scope["query_string"].decode("latin-1")
        await RedirectResponse(f"{there}?{query}" if query else there, status_code=308)(scope, receive, send)
