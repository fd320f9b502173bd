"""Who is asking, and is it really them.

Every write needs a session, a token that only our own pages know, and an Origin that is
ours. The token also travels in a readable cookie, so that a page left open over a new
sign-in can go on with what was typed in it.
"""

from __future__ import annotations

import hmac
import re
import secrets
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Annotated
from urllib.parse import urlsplit

from fastapi import Depends, Request
from psycopg_pool import ConnectionPool
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import MutableHeaders
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from helvor.core.record.entry import Typed, typed_on_device
from helvor.notebook import accounts
from helvor.notebook.accounts import Account, Session
from helvor.notebook.page_errors import NotYours
from helvor.web.house_words import set_house_words
from helvor.web.may import declared

SESSION_COOKIE = "helvor_session"
CSRF_COOKIE = "helvor_csrf"
FORM_COOKIE = "helvor_form"
FORM_IN_SCOPE = "helvor.form"
"""Where a form that was read for its token waits to be closed, with the files that came in it."""

HEADERS = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
        "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(self), microphone=(), geolocation=()",
    # A device drops what it kept only on an answer of ours: any network can say 200.
    "X-Helvor": "1",
}
HSTS = "max-age=31536000"


class SignInNeeded(Exception):
    """There is no session, or it has ended."""


class InstructorsOnly(Exception):
    """Something of the class that an assistant asks for, and an instructor decides."""


class Forged(Exception):
    """A write that did not come from one of our pages."""


@dataclass(frozen=True, slots=True)
class Visitor:
    """Somebody signed in.

    Attributes:
        csrf: goes into every form.
        typed: of a write that a device kept for a while: when it was typed.
        kept: the device kept it, however short, and sends it by itself: nobody is there to be asked.
    """

    account: Account
    csrf: str
    typed: Typed | None = None
    kept: bool = False


def pool(request: Request) -> ConnectionPool:
    found: ConnectionPool = request.app.state.pool
    return found


def _look_up(connections: ConnectionPool, token: str) -> Session | None:
    with connections.connection() as conn:
        return accounts.session_of(conn, token)


async def visitor(request: Request) -> Visitor:
    """The signed-in person; for a write, only if the request comes from our own page.

    Raises:
        SignInNeeded: nobody is signed in, or the session has ended.
        Forged: a write without our token, or from another origin.
    """
    token = request.cookies.get(SESSION_COOKIE)
    session = None
    if token:
        session = accounts.vouched_for(token) or await run_in_threadpool(_look_up, pool(request), token)
    if session is None or (session.account.is_demo and not request.app.state.settings.loopback):
        raise SignInNeeded
    who = declared(request.scope["endpoint"])
    if who is None or not who.role(session.account.role):
        # To a tablet the rest of the house is not there; an assistant is told whom to ask.
        raise NotYours if session.account.role == "bench" else InstructorsOnly
    set_house_words(session.account.words)
    return Visitor(session.account, session.csrf)


async def writer(request: Request, who: Annotated[Visitor, Depends(visitor)]) -> Visitor:
    """The signed-in person, about to write."""
    check_origin(request)
    given = request.headers.get("x-csrf-token") or ""
    if not given and request.headers.get("content-type", "").startswith(
        ("application/x-www-form-urlencoded", "multipart/form-data")
    ):
        form = await request.form()
        request.scope[FORM_IN_SCOPE] = form
        given = str(form.get("csrf", ""))
    if not hmac.compare_digest(given.encode(), who.csrf.encode()):
        raise Forged
    return replace(who, typed=_typed(request), kept="x-typed-at" in request.headers)


def _typed(request: Request) -> Typed | None:
    """When a device that kept this says that it was typed: ``X-Typed-At`` and ``X-Device-Time``, its milliseconds."""
    typed, sent = (request.headers.get(name, "") for name in ("x-typed-at", "x-device-time"))
    if not (_MILLISECONDS.fullmatch(typed) and _MILLISECONDS.fullmatch(sent)):
        return None
    return typed_on_device(datetime.now(UTC), *(datetime.fromtimestamp(int(one) / 1000, UTC) for one in (typed, sent)))


_MILLISECONDS = re.compile(r"[0-9]{1,14}")


def address_of(request: Request) -> str:
    """Where a request comes from: the other end of the connection, or whom a proxy of ours names.

    A proxy puts the address that it saw at the end of ``X-Forwarded-For``; what stands before that anybody may have
    written there.
    """
    proxies = request.app.state.settings.proxies
    address = request.client.host if request.client else ""
    for named in reversed(request.headers.get("x-forwarded-for", "").split(",")):
        if address not in proxies or not named.strip():
            break
        address = named.strip()
    return address[:60]


def check_origin(request: Request) -> None:
    """Refuse a write that a page of another site sent."""
    origin = request.headers.get("origin")
    if origin is not None and urlsplit(origin).netloc != request.headers.get("host"):
        raise Forged
    if request.headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        raise Forged


def set_session(response: Response, token: str, csrf: str, *, secure: bool) -> None:
    life = int(accounts.SESSION_LIFE.total_seconds())
    response.set_cookie(SESSION_COOKIE, token, max_age=life, httponly=True, samesite="lax", secure=secure)
    response.set_cookie(CSRF_COOKIE, csrf, max_age=life, httponly=False, samesite="strict", secure=secure)


def clear_session(response: Response) -> None:
    response.delete_cookie(SESSION_COOKIE)
    response.delete_cookie(CSRF_COOKIE)


def set_form_token(request: Request, response: Response, token: str) -> None:
    """Keep the token of a form that is there before a session is."""
    secure = request.app.state.settings.secure_cookies
    response.set_cookie(FORM_COOKIE, token, httponly=True, samesite="strict", secure=secure)


def check_form_token(request: Request, token: str) -> None:
    """Refuse such a form when it did not come from our own page.

    Raises:
        Forged: it came from elsewhere, or without the token that it was given.
    """
    check_origin(request)
    if not hmac.compare_digest(token.encode(), request.cookies.get(FORM_COOKIE, "-").encode()):
        raise Forged


def form_token(request: Request) -> str:
    """A token for the sign-in form, where there is no session yet; kept in a cookie."""
    return request.cookies.get(FORM_COOKIE) or secrets.token_urlsafe(24)


WriterDep = Annotated[Visitor, Depends(writer)]
VisitorDep = Annotated[Visitor, Depends(visitor)]


class Hardening:
    """ASGI middleware: security headers on every answer."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        https = scope["app"].state.settings.secure_cookies
        if https:
            scope["scheme"] = "https"  # what a page says of its own address

        async def send_hardened(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                if https:
                    headers.setdefault("Strict-Transport-Security", HSTS)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
                if "cache-control" not in headers:
                    headers["Cache-Control"] = "no-store"
            await send(message)

        await self.app(scope, receive, send_hardened)
