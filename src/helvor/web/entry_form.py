"""The form of one entry, on every kind of page: what stands in it, and shown again with a sentence at each field."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from uuid import UUID, uuid4

from fastapi import Request
from pydantic import BaseModel
from starlette.responses import Response

from helvor.core.record.entry import Problem
from helvor.web.forms import FieldErrors, Form
from helvor.web.rendering import html, is_htmx


class AskedFor(BaseModel):
    """What a form is asked for with: the reading that it corrects, what it is about, and what to come back to.

    Attributes:
        key: root of the line to correct. lane: of a plate. step: of a run. name: of a portion or kit.
        code, about: a finding to go on with. view, spot: what is shown beside it.
        back: the page of the class that it was asked for from, and that comes again when it is written.
    """

    key: UUID | None = None
    lane: UUID | None = None
    step: str = ""
    name: str = ""
    code: str = ""
    about: str = ""
    view: str = ""
    spot: str = ""
    back: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Filled:
    """What stands in a form.

    Attributes:
        values: field → what is typed in it; errors: field → what to enter instead.
        entry: the id that the entry will have; strikes: the entry that it corrects; named: how that is called.
        at: the step of a run or the spot of a plate that it belongs to; view: what is shown beside it.
        back: the page of the class to come back to; else the page itself.
    """

    values: dict[str, list[str]] = field(default_factory=dict)
    errors: dict[str, str] = field(default_factory=dict)
    entry: UUID = field(default_factory=uuid4)
    strikes: UUID | None = None
    named: str = ""
    at: str = ""
    view: str = ""
    back: str = ""


def typed_again(form: Form, entry: UUID, at: str, trouble: FieldErrors | Problem) -> Filled:
    """The form with what was typed and a sentence at each field that cannot be taken; *at* names the field of its
    step or spot."""
    return Filled(
        values=dict(form.fields),
        errors=trouble.errors if isinstance(trouble, FieldErrors) else {trouble.field: str(trouble)},
        entry=entry,
        strikes=None if "strikes" in form.errors else form.id("strikes"),
        named=form.text("named"),
        at=form.text(at),
        view=form.text("view"),
        back=back_to(form.text("back")),
    )


def back_to(address: str) -> str:
    """*address* if it is one of a class's pages here, else nothing: a form never leads to another site."""
    return address if re.fullmatch(r"/classes/[0-9a-f-]{36}(/results)?(\?[^\s\\]*)?", address) else ""


def entry_of(form: Form) -> UUID:
    """The id that a form's entry will have.

    Raises:
        Problem: there is none; the form is from before an update, or made by hand.
    """
    entry = form.id("entry")
    if entry is None:
        raise Problem("entry", "This form is out of date. Reload the page; nothing was saved.")
    return entry


def show(
    request: Request, fragment: tuple[str, object], page: tuple[str, object], *, target: str = "", status: int = 200
) -> Response:
    """A form as a fragment, or as a page of its own where there are no scripts: each a template with its context.

    Args:
        target: where a refused form takes its place; *status* is 422 then.
    """
    if not is_htmx(request):
        return html(*page, status=status)
    headers = {"HX-Retarget": target, "HX-Reswap": "innerHTML"} if target else {}
    return html(*fragment, status=status, headers=headers)
