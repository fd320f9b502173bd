"""A run: its page, its forms, what is written on it, what goes out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Annotated
from uuid import UUID, uuid4, uuid5

import psycopg
from fastapi import APIRouter, Query, Request
from fastapi import Form as Field
from pydantic import BaseModel
from starlette.responses import RedirectResponse, Response

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.as_procedure import as_procedure
from helvor.core.engine.run.reading_line import complete, read_line
from helvor.core.engine.run.record import Run, gather
from helvor.core.engine.run.work_out import RunWorksheet
from helvor.core.quantities.measured import shown, shown_with_u
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Entry, Line, Problem, before, find, line_up_to
from helvor.core.record.procedure import same
from helvor.core.record.typed_line import MOST_IN_A_LINE, NotSure, ids_from
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.exchange.run import ledger_table, reading_table, run_record, weighing_table
from helvor.notebook import classes, containers, pages, procedures
from helvor.notebook.file_space import nearly_full
from helvor.notebook.page_errors import NotYours
from helvor.notebook.page_rows import Page
from helvor.notebook.pages import Inked
from helvor.web.entry_form import AskedFor, Filled, back_to, entry_of, show, typed_again
from helvor.web.forms import FieldErrors, Form, SubmittedDep, values_of
from helvor.web.history import history_page, readings_page
from helvor.web.house_words import line_as_typed_here
from helvor.web.ink_first import came_back, inked, left_behind
from helvor.web.may import May, may
from helvor.web.places import shell_of_class
from helvor.web.reading import UnderstoodShown, drafts_of, refused, typist, typist_of, what_it_says
from helvor.web.rendering import html, is_htmx, render
from helvor.web.run import forms
from helvor.web.run.around import around
from helvor.web.run.on_page import TECHNIQUE_READERS, craft_values, technique_fields
from helvor.web.run.scheme import Scheme, draw_scheme
from helvor.web.run.shown import (
    CORRECTED,
    PICKS,
    TITLES,
    VIEWS,
    NetShown,
    RunFormFragment,
    RunFormPage,
    RunFormShown,
    RunPage,
    RunWork,
    Seen,
    ink_of,
    only_run,
    sheet_of,
    work_of,
)
from helvor.web.run.substances import with_their_substances
from helvor.web.run.words import StepNames, describe
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)

HINT = "e.g. dish 3 salt 33.120 · ? for all commands"


@router.get("/runs/{page_id}")
@may(May.BENCH)
def run_page(
    request: Request, page_id: UUID, who: VisitorDep, view: str = "", step: str = "", line: str = ""
) -> Response:
    """The run; ``line`` stands in its reading line, as after *Weigh it now*."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        only_run(page)
        plates, registered = _plates(conn, who.account.id, page), _registered(conn, who.account.id, page)
        row, meeting = (None, None) if is_htmx(request) else shell_of_class(conn, who, page.class_id)
        full = nearly_full(conn, page_id) if view == "notes" else ""
    seen = Seen(view, step, who.csrf, plates=plates, registered=registered, file_room=full, line=line[:60])
    work = work_of(page, sheet_of(page, entries), seen)
    if is_htmx(request):
        answer = html("run/work.html", RunWork(**work))
    else:
        answer = html("run/run.html", RunPage(visitor=who, place="bench", class_row=row, meeting=meeting, **work))
    answer.background = left_behind(request, page, entries)
    return answer


def _registered(conn: psycopg.Connection, account_id: int, page: Page) -> dict[str, str]:
    """Tares in the class's register, by label in lower case."""
    kept = containers.containers_of(conn, account_id, page.class_id) if page.class_id else []
    return {one.now.label.casefold(): one.now.tare.mass.number for one in kept if one.now.tare is not None}


def _plates(conn: psycopg.Connection, account_id: int, page: Page) -> list[classes.PageOnBoard]:
    bench = classes.open_bench(conn, account_id, page.bench_id)
    return [on_board for on_board in bench.pages if on_board.technique == "planar"] if bench else []


def _form(page: Page, run: Run, kind: str, csrf: str, filled: Filled) -> RunFormShown:
    return RunFormShown(
        page=page,
        kind=kind,
        title=TITLES.get(kind, "Entry"),
        values=filled.values,
        errors=filled.errors,
        run=run,
        entry=filled.entry,
        strikes=filled.strikes,
        sisters=forms.sisters(run, filled.strikes) if kind == "weighed" else [],
        step=filled.at,
        view=filled.view,
        back=filled.back,
        about=filled.named,
        csrf=csrf,
        states=e.STATES,
        picks=PICKS,
        kinds=[(kind.key, kind.title) for kind in STEP_KINDS.values()],
        technique=technique_fields(kind, filled.values, filled.errors),
    )


@router.get("/runs/{page_id}/edit/{kind}")
@may(May.BENCH)
def edit(request: Request, page_id: UUID, kind: str, who: VisitorDep, asked: Annotated[AskedFor, Query()]) -> Response:
    """A form: empty for something new, filled with what stands for a correction."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        only_run(page)
    if kind not in TITLES:
        raise NotYours
    if kind == "acknowledged":
        filled = _going_on(sheet_of(page, entries), asked)
    elif asked.key is not None:
        filled = _correcting(gather(entries), entries, kind, asked)
    else:
        filled = Filled(values=_fresh(gather(entries), kind, asked), at=asked.step, view=asked.view)
    return _show(request, who, page, _form(page, gather(entries), kind, who.csrf, filled))


def _going_on(sheet: RunWorksheet, asked: AskedFor) -> Filled:
    """Going on after a stop."""
    found = next((f for f in sheet.findings if (f.code, f.about) == (asked.code, asked.about)), None)
    if found is None:
        raise NotYours
    values = {"code": [found.code], "about": [found.about], "what": [found.what]}
    return Filled(values=values, named=found.what, at=asked.step, view=asked.view)


def _correcting(run: Run, entries: Sequence[Entry], kind: str, asked: AskedFor) -> Filled:
    """What stands, to be corrected or taken back."""
    line = next((line for line in run.lines if line.root.id == asked.key and line.stands), None)
    if line is None:
        raise NotYours
    said = line.head.payload
    values: dict[str, list[str]] = _named(asked)
    if kind not in ("struck", "timer-stopped"):
        values = {**values_of(said), **forms.values_of_run(said), **craft_values(said)}
    if kind == "weighed" and asked.name:
        values["portion"] = [asked.name]
    named = describe(line.head, StepNames(entries))
    back = back_to(asked.back)
    return Filled(values=values, strikes=line.head.id, named=named, at=asked.step, view=asked.view, back=back)


def _named(asked: AskedFor) -> dict[str, list[str]]:
    """What a form is about, in whichever of its fields that stands."""
    name = [asked.name]
    return {"step": [asked.step], "portion": name, "substance": name, "name": name, "kit": name}


def _fresh(run: Run, kind: str, asked: AskedFor) -> dict[str, list[str]]:
    """What stands in a form for something new."""
    if kind == "handout-corrected":
        words = run.procedure.step(asked.step)
        if words is None:
            raise NotYours
        return _named(asked) | {"says": [words.says]}
    if kind == "weighed":
        return _named(asked) | {"state": ["empty"], "way": ["gross"]}
    if kind == "step-added":
        return forms.values_of_new_step(run, asked.name)
    if kind == "portion-said":
        return values_of(run.procedure.portion(asked.name or "portion"))
    return _named(asked)


def _show(request: Request, who: Visitor, page: Page, form: RunFormShown, *, status: int = 200) -> Response:
    """A form of a run, in the panel or on a page of its own."""
    with pool(request).connection() as conn:
        row, meeting = shell_of_class(conn, who, page.class_id)
    whole = RunFormPage(visitor=who, place="bench", class_row=row, meeting=meeting, form=form)
    target = "#panel-body" if status == 422 else ""
    fragment = ("run/form.html", RunFormFragment(form=form))
    return show(request, fragment, ("run/form_page.html", whole), target=target, status=status)


@router.post("/runs/{page_id}/entries")
@may(May.BENCH)
def write(request: Request, page_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Write what a form says."""
    # What a device kept and sends by itself cannot be asked about a slip: its findings will say it.
    form = Form(fields | {"sure": ["yes"]} if who.kept else fields)
    kind, entry = form.text("kind"), entry_of(form)

    def compose(entries: list[Entry]) -> list[pages.Draft]:
        run = gather(before(entries, entry))
        draft = forms.draft_from(kind, form, entry, run, bottles, TECHNIQUE_READERS)
        return with_their_substances(run, forms.with_sisters(draft, form, run))

    bottles = _bottles(request, who, page_id) if form.text("bottle") else {}
    try:
        written = _write(request, who, page_id, compose)
    except (FieldErrors, Problem) as trouble:
        filled = typed_again(Form({"way": ["gross"]} | fields), entry, "step", trouble)
        with pool(request).connection() as conn:
            page, entries = pages.open_page(conn, who.account.id, page_id)
        return _show(request, who, page, _form(page, gather(entries), kind, who.csrf, filled), status=422)
    if back := back_to(form.text("back")):
        return came_back(request, written, back)
    return _answer(request, written, entry, form.text("view"), _next(form))


def _bottles(request: Request, who: VisitorDep, page_id: UUID) -> dict[str, e.Bottle]:
    """The stock bottles of the page's class by code and by label, in lower case."""
    with pool(request).connection() as conn:
        page, _ = pages.open_page(conn, who.account.id, page_id)
        kept = containers.bottles_of(conn, who.account.id, page.class_id) if page.class_id else []
    found = {}
    for one in kept:
        if one.now.solution is not None:
            molar = one.now.solution.molar
            bottle = e.Bottle(code=one.now.code, molar=molar.value, u=molar.u)
            found[one.now.code.casefold()] = found[one.now.label.casefold()] = bottle
    return found


def _next(form: Form) -> str:
    """The step to show: after one is done or left out, the one that comes."""
    return "" if form.text("kind") == "marked" else form.text("at") or form.text("step")


def _write(
    request: Request, who: VisitorDep, page_id: UUID, compose: Callable[[list[Entry]], Sequence[pages.Draft]]
) -> Inked:
    with pool(request).connection() as conn:
        written = pages.write(conn, who.account.id, who.account.name, page_id, compose, typed=who.typed)
    only_run(written.page)
    return written


def _said(written: Inked, wrote: Sequence[Line]) -> str:
    """What a screen reader hears after writing."""
    if not written.new:
        return "Already saved; no duplicate was made."
    steps = StepNames(written.entries)
    return f"Saved: {'; '.join(describe(line.head, steps) for line in wrote)}." if wrote else "Saved."


def _answer(request: Request, written: Inked, entry_id: UUID, view: str, step: str, said: str = "") -> Response:
    """After writing: that it is in ink, and the run's page as it was looked at."""
    query = "&".join(f"{k}={v}" for k, v in (("view", view if view in VIEWS else ""), ("step", step)) if v)
    address = f"/runs/{written.page.id}{'?' + query if query else ''}"
    together = [entry_id, *(uuid5(entry_id, str(number)) for number in range(1, MOST_IN_A_LINE))]
    found = [line_up_to(written.entries, key) for key in together[: max(1, written.new)]]
    wrote = [line for line in found if line is not None]

    def ink() -> str:
        drawn = [render("run/ink.html", ink_of(written.page, line, view)) for line in wrote]
        return "".join(drawn) if written.new else ""

    return inked(request, written, address, said or _said(written, wrote), ink)


@router.post("/runs/{page_id}/handout")
@may(May.INSTRUCTORS)
def correct_handout(
    request: Request,
    page_id: UUID,
    who: WriterDep,
    entry: Annotated[UUID, Field()],
    step: Annotated[str, Field(max_length=24)],
    says: Annotated[str, Field(max_length=1200)] = "",
    why: Annotated[str, Field(max_length=120)] = "",
) -> Response:
    """Correct a step's words in every run of the class that follows the same handout."""
    if len(says.strip()) < 2:
        raise Problem("says", "Enter the corrected instruction.")
    correction = e.HandoutCorrected(step=step, says=says, why=why)
    with pool(request).connection() as conn:
        how_many = procedures.correct_handout(conn, who.account.id, who.account.name, page_id, entry, correction)
        page, entries = pages.open_page(conn, who.account.id, page_id)
    said = f"Corrected in {how_many} run{'s' if how_many != 1 else ''}."
    return _answer(request, Inked(page, entries, how_many), entry, "step", step, said)


class NetAsked(BaseModel):
    """What stands in the balance's form so far."""

    container: str = ""
    portion: str = ""
    state: str = ""
    mass: str = ""
    way: str = ""


@router.get("/runs/{page_id}/net")
@may(May.BENCH)
def net_ahead(request: Request, page_id: UUID, who: VisitorDep, asked: Annotated[NetAsked, Query()]) -> Response:
    """What the balance's form would write: gross, tare and net, before it is written."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
    only_run(page)
    form = Form({name: [value[:160]] for name, value in asked.model_dump().items()})
    gross = tare = net = trouble = hint = ""
    if asked.mass.strip():
        try:
            payload = forms.draft_from("weighed", form, uuid4(), gather(entries)).payload
            gross, tare, net, hint = _ahead(page, entries, payload)
        except FieldErrors as errors:
            trouble = next(iter(errors.errors.values()))
    return html("run/net.html", NetShown(gross=gross, tare=tare, net=net, trouble=trouble, hint=hint))


def _ahead(page: Page, entries: Sequence[Entry], payload: object) -> tuple[str, str, str, str]:
    assert isinstance(payload, e.Weighed)
    new = Entry(uuid4(), len(entries) + 1, payload, None, "", "", datetime.now(UTC))
    sheet = sheet_of(page, [*entries, new])
    if not payload.portion:
        return payload.mass.number, "", "", "saved as the tare"
    portion = sheet.ledger.portion(payload.portion)
    found = next((n for n in portion.nets if n.on.key == new.id), None) if portion else None
    if found is None or found.net is None:
        return payload.mass.number, "", "", "no tare yet: the net mass is unknown"
    tare = shown(found.tare.mass) if found.tare is not None and found.tare.mass is not None else ""
    finding = next((f for f in sheet.findings if same(f.about, payload.portion) and f.level != "good"), None)
    return payload.mass.number, tare, shown_with_u(found.net), finding.what if finding else ""


@router.get("/runs/{page_id}/read")
@may(May.BENCH)
def read_ahead(request: Request, page_id: UUID, who: VisitorDep, text: str = "", step: str = "") -> Response:
    """What a typed reading means, before it is written, and how it could go on."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        known = around(conn, who.account.id, only_run(page))
    says, trouble, answers = "", "", tuple[str, ...]()
    text = line_as_typed_here(text[:200])
    if text.strip():
        try:
            understood = read_line(text, entries, step[:24], TECHNIQUES, known, typist(who))
            says = what_it_says(understood)
            weighed = understood[0].payload
            if len(understood) == 1 and isinstance(weighed, e.Weighed) and weighed.portion:
                _, tare, net, hint = _ahead(page, entries, weighed)
                says += f", tare {tare} g, net *{net} g*" if net and tare else f"; {hint}" if hint and not net else ""
        except Unreadable as unreadable:
            trouble = str(unreadable)
            answers = unreadable.lines if isinstance(unreadable, NotSure) else ()
    shown_line = UnderstoodShown(
        says=says,
        trouble=trouble,
        offered=[] if answers else complete(text, entries, TECHNIQUES),
        answers=answers,
        stem=text.rpartition(" ")[0],
        hint=HINT,
    )
    return html("understood.html", shown_line)


@router.post("/runs/{page_id}/read")
@may(May.BENCH)
def read(
    request: Request,
    page_id: UUID,
    who: WriterDep,
    entry: Annotated[UUID, Field()],
    text: Annotated[str, Field(max_length=200)] = "",
    step: Annotated[str, Field(max_length=24)] = "",
    view: Annotated[str, Field(max_length=20)] = "",
) -> Response:
    """Write a typed reading."""

    with pool(request).connection() as conn:
        page, _ = pages.open_page(conn, who.account.id, page_id)
        known = around(conn, who.account.id, only_run(page))

    def compose(entries: list[Entry]) -> list[pages.Draft]:
        there = before(entries, entry)
        at = typist_of(entries, entry, who)
        line = line_as_typed_here(text)
        understood = read_line(line, there, step, TECHNIQUES, known, at, ids_from(entry), sure=who.kept)
        return with_their_substances(gather(there), drafts_of(entry, understood))

    try:
        written = _write(request, who, page_id, compose)
    except (Unreadable, Problem) as trouble:
        if not is_htmx(request):
            raise
        return refused(trouble)
    wrote = find(written.entries, entry)
    at = "" if wrote is not None and isinstance(wrote.payload, e.Marked) else step
    return _answer(request, written, entry, view, at)


@router.post("/runs/{page_id}/keep")
@may(May.INSTRUCTORS)
def keep_as_procedure(request: Request, page_id: UUID, who: WriterDep, entry: Annotated[UUID, Field()]) -> Response:
    """Save what was done as a procedure of the institution's: its steps, substances and portions."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        only_run(page)
        procedure = as_procedure(gather(entries))
        procedures.add_procedure(conn, who.account.id, entry, procedure, f"saved from {page.bench_name}, {page.title}")
    return RedirectResponse(f"/procedures/{entry}", status_code=303)


@router.get("/runs/{page_id}/history")
@may(May.BENCH)
def history(request: Request, page_id: UUID, who: VisitorDep) -> Response:
    """Every entry in ink, struck ones too."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        row, meeting = shell_of_class(conn, who, only_run(page).class_id)
    steps = StepNames(entries)
    says = {entry.id: describe(entry, steps) for entry in entries}
    return history_page(who, row, meeting, page, entries, says, CORRECTED)


@router.get("/runs/{page_id}/readings")
@may(May.BENCH)
def readings(request: Request, page_id: UUID, who: VisitorDep) -> Response:
    """The readings that stand, to be put right from the board or the results."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        shell = shell_of_class(conn, who, only_run(page).class_id)
    steps = StepNames(entries)
    says = {entry.id: describe(entry, steps) for entry in entries}
    return readings_page(request, who, shell, page, entries, says, CORRECTED)


@dataclass(frozen=True, slots=True, kw_only=True)
class SchemeFile:
    scheme: Scheme
    title: str


@router.get("/runs/{page_id}/run.{suffix}")
@may(May.BENCH)
def export(request: Request, page_id: UUID, suffix: str, who: VisitorDep) -> Response:
    """The run as a file: whole record (json), ledger (csv), weighings.csv, readings.csv of every kind, scheme (svg)."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
    sheet = sheet_of(only_run(page), entries)
    name = "".join(
        c if c.isascii() and c.isalnum() else "-" for c in f"{page.class_code}-{page.bench_name}-{page.title}"
    )
    headers = {"Content-Disposition": f'attachment; filename="{name.strip("-").lower()}.{suffix}"'}
    if suffix == "csv":
        return Response(ledger_table(sheet), media_type="text/csv; charset=utf-8", headers=headers)
    if suffix == "weighings.csv":
        return Response(weighing_table(sheet), media_type="text/csv; charset=utf-8", headers=headers)
    if suffix == "readings.csv":
        return Response(reading_table(sheet), media_type="text/csv; charset=utf-8", headers=headers)
    if suffix == "json":
        return Response(run_record(page, entries, sheet), media_type="application/json", headers=headers)
    scheme = draw_scheme(sheet) if suffix == "svg" else None
    if scheme is None:
        raise NotYours
    svg = render("run/scheme.svg", SchemeFile(scheme=scheme, title=f"{page.bench_name}, {page.title}"))
    return Response(svg, media_type="image/svg+xml", headers=headers)
