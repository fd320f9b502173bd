"""The people of an institution, invitations, one's own sessions, and what happened to accounts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated
from uuid import UUID
from zoneinfo import available_timezones

from fastapi import APIRouter, Form, Path, Request
from starlette.responses import RedirectResponse, Response

from helvor.core.record.entry import Problem
from helvor.notebook import accounts, classes, people
from helvor.notebook.accounts import Device
from helvor.notebook.classes import ClassRow
from helvor.notebook.people import Event, Invitation, Invited, Person
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html
from helvor.web.security import (
    FORM_COOKIE,
    SESSION_COOKIE,
    VisitorDep,
    WriterDep,
    check_form_token,
    form_token,
    pool,
    set_form_token,
    set_session,
)

router = APIRouter(include_in_schema=False)
PersonId = Annotated[int, Path(ge=1, le=2**62)]


@dataclass(frozen=True, slots=True, kw_only=True)
class PeoplePage(Shell):
    """``link`` is that of the invitation just made, ``reset`` a name and their link: they are shown this once."""

    sessions: list[Device]
    people: list[Person]
    invitations: list[Invitation]
    events: list[Event]
    classes: list[ClassRow]
    roles: dict[str, str]
    zones: list[str]
    link: str
    reset: tuple[str, str] | None
    changed: bool
    shortest: int
    values: dict[str, str]
    errors: dict[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class InvitationPage(Shell):
    """What whoever has the link sees; ``invited`` is None when it invites to nothing any more."""

    invited: Invited | None
    address: str
    token: str
    shortest: int
    name: str
    errors: dict[str, str]


def _show(
    request: Request,
    who: VisitorDep,
    *,
    link: str = "",
    reset: tuple[str, str] | None = None,
    changed: bool = False,
    values: dict[str, str] | None = None,
    errors: dict[str, str] | None = None,
) -> Response:
    mine = who.account.id
    heads = who.account.role == "instructor"
    with pool(request).connection() as conn:
        page = PeoplePage(
            visitor=who,
            place="today",
            sessions=accounts.sessions_of(conn, mine, request.cookies.get(SESSION_COOKIE, "")),
            people=people.people_of(conn, mine) if heads else [],
            invitations=people.invitations_of(conn, mine) if heads else [],
            events=people.events_of(conn, mine) if heads else [],
            classes=classes.classes_of(conn, mine),
            roles=people.ROLES,
            zones=sorted(zone for zone in available_timezones() if "/" in zone and not zone.startswith("Etc")),
            link=link,
            reset=reset,
            changed=changed,
            shortest=people.SHORTEST_PASSWORD,
            values=values or {},
            errors=errors or {},
        )
    return html("people.html", page, status=422 if errors else 200)


@dataclass(frozen=True, slots=True, kw_only=True)
class ResetPage(Shell):
    """Where a link for a new password leads; ``whose`` is None when it leads nowhere any more."""

    whose: tuple[str, str] | None
    address: str
    token: str
    shortest: int
    trouble: str


@router.get("/people")
@may(May.STAFF)
def people_page(request: Request, who: VisitorDep, changed: bool = False) -> Response:
    """One's own sessions; for an instructor the people of the institution too."""
    return _show(request, who, changed=changed)


@router.post("/people/password")
@may(May.STAFF)
def change_password(
    request: Request,
    who: WriterDep,
    old: Annotated[str, Form(max_length=400)] = "",
    new: Annotated[str, Form(max_length=400)] = "",
) -> Response:
    """Give oneself a new password."""
    if len(new) < people.SHORTEST_PASSWORD:
        return _show(
            request, who, errors={"new": f"Enter a password of {people.SHORTEST_PASSWORD} characters or more."}
        )
    here = request.cookies.get(SESSION_COOKIE, "")
    try:
        with pool(request).connection() as conn:
            right = accounts.change_password(conn, who.account.id, old, new, here)
    except accounts.TooManyAttempts as many:
        return _show(request, who, errors={"old": f"Too many wrong passwords: try again in {many.words}."})
    if not right:
        return _show(request, who, errors={"old": "The current password is wrong."})
    return RedirectResponse("/people?changed=true", status_code=303)


@router.post("/people/{person_id}/reset")
@may(May.INSTRUCTORS)
def make_reset_link(request: Request, person_id: PersonId, who: WriterDep) -> Response:
    """Make a link with which somebody who forgot their password chooses another, and show it this once."""
    with pool(request).connection() as conn:
        token = people.reset_link(conn, who.account.id, person_id)
        whose = people.resetting(conn, token)
    assert whose is not None  # it was just made
    return _show(request, who, reset=(whose[0], f"{request.base_url}reset/{token}"))


def _reset(request: Request, link: str, trouble: str = "", status: int = 200) -> Response:
    token = form_token(request)
    with pool(request).connection() as conn:
        whose = people.resetting(conn, link)
    page = ResetPage(
        visitor=None,
        place="",
        whose=whose,
        address=f"/reset/{link}",
        token=token,
        shortest=people.SHORTEST_PASSWORD,
        trouble=trouble,
    )
    response = html("reset.html", page, status=404 if whose is None else status)
    set_form_token(request, response, token)
    return response


@router.get("/reset/{link}")
@may(May.PUBLIC)
def reset_page(request: Request, link: Annotated[str, Path(max_length=60)]) -> Response:
    """Where a link for a new password leads."""
    return _reset(request, link)


@router.post("/reset/{link}")
@may(May.PUBLIC)
def reset(
    request: Request,
    link: Annotated[str, Path(max_length=60)],
    password: Annotated[str, Form(max_length=400)] = "",
    token: Annotated[str, Form(max_length=100)] = "",
) -> Response:
    """Set the password that was chosen; whoever it is signs in with it next."""
    check_form_token(request, token)
    try:
        with pool(request).connection() as conn:
            held = people.reset(conn, link, password, allow_demo=request.app.state.settings.loopback)
    except Problem as trouble:
        return _reset(request, link, str(trouble), 422)
    return RedirectResponse("/sign-in", status_code=303) if held else _reset(request, link)


@router.post("/people/invite")
@may(May.INSTRUCTORS)
def invite(
    request: Request,
    who: WriterDep,
    entry: Annotated[UUID, Form()],
    email: Annotated[str, Form(max_length=300)] = "",
    role: Annotated[str, Form(max_length=20)] = "assistant",
    classes: Annotated[list[UUID] | None, Form()] = None,
) -> Response:
    """Make an invitation and show its link, this once."""
    try:
        with pool(request).connection() as conn:
            token = people.invite(conn, who.account.id, entry, email, role, classes or [])
    except Problem as trouble:
        return _show(request, who, values={"email": email, "role": role}, errors={trouble.field: str(trouble)})
    return _show(request, who, link=f"{request.base_url}invitation/{token}")


@router.post("/people/invitations/{invitation_id}/withdraw")
@may(May.INSTRUCTORS)
def withdraw(request: Request, invitation_id: UUID, who: WriterDep) -> Response:
    """Close an invitation's link."""
    with pool(request).connection() as conn:
        people.withdraw(conn, who.account.id, invitation_id)
    return RedirectResponse("/people", status_code=303)


@router.post("/people/{person_id}/role")
@may(May.INSTRUCTORS)
def change_role(
    request: Request, person_id: PersonId, who: WriterDep, role: Annotated[str, Form(max_length=20)]
) -> Response:
    """Give somebody another role."""
    with pool(request).connection() as conn:
        people.set_role(conn, who.account.id, person_id, role)
    return RedirectResponse("/people", status_code=303)


@router.post("/people/{person_id}/classes")
@may(May.INSTRUCTORS)
def change_classes(
    request: Request, person_id: PersonId, who: WriterDep, classes: Annotated[list[UUID] | None, Form()] = None
) -> Response:
    """Say which of one's own classes somebody teaches."""
    with pool(request).connection() as conn:
        people.set_classes(conn, who.account.id, person_id, classes or [])
    return RedirectResponse("/people", status_code=303)


@router.post("/people/sessions/{session_id}/end")
@may(May.STAFF)
def end_session(request: Request, session_id: UUID, who: WriterDep) -> Response:
    """Sign one of one's own sessions out."""
    with pool(request).connection() as conn:
        accounts.end_session(conn, who.account.id, session_id)
    return RedirectResponse("/people", status_code=303)


@router.post("/people/institution")
@may(May.INSTRUCTORS)
def change_institution(
    request: Request,
    who: WriterDep,
    name: Annotated[str, Form(max_length=300)] = "",
    time_zone: Annotated[str, Form(max_length=60)] = "",
) -> Response:
    """Name the institution and its time zone."""
    try:
        with pool(request).connection() as conn:
            people.set_institution(conn, who.account.id, name, time_zone)
    except Problem as trouble:
        return _show(request, who, values={"name": name}, errors={trouble.field: str(trouble)})
    return RedirectResponse("/people", status_code=303)


def _invitation(
    request: Request, link: str, *, name: str = "", errors: dict[str, str] | None = None, status: int = 200
) -> Response:
    token = form_token(request)
    with pool(request).connection() as conn:
        invited = people.invited(conn, link)
    page = InvitationPage(
        visitor=None,
        place="",
        invited=invited,
        address=f"/invitation/{link}",
        token=token,
        shortest=people.SHORTEST_PASSWORD,
        name=name,
        errors=errors or {},
    )
    response = html("invitation.html", page, status=404 if invited is None else status)
    set_form_token(request, response, token)
    return response


@router.get("/invitation/{link}")
@may(May.PUBLIC)
def invitation_page(request: Request, link: Annotated[str, Path(max_length=60)]) -> Response:
    """Where an invitation's link leads."""
    return _invitation(request, link)


@router.post("/invitation/{link}")
@may(May.PUBLIC)
def accept(
    request: Request,
    link: Annotated[str, Path(max_length=60)],
    name: Annotated[str, Form(max_length=300)] = "",
    password: Annotated[str, Form(max_length=400)] = "",
    token: Annotated[str, Form(max_length=100)] = "",
) -> Response:
    """Make the account and sign in with it."""
    check_form_token(request, token)
    settings = request.app.state.settings
    device = request.headers.get("user-agent", "")
    try:
        with pool(request).connection() as conn:
            opened = people.accept(conn, link, name, password, device, allow_demo=settings.loopback)
    except Problem as trouble:
        return _invitation(request, link, name=name, errors={trouble.field: str(trouble)}, status=422)
    if opened is None:
        return _invitation(request, link)
    response = RedirectResponse("/", status_code=303)
    set_session(response, opened[0], opened[1].csrf, secure=settings.secure_cookies)
    response.delete_cookie(FORM_COOKIE)
    return response
