"""The class board, live: a stream of events that says when something was written anywhere in the class.

Each open board asks the database twice a second how much is written; it so hears of what any
application process wrote, and there is nothing to register and nothing to lose.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request
from starlette.concurrency import run_in_threadpool
from starlette.responses import StreamingResponse

from helvor.notebook import classes
from helvor.notebook.page_errors import NotYours
from helvor.web.may import May, may
from helvor.web.security import VisitorDep, pool

router = APIRouter(include_in_schema=False)
EVERY_SECONDS = 0.5
LONGEST_SECONDS = 240
"""A stream ends after this; the browser opens the next by itself, and is asked again who it is."""


@router.get("/classes/{class_id}/live")
@may(May.STAFF)
async def live(
    request: Request, class_id: UUID, who: VisitorDep, most: Annotated[int, Query(ge=0, le=100)] = 0
) -> StreamingResponse:
    """Events whose data is what the board's ``data-seen`` would be now; *most* ends the stream after so many."""

    def look() -> str | None:
        with pool(request).connection() as conn:
            return classes.state_of(conn, who.account.id, class_id)

    first = await run_in_threadpool(look)
    if first is None:
        raise NotYours

    async def events() -> AsyncIterator[str]:
        seen, sent = "", 0
        now: str | None = first
        end = asyncio.get_running_loop().time() + LONGEST_SECONDS
        while now is not None:
            if now != seen:
                seen, sent = now, sent + 1
                yield f"data: {now}\n\n"
            closing = getattr(request.app.state, "closing", None)
            over = asyncio.get_running_loop().time() > end or (closing is not None and closing())
            if over or sent == most or await request.is_disconnected():
                return
            await asyncio.sleep(EVERY_SECONDS)
            now = await run_in_threadpool(look)

    return StreamingResponse(events(), media_type="text/event-stream", headers={"Cache-Control": "no-store"})
