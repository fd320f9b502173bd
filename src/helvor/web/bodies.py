"""What comes in with a request: how much, how fast and from whom, before anything is made of it.

Body 1. Whoever is not signed in has at most 64 kB held for them; what is large is read only once that is known.
Body 2. A body that stops coming, or trickles, is given up.
Body 3. What is large lies in a temporary file, and few of them are worked on at once.
Body 4. A request that the database dropped in the middle (a deadlock, a connection that died) is made once more, if
        making it twice writes nothing twice: it reads, or it carries an entry's id.
"""

from __future__ import annotations

import asyncio
import re
import tempfile
import time
from typing import IO

from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import Request
from starlette.responses import PlainTextResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from helvor.notebook import accounts
from helvor.web.security import FORM_IN_SCOPE, SESSION_COOKIE

MAX_UNKNOWN_BODY = 64 * 1024
"""Of who is not signed in: forms of sign-in and join, and questions to the calculators."""
MAX_BODY = 256 * 1024
MAX_FILE_BODY = 13 * 1024 * 1024
"""What may come where files are kept: a photograph of 12 MB and the form around it."""
MAX_IMPORT_BODY = 60 * 1024 * 1024
"""The same where whole classes come in, with their photographs."""

IN_MEMORY = 512 * 1024
LARGE_AT_ONCE = 2
STILL_SECONDS = 15.0
"""How long nothing may come before a body is given up."""
SLOWEST = 4 * 1024
"""Bytes a second that a body comes with on the worst of connections, after the first :data:`STILL_SECONDS`."""

AGAIN = "X-Helvor-Again"
"""An answer so headed never goes out: the request behind it is made once more (Body 4)."""
_CARRIES_AN_ENTRY = re.compile(rb'(?:^|&)entry=|name="entry"|"id"\s*:|"entry"\s*:')


def most_of(path: str, *, known: bool) -> int:
    """Bytes that a body may have, by where it goes and whether somebody is signed in."""
    if not known:
        return MAX_UNKNOWN_BODY
    if path.endswith("/import/files"):
        return MAX_IMPORT_BODY
    return MAX_FILE_BODY if path.endswith("/files") else MAX_BODY


def size_words(limit: int) -> str:
    return f"{limit // 1024} kB" if limit < 1024 * 1024 else f"{limit // (1024 * 1024)} MB"


class _Refused(Exception):
    def __init__(self, status: int, sentence: str) -> None:
        super().__init__(sentence)
        self.status = status


class _Left(Exception):
    """Whoever sent it is gone."""


class Bodies:
    """ASGI middleware for Body 1 to 4."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app
        self._large = asyncio.Semaphore(LARGE_AT_ONCE)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        if scope["method"] in ("GET", "HEAD"):
            await self._answer(scope, receive, send, None)
            return
        with tempfile.SpooledTemporaryFile(max_size=IN_MEMORY) as held:
            try:
                size = await self._take(scope, receive, held)
            except _Left:
                return
            except _Refused as refused:
                headers = {"Connection": "close"}  # what is still to come is not read
                await PlainTextResponse(str(refused), refused.status, headers)(scope, receive, send)
                return
            if size <= IN_MEMORY:
                await self._answer(scope, receive, send, held)
                return
            async with self._large:
                await self._answer(scope, receive, send, held)

    async def _take(self, scope: Scope, receive: Receive, held: IO[bytes]) -> int:
        """Put the body into a file, bounded; its size."""
        headers, path = Headers(scope=scope), scope["path"]
        said = headers.get("content-length", "0")
        known = False

        async def bounded(size: int) -> None:
            nonlocal known
            if size > MAX_UNKNOWN_BODY and not known:
                known = await self._somebody(scope)
            most = most_of(path, known=known)
            if size > most:
                raise _Refused(
                    413,
                    f"The limit is {size_words(most)}"
                    f"{'' if known else ' if you are not signed in'}. Nothing was saved.",
                )

        if not (said.isascii() and said.isdecimal() and len(said) < 16):
            raise _Refused(400, "This request does not state its length. Nothing was saved.")
        await bounded(int(said))
        size, began = 0, time.monotonic()
        while True:
            try:
                message = await asyncio.wait_for(receive(), STILL_SECONDS)
            except TimeoutError:
                raise _Refused(408, "The upload stopped, so nothing was saved. Send it again.") from None
            if message["type"] == "http.disconnect":
                raise _Left
            part = message.get("body", b"")
            size += len(part)
            # A chunked body has no length to look at beforehand, so it is counted as it comes.
            await bounded(size)
            held.write(part)
            if not message.get("more_body", False):
                held.seek(0)
                return size
            if time.monotonic() - began > STILL_SECONDS + size / SLOWEST:
                raise _Refused(
                    408,
                    "The connection is too slow, so nothing was saved. Send it again from a place with a better "
                    "connection.",
                )

    async def _somebody(self, scope: Scope) -> bool:
        token = Request(scope).cookies.get(SESSION_COOKIE)
        if not token:
            return False
        if accounts.vouched_for(token) is not None:
            return True
        pool = scope["app"].state.pool

        def look_up() -> bool:
            with pool.connection() as conn:
                return accounts.session_of(conn, token) is not None

        try:
            return await run_in_threadpool(look_up)
        except accounts.NO_ANSWER as trouble:
            raise _Refused(503, "The database is not answering, so nothing was saved. Send it again.") from trouble

    async def _answer(self, scope: Scope, receive: Receive, send: Send, held: IO[bytes] | None) -> None:
        """Make the request, and once more where the database dropped it."""
        for last in (False, True):
            own = dict(scope)
            try:
                if not await self._made(own, receive, send, held, last=last):
                    return
            finally:
                form = own.get(FORM_IN_SCOPE)
                if form is not None:
                    await form.close()

    async def _made(self, scope: Scope, receive: Receive, send: Send, held: IO[bytes] | None, *, last: bool) -> bool:
        """Make the request; whether it is to be made again, and nothing went out."""
        again = ended = False
        if held is not None:
            held.seek(0)

        async def receive_held() -> Message:
            nonlocal ended
            if held is None or ended:
                return await receive()
            part = held.read(IN_MEMORY)
            more = len(part) == IN_MEMORY
            ended = not more
            return {"type": "http.request", "body": part, "more_body": more}

        async def send_or_again(message: Message) -> None:
            nonlocal again
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                if AGAIN in headers:
                    del headers[AGAIN]
                    again = not last and self._twice_is_once(scope, held)
            if not again:
                await send(message)

        await self.app(scope, receive_held, send_or_again)
        return again

    @staticmethod
    def _twice_is_once(scope: Scope, held: IO[bytes] | None) -> bool:
        if held is None:
            return True
        held.seek(0)
        return _CARRIES_AN_ENTRY.search(held.read(IN_MEMORY)) is not None
