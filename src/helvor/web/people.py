"""Sign-in and sign-out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated
from urllib.parse import urlsplit

from fastapi import APIRouter, Form, Request
from starlette.responses import RedirectResponse, Response

from helvor.notebook import accounts
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html
from helvor.web.security import (
    FORM_COOKIE,
    SESSION_COOKIE,
    WriterDep,
    address_of,
    check_form_token,
    clear_session,
    form_token,
    pool,
    set_form_token,
    set_session,
)

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class SignInPage(Shell):
    token: str
    after: str
    email: str
    trouble: str


def _page(request: Request, after: str, email: str = "", trouble: str = "", status: int = 200) -> Response:
    token = form_token(request)
    page = SignInPage(visitor=None, place="", token=token, after=after, email=email, trouble=trouble)
    response = html("sign_in.html", page, status=status)
    set_form_token(request, response, token)
    return response


def _own_path(after: str) -> str:
    """Only a path of ours, so that a link cannot send a fresh sign-in elsewhere."""
    parts = urlsplit(after)
    fine = not parts.scheme and not parts.netloc and after.startswith("/") and not after.startswith(("//", "/\\"))
    return after if fine else "/"


@router.get("/sign-in")
@may(May.PUBLIC)
def sign_in_page(request: Request, after: str = "/") -> Response:
    return _page(request, _own_path(after))


@router.post("/sign-in")
@may(May.PUBLIC)
def sign_in(
    request: Request,
    email: Annotated[str, Form(max_length=400)] = "",
    password: Annotated[str, Form(max_length=400)] = "",
    token: Annotated[str, Form(max_length=100)] = "",
    after: Annotated[str, Form(max_length=500)] = "/",
) -> Response:
    check_form_token(request, token)
    settings = request.app.state.settings
    address = address_of(request)
    try:
        with pool(request).connection() as conn:
            device = request.headers.get("user-agent", "")
            opened = accounts.sign_in(conn, email, password, address, allow_demo=settings.loopback, device=device)
    except accounts.TooManyAttempts as many:
        says = f"Too many wrong attempts. Try again in {many.words}."
        return _page(request, _own_path(after), email, says, 429)
    if opened is None:
        return _page(request, _own_path(after), email, "E-mail or password is wrong.", 422)
    response = RedirectResponse(_own_path(after), status_code=303)
    set_session(response, opened[0], opened[1].csrf, secure=settings.secure_cookies)
    response.delete_cookie(FORM_COOKIE)
    return response


@router.post("/sign-out")
@may(May.ANYBODY)
def sign_out(request: Request, who: WriterDep) -> Response:
    with pool(request).connection() as conn:
        accounts.sign_out(conn, request.cookies.get(SESSION_COOKIE, ""))
    response = RedirectResponse("/sign-in", status_code=303)
    clear_session(response)
    return response
