"""Pictures and files of a run: in, and out again."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import quote
from uuid import UUID

from fastapi import APIRouter, File, Request, UploadFile
from fastapi import Form as Field
from starlette.responses import RedirectResponse, Response

from helvor.core.engine.run.entries import Attached
from helvor.core.record.entry import Problem
from helvor.notebook import files, pages
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import html
from helvor.web.run.shown import RunPage, Seen, only_run, sheet_of, work_of
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)


@router.post("/runs/{page_id}/files")
@may(May.BENCH)
def attach(
    request: Request,
    page_id: UUID,
    who: WriterDep,
    entry: Annotated[UUID, Field()],
    file: Annotated[UploadFile, File()],
    step: Annotated[str, Field(max_length=24)] = "",
    words: Annotated[str, Field(max_length=120)] = "",
) -> Response:
    """Keep a picture or file beside a step."""
    try:
        made = files.make(file.filename or "file", file.file.read(files.MAX_BYTES + 1))
    except Problem as trouble:
        return _said_beside_the_field(request, who, page_id, step, words, trouble)
    says = Attached(file=entry, name=made.name, media=made.media, words=words, step=step)
    with pool(request).connection() as conn, conn.transaction():
        try:
            files.keep(conn, who.account.id, page_id, entry, made)
        except Problem as trouble:
            return _said_beside_the_field(request, who, page_id, step, words, trouble)
        pages.append(
            conn, who.account.id, who.account.name, page_id, lambda _: [pages.Draft(entry, says)], typed=who.typed
        )
    return RedirectResponse(f"/runs/{page_id}?view=notes&step={quote(step)}", status_code=303)


def _said_beside_the_field(
    request: Request, who: Visitor, page_id: UUID, step: str, words: str, trouble: Problem
) -> Response:
    """The run's notes and files again, with the sentence at the field and the words still there."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        row, meeting = shell_of_class(conn, who, only_run(page).class_id)
    seen = Seen("notes", step, who.csrf, file_trouble=str(trouble), file_words=words)
    work = work_of(page, sheet_of(page, entries), seen)
    shown = RunPage(visitor=who, place="bench", class_row=row, meeting=meeting, **work)
    return html("run/run.html", shown, status=422)


@router.get("/runs/{page_id}/files/{file_id}")
@may(May.BENCH)
def show(request: Request, page_id: UUID, file_id: UUID, who: VisitorDep, small: bool = False) -> Response:
    """A file as it is kept: a picture is shown, anything else is saved and never run."""
    with pool(request).connection() as conn:
        kept = files.read(conn, who.account.id, page_id, file_id, small=small)
    how = "inline" if kept.media.startswith("image/") else "attachment"
    headers = {
        "Content-Disposition": f"{how}; filename*=UTF-8''{quote(kept.name)}",
        "Content-Security-Policy": "default-src 'none'; sandbox",
        "Cache-Control": "private, max-age=86400",
    }
    return Response(kept.content, media_type=kept.media, headers=headers)
