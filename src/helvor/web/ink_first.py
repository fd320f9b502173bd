"""The answer to a reading: first that it is in ink, then what follows from it.

Whoever wrote hears that it is written as soon as it is; a fault in working a page out, or a busy
hour, never stands between a reading and its ink. The page is asked for right after (``static/ink.js``)
while this process works it out already: whichever comes first, it is done once
(:mod:`helvor.bench.remembered`).
"""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence

from fastapi import Request
from psycopg_pool import ConnectionPool
from starlette.background import BackgroundTask
from starlette.responses import RedirectResponse, Response

from helvor.bench.entry import Entry
from helvor.notebook import pages
from helvor.notebook.pages import Inked, Page
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.rendering import is_htmx, sent
from helvor.web.security import pool


def inked(request: Request, written: Inked, address: str, said: str, ink: Callable[[], str]) -> Response:
    """Say that it is written, and where the page with what follows from it is.

    Args:
        said: what a screen reader hears.
        ink: draws what can be shown of it at once; each part names its own place on the page.
    """
    after = keeping_up(request, written.page, written.entries)
    if not is_htmx(request):
        return RedirectResponse(address, status_code=303, background=after)
    events = {"helvor:inked": {"address": address, "said": said}, "helvor:written": {}}
    answer = sent(ink(), headers={"HX-Reswap": "none", "HX-Trigger": json.dumps(events)})
    answer.background = after
    return answer


def keeping_up(request: Request, page: Page, entries: Sequence[Entry]) -> BackgroundTask | None:
    """What is left to do once the answer is out: the page's summary for the board, where it is behind."""
    if not page.behind:
        return None
    return BackgroundTask(_keep_up, pool(request), page, entries)


def _keep_up(connections: ConnectionPool, page: Page, entries: Sequence[Entry]) -> None:
    with connections.connection() as conn:
        pages.keep_up(conn, page, entries, eluotropic_rank())
