"""How refusals look: a sentence on a page, a fragment for htmx, problem+json for scripts."""

from __future__ import annotations

import logging
import re
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from http import HTTPStatus
from typing import Any
from urllib.parse import quote
from uuid import uuid4

import psycopg
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from psycopg_pool import PoolTimeout
from pydantic import ValidationError
from pydantic_core import PydanticSerializationError
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse, RedirectResponse, Response

from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Problem
from helvor.notebook.accounts import TooManyAttempts
from helvor.notebook.apart import Busy
from helvor.notebook.page_errors import EntryIdTaken, NotWorkedOut, NotYours
from helvor.notebook.page_rows import CANNOT_BE_WORKED_OUT
from helvor.web.bodies import AGAIN
from helvor.web.rendering import Shell, html, is_htmx
from helvor.web.security import Forged, InstructorsOnly, SignInNeeded
from helvor.web.words import words_of

log = logging.getLogger(__name__)

NOT_HERE = "There is nothing here that you can open. It may belong to another class, or the address may be wrong."
SESSION_OVER = "Your session has ended. Sign in again in a new tab, then send again: what you typed is still here."
NOT_OURS = "This request did not come from Helvor, so nothing was saved. Reload the page and try again."
INSTRUCTORS_ONLY = "Only an instructor can do this. Nothing was saved."
ARCHIVED = "This class is archived, so nothing was saved. An instructor can reopen it on the class set-up page."
IN_ARCHIVE = "HV001"
"""What the database says when something is written in an archived class (0010_keep.sql)."""
BACK_IN = 5
"""Seconds after which it is worth asking again; a private server that died is started again within them."""
NO_DATABASE = (
    "The database is not answering, so nothing was saved; what you typed is still here. Send it again in a few seconds."
)
DROPPED = ("40001", "40P01", "57P01", "57P02", "08000", "08003", "08006")
"""Serialization failure, deadlock, and connections that were ended: the same once more may well go through."""
BUSY = "Many files are being uploaded, so this one was not saved. Send it again in a few seconds."
NO_CHARACTER = (
    "This contains a character that cannot be saved, such as half of a sign. Delete it and send again; "
    "nothing was saved."
)
NO_NUMBER = (
    "This cannot be calculated: one of the numbers is zero, far too small or far too large. "
    "Check each number and its unit."
)
TAKEN = "This entry's id was used for something else, so nothing was saved. Send it with a new id."


@dataclass(frozen=True, slots=True, kw_only=True)
class RefusedPage(Shell):
    """``way`` leads on from here: an address and its words."""

    title: str
    sentence: str
    way: tuple[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class SentBeforePage(Shell):
    """An id that came twice with other words: both texts, and the form once more as an entry of its own.

    Attributes:
        fields: what the form carried, with a fresh id; empty where it cannot be sent again from here.
        address: where it goes.
        back: the page that it is written on.
    """

    written: str
    sent: str
    fields: list[tuple[str, str]]
    address: str
    back: str
    csrf: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SaidHere:
    """A sentence that htmx puts into the page's message line; nothing else is replaced."""

    sentence: str
    sign_in: bool


_ENTER: tuple[tuple[re.Pattern[str], str], ...] = tuple(
    (re.compile(said), enter)
    for said, enter in (
        (r"Input should be greater than or equal to (\S+)", r"Enter \1 or more."),
        (r"Input should be greater than (\S+)", r"Enter a value above \1."),
        (r"Input should be less than or equal to (\S+)", r"Enter \1 or less."),
        (r"Input should be less than (\S+)", r"Enter a value below \1."),
        (r"(?:Field required|String should have at least 1 character)", "Enter a value."),
        (r"String should have at least (\d+) characters", r"Enter at least \1 characters."),
        (r"String should have at most (\d+) characters?", r"Enter at most \1 characters."),
        (r"String should match pattern .*", "Enter it in the form shown."),
        (r"\w+ should have at (least|most) (\d+) items?.*", r"Enter at \1 \2."),
        (r"Input should be a valid integer.*", "Enter a whole number, such as 3."),
        (r"Input should be a (?:valid|finite) (?:number|decimal).*", "Enter a number, such as 12.5."),
        (r"Input should be a valid UUID.*", "This form is out of date. Reload the page."),
        (r"Input should be a valid (?:date|datetime|time).*", "Enter a date, such as 2026-12-01."),
        (r"Input should be a valid string.*", "Enter text."),
        (r"Input should be ('.*)", r"Choose \1."),
    )
)
"""What the models' library says of a value, and what to enter instead."""


def sentence_of(message: str) -> str:
    """A validation message as a sentence that says what to enter.

    >>> sentence_of("Input should be greater than 0"), sentence_of("Value error, Enter a mass above 0 g.")
    ('Enter a value above 0.', 'Enter a mass above 0 g.')
    """
    for said, enter in _ENTER:
        match = said.fullmatch(message)
        if match:
            return match.expand(enter)
    return message.removeprefix("Value error, ")


def refuse(
    request: Request,
    status: int,
    title: str,
    sentence: str,
    *,
    sign_in: bool = False,
    way: tuple[str, str] = ("/", "Go to Today"),
) -> Response:
    """Say no in the form that the asker reads."""
    if request.url.path.startswith("/api/"):
        return problem(status, title, sentence)
    if is_htmx(request):
        return html(
            "said_here.html",
            SaidHere(sentence=sentence, sign_in=sign_in),
            status=status,
            headers={"HX-Retarget": "#said", "HX-Reswap": "innerHTML"},
        )
    page = RefusedPage(visitor=None, place="", title=title, sentence=sentence, way=way)
    return html("refused.html", page, status=status)


def problem(
    status: int, title: str, detail: str, errors: list[dict[str, str]] | None = None, **more: object
) -> JSONResponse:
    """An RFC 9457 problem document; *more* are members of its own."""
    body: dict[str, object] = {"type": "about:blank", "title": title, "status": status, "detail": detail}
    if errors:
        body["errors"] = errors
    body |= more
    return JSONResponse(body, status_code=status, media_type="application/problem+json")


async def _sent_before(request: Request, taken: EntryIdTaken) -> Response:
    """An id that came twice with other words: both are said, and which of them is in ink."""
    if not taken.before or taken.sent is None or taken.page is None:
        return refuse(request, 409, "Id taken", TAKEN)
    known, page = taken.before[-1], taken.page
    written, sent = (words_of(page.technique_key, one, taken.before) for one in (known.payload, taken.sent))
    sentence = f"This was sent before with different content. Saved: “{written}”. Not saved: “{sent}”."
    if request.url.path.startswith("/api/"):
        plain = {"id": str(known.id), "by": known.by, "at": known.at.isoformat()}
        return problem(
            409,
            "Sent before",
            sentence,
            written=plain | {"says": known.payload.model_dump(mode="json"), "words": written},
            sent={"says": taken.sent.model_dump(mode="json"), "words": sent},
        )
    if is_htmx(request):
        return refuse(request, 409, "Sent before", sentence + " Send it again to save this one too.")
    form = await request.form()
    fields = [(name, value) for name, value in form.multi_items() if isinstance(value, str) and name != "csrf"]
    whole = len(fields) + 1 >= len(form.multi_items())  # a file is not sent again from here
    again = [(name, str(uuid4()) if name == "entry" else value) for name, value in fields] if whole else []
    shown = SentBeforePage(
        visitor=None,
        place="",
        written=written,
        sent=sent,
        fields=again,
        address=request.url.path,
        back=page.address,
        csrf=str(form.get("csrf", "")),
    )
    return html("sent_before.html", shown, status=409)


def _sign_in(request: Request, _: SignInNeeded) -> Response:
    if request.method == "GET" and not is_htmx(request) and not request.url.path.startswith("/api/"):
        after = quote(request.url.path + ("?" + request.url.query if request.url.query else ""))
        return RedirectResponse(f"/sign-in?after={after}", status_code=303)
    return refuse(request, 401, "Sign in", SESSION_OVER, sign_in=True)


def _forged(request: Request, _: Forged) -> Response:
    return refuse(request, 403, "Request refused", NOT_OURS)


def _database(request: Request, trouble: psycopg.DatabaseError) -> Response:
    if trouble.sqlstate == IN_ARCHIVE:
        return refuse(request, 409, "Archived", ARCHIVED)
    if isinstance(trouble, psycopg.DataError):
        log.warning("Not kept: %s", trouble)
        return refuse(request, 422, "Could not be saved", NO_CHARACTER)
    raise trouble


def _no_database(request: Request, trouble: psycopg.OperationalError) -> Response:
    """It is down, full, too slow, or two writers stood in each other's way: whoever asked may ask again."""
    if trouble.sqlstate == IN_ARCHIVE:  # our own code is of a class that the driver counts among these
        return refuse(request, 409, "Archived", ARCHIVED)
    log.warning("The database does not answer: %s", trouble)
    # Connections of before may all be dead; those that are go now, not one with each request.
    request.app.state.pool.check()
    answer = refuse(request, 503, "Try again soon", NO_DATABASE)
    answer.headers["Retry-After"] = str(BACK_IN)
    if trouble.sqlstate in DROPPED or (trouble.sqlstate is None and not isinstance(trouble, PoolTimeout)):
        answer.headers[AGAIN] = "1"
    return answer


def _not_yours(request: Request, _: NotYours) -> Response:
    return refuse(request, 404, "Page not found", NOT_HERE)


def _not_worked_out(request: Request, fault: NotWorkedOut) -> Response:
    log.exception(str(fault), exc_info=fault.__cause__)
    history = f"{fault.page.address}/history"
    return refuse(request, 500, "Results cannot be calculated", CANNOT_BE_WORKED_OUT, way=(history, "Open its history"))


def _instructors_only(request: Request, _: InstructorsOnly) -> Response:
    return refuse(request, 403, "Instructors only", INSTRUCTORS_ONLY)


def _busy(request: Request, _: Busy) -> Response:
    answer = refuse(request, 503, "Try again soon", BUSY)
    answer.headers["Retry-After"] = str(BACK_IN)
    return answer


def _too_many(request: Request, many: TooManyAttempts) -> Response:
    answer = refuse(request, 429, "Too many attempts", f"Try again in {many.words}.")
    answer.headers["Retry-After"] = str(many.wait)
    return answer


def _problem(request: Request, trouble: Problem) -> Response:
    if request.url.path.startswith("/api/"):
        return problem(422, "Could not be saved", str(trouble), [{"field": trouble.field, "detail": str(trouble)}])
    return refuse(request, 422, "Could not be saved", str(trouble))


def _no_number(request: Request, trouble: ArithmeticError) -> Response:
    """Zero, or a number out of reach: what a rule did not foresee is said, and left in the log to be foreseen."""
    log.warning("Cannot be calculated: %s %s", request.url.path, trouble, exc_info=trouble)
    return refuse(request, 422, "Cannot be calculated", NO_NUMBER)


def _no_character(request: Request, trouble: UnicodeEncodeError | PydanticSerializationError) -> Response:
    if "surrogates" not in str(trouble):
        raise trouble
    return refuse(request, 422, "Could not be saved", NO_CHARACTER)


def _unreadable(request: Request, trouble: Unreadable) -> Response:
    return refuse(request, 422, "Could not be read", str(trouble))


def _invalid(request: Request, trouble: RequestValidationError | ValidationError) -> Response:
    errors = [
        {"field": ".".join(str(part) for part in error["loc"]), "detail": sentence_of(error["msg"])}
        for error in list(trouble.errors())[:20]
    ]
    if request.url.path.startswith("/api/"):
        return problem(422, "Could not be read", errors[0]["detail"], errors)
    if any(field["field"].startswith("path.") for field in errors):
        return refuse(request, 404, "Page not found", NOT_HERE)
    return refuse(request, 422, "Could not be read", errors[0]["detail"])


def _http(request: Request, trouble: HTTPException) -> Response:
    title = HTTPStatus(trouble.status_code).phrase
    sentence = NOT_HERE if trouble.status_code == 404 else f"{trouble.detail}."
    return refuse(request, trouble.status_code, title, sentence)


_Handler = Callable[[Request, Any], Response | Awaitable[Response]]

HANDLERS: dict[type[Exception], _Handler] = {
    EntryIdTaken: _sent_before,
    SignInNeeded: _sign_in,
    Forged: _forged,
    psycopg.DatabaseError: _database,
    psycopg.OperationalError: _no_database,
    NotYours: _not_yours,
    NotWorkedOut: _not_worked_out,
    InstructorsOnly: _instructors_only,
    Busy: _busy,
    TooManyAttempts: _too_many,
    Problem: _problem,
    ArithmeticError: _no_number,
    UnicodeEncodeError: _no_character,
    PydanticSerializationError: _no_character,
    Unreadable: _unreadable,
    RequestValidationError: _invalid,
    ValidationError: _invalid,
    HTTPException: _http,
}
"""Trouble → how it is answered."""


def install(app: FastAPI) -> None:
    """Register how each refusal is answered."""
    for trouble, handler in HANDLERS.items():
        app.add_exception_handler(trouble, handler)
