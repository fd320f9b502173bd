"""The answer to a reading: first that it is in ink, then what follows from it.

Whoever wrote hears that it is written as soon as it is; a fault in working a page out, or a busy
hour, never stands between a reading and its ink. The page is asked for right after (``static/ink.js``),
and the summary that the board shows is written a moment later: whichever comes first, the page is worked
out once (:mod:`helvor.core.record.remembered`).
"""

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta

from fastapi import Request
from psycopg_pool import ConnectionPool
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool
from starlette.responses import RedirectResponse, Response

from helvor.core.record.entry import Entry
from helvor.notebook import pages
from helvor.notebook.page_rows import Page
from helvor.notebook.pages import Inked
from helvor.web.rendering import is_htmx, sent
from helvor.web.security import pool

LONG_BEHIND = timedelta(seconds=5)
"""A page that is still behind so long after its newest entry is nobody's job any more."""


def inked(request: Request, written: Inked, address: str, said: str, ink: Callable[[], str]) -> Response:
    """Say that it is written, and where the page with what follows from it is.

    Args:
        said: what a screen reader hears.
        ink: draws what can be shown of it at once; each part names its own place on the page.
    """
    after = _keeping_up(request, written.page, written.entries) if written.page.behind else None
    if not is_htmx(request):
        return RedirectResponse(address, status_code=303, background=after)
    events = {"helvor:inked": {"address": address, "said": said}, "helvor:written": {}}
    answer = sent(ink(), headers={"HX-Reswap": "none", "HX-Trigger": json.dumps(events)})
    answer.background = after
    return answer


def came_back(request: Request, written: Inked, address: str) -> Response:
    """Back at a page of the class where a reading was put right; what it shows of the page is right by then."""
    if written.page.behind:
        _keep_up_now(pool(request), written.page, written.entries)
    if not is_htmx(request):
        return RedirectResponse(address, status_code=303)
    return Response(headers={"HX-Redirect": address})


def left_behind(request: Request, page: Page, entries: Sequence[Entry]) -> BackgroundTask | None:
    """What is left to do for a page that is looked at, and that whoever wrote on it did not keep up."""
    if not page.behind or not entries or datetime.now(UTC) - entries[-1].at < LONG_BEHIND:
        return None
    return _keeping_up(request, page, entries)


def _keeping_up(request: Request, page: Page, entries: Sequence[Entry]) -> BackgroundTask:
    """What is left to do once the answer is out: the page's summary, for the board."""
    return BackgroundTask(_keep_up, request.app.state.settings.breath, pool(request), page, entries)


async def _keep_up(breath: float, connections: ConnectionPool, page: Page, entries: Sequence[Entry]) -> None:
    """Give the tablet that wrote the time to ask for its page: what is worked out for it need only be taken."""
    await asyncio.sleep(breath)
    await run_in_threadpool(_keep_up_now, connections, page, entries)


def _keep_up_now(connections: ConnectionPool, page: Page, entries: Sequence[Entry]) -> None:
    with connections.connection() as conn:
        pages.keep_up(conn, page, entries)
