"""Joining by code: the code on the board, the tablet's page, who joined, sending one away."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated
from uuid import UUID

import segno
from fastapi import APIRouter, Form, Request
from markupsafe import Markup
from starlette.responses import RedirectResponse, Response

from helvor.core.record.entry import Problem
from helvor.notebook import joining
from helvor.notebook.accounts import TooManyAttempts
from helvor.notebook.joining import AnotherBench, Code, Door, Joined
from helvor.notebook.page_errors import NotYours
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, html
from helvor.web.security import (
    FORM_COOKIE,
    SESSION_COOKIE,
    VisitorDep,
    WriterDep,
    address_of,
    check_form_token,
    form_token,
    pool,
    set_form_token,
    set_session,
)

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class JoinPage(Shell):
    token: str
    code: str
    number: str
    trouble: str
    another: AnotherBench | None


@dataclass(frozen=True, slots=True, kw_only=True)
class JoiningPage(Shell):
    """The instructor's side: the code with its picture, and who is in."""

    code: Code | None
    picture: Markup
    address: str
    joined: list[Joined]
    doors: list[Door]
    csrf: str


@router.get("/join")
@may(May.PUBLIC)
def join_page(request: Request, code: str = "") -> Response:
    """Where a tablet goes: by the picture with the code filled in, else by typing both."""
    return _join_again(request, code[:20], "", "")


def _join_again(
    request: Request, code: str, number: str, trouble: str, status: int = 200, another: AnotherBench | None = None
) -> Response:
    token = form_token(request)
    page = JoinPage(visitor=None, place="", token=token, code=code, number=number, trouble=trouble, another=another)
    response = html("join.html", page, status=status)
    set_form_token(request, response, token)
    return response


@router.post("/join")
@may(May.PUBLIC)
def join(
    request: Request,
    code: Annotated[str, Form(max_length=40)] = "",
    number: Annotated[str, Form(max_length=10)] = "",
    token: Annotated[str, Form(max_length=100)] = "",
    sure: Annotated[str, Form(max_length=5)] = "",
) -> Response:
    """Join a bench; a tablet that works at another is asked first."""
    check_form_token(request, token)
    settings = request.app.state.settings
    if not (number.strip().isascii() and number.strip().isdecimal() and len(number.strip()) < 4):
        return _join_again(request, code, number, "Enter your bench number, such as 7.", 422)
    device = request.headers.get("user-agent", "")
    address = address_of(request)
    try:
        with pool(request).connection() as conn:
            opened = joining.join(
                conn,
                code,
                int(number),
                device,
                address,
                allow_demo=settings.loopback,
                leaving=request.cookies.get(SESSION_COOKIE, ""),
                sure=sure == "yes",
            )
    except AnotherBench as another:
        return _join_again(request, code, number, "", 409, another)
    except Problem as trouble:
        return _join_again(request, code, number, str(trouble), 422)
    except TooManyAttempts as many:
        return _join_again(request, code, number, f"Too many wrong codes. Try again in {many.words}.", 429)
    if opened is None:
        says = (
            "The code has expired or the class has no bench with this number. Check the board, or ask for a new code."
        )
        return _join_again(request, code, number, says, 422)
    response = RedirectResponse("/", status_code=303)
    set_session(response, opened[0], opened[1].csrf, secure=settings.secure_cookies)
    response.delete_cookie(FORM_COOKIE)
    return response


@router.get("/classes/{class_id}/joining")
@may(May.STAFF)
def joining_page(request: Request, class_id: UUID, who: VisitorDep) -> Response:
    """The code for the board, and the tablets that are in."""
    with pool(request).connection() as conn:
        code = joining.code_of(conn, who.account.id, class_id)
        inside = joining.joined(conn, who.account.id, class_id)
        doors = joining.doors(conn, who.account.id, class_id)
        row, meeting = shell_of_class(conn, who, class_id)
    address = f"{request.base_url}join"
    picture = Markup()
    if code is not None:
        drawn = segno.make(f"{address}?code={code.code}", error="m").svg_inline(border=2, omitsize=True)
        picture = Markup(drawn)  # noqa: S704  drawn by the library from our own address
    page = JoiningPage(
        visitor=who,
        place="bench",
        class_row=row,
        meeting=meeting,
        code=code,
        picture=picture,
        address=address,
        joined=inside,
        doors=doors,
        csrf=who.csrf,
    )
    return html("joining.html", page)


@router.post("/classes/{class_id}/joining/{what}")
@may(May.STAFF)
def change_joining(
    request: Request,
    class_id: UUID,
    what: str,
    who: WriterDep,
    session: Annotated[UUID | None, Form()] = None,
    bench: Annotated[int, Form(ge=0, le=999)] = 0,
) -> Response:
    """Open a fresh code or close it, give benches codes of their own, lock one, send a tablet away or move it."""
    with pool(request).connection() as conn:
        if what == "open":
            joining.open_code(conn, who.account.id, class_id)
        elif what == "close":
            joining.close_code(conn, who.account.id, class_id)
        elif what == "away" and session is not None:
            joining.send_away(conn, who.account.id, class_id, session)
        elif what == "move" and session is not None:
            joining.move(conn, who.account.id, class_id, session, bench)
        elif what in ("own-codes", "one-code"):
            joining.give_codes(conn, who.account.id, class_id, own=what == "own-codes")
        elif what in ("lock", "unlock"):
            joining.lock(conn, who.account.id, class_id, bench, locked=what == "lock")
        else:
            raise NotYours
    return RedirectResponse(f"/classes/{class_id}/joining", status_code=303)
