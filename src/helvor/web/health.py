"""Whether it lives and whether it can serve, for whoever watches over it; no secret, nothing of anybody's."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, JSONResponse

from helvor.notebook.migrate import is_current
from helvor.web.may import May, may
from helvor.web.rendering import STATIC
from helvor.web.security import pool

router = APIRouter(include_in_schema=False)

PATIENCE = 2.0
"""Seconds that the database has to answer."""


@router.get("/health")
@may(May.PUBLIC)
async def health() -> dict[str, bool]:
    """The process answers."""
    return {"alive": True}


@router.get("/worker.js")
@may(May.PUBLIC)
async def worker() -> FileResponse:
    """The script that opens a bench's pages without a connection; it stands at the root, for all of them are its."""
    return FileResponse(STATIC / "worker.js", media_type="text/javascript", headers={"Cache-Control": "no-cache"})


@router.get("/ready")
@may(May.PUBLIC)
def ready(request: Request) -> JSONResponse:
    """The database answers and its tables are those of this version; 503 by the usual refusal where it does not."""
    with pool(request).connection(timeout=PATIENCE) as conn:
        current = is_current(conn)
    return JSONResponse({"database": True, "current": current}, status_code=200 if current else 503)
