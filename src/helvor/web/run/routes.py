"""A run: its page, its forms, what is written on it, what goes out."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Annotated, Any
from uuid import UUID, uuid4

import psycopg
from fastapi import APIRouter, Request
from fastapi import Form as Field
from starlette.responses import RedirectResponse, Response

from helvor.bench.entry import Entry, Problem, line_of
from helvor.bench.measured import Measured, shown, shown_with_u
from helvor.bench.procedure import Step, same
from helvor.bench.quantity import Unreadable
from helvor.bench.run import entries as e
from helvor.bench.run.keep import as_procedure
from helvor.bench.run.ledger import Net, PortionMass
from helvor.bench.run.reading_line import complete, understand
from helvor.bench.run.record import Run, gather
from helvor.bench.run.work_out import RunWorksheet, StepSeen, work_out
from helvor.bench.techniques import STEP_KINDS
from helvor.exchange.run import ledger_table, run_record, weighing_table
from helvor.notebook import classes, containers, pages, procedures
from helvor.notebook.pages import NotYours, Page, Written
from helvor.shelf.solvents import eluotropic_rank
from helvor.web.forms import FieldErrors, Form, SubmittedDep, values_of
from helvor.web.history import history_page
from helvor.web.places import shell_of_class
from helvor.web.rendering import Shell, html, is_htmx, render
from helvor.web.run import forms
from helvor.web.run.scheme import Scheme, draw_scheme
from helvor.web.run.words import describe
from helvor.web.security import VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)

VIEWS = {"step": "Step", "record": "Mass record", "notes": "Notes and files"}

TITLES = {
    "weighed": "Weighing",
    "taken": "Amount taken",
    "volume-read": "Volume",
    "marked": "Leave a step out",
    "noted": "Note",
    "timer-set": "Timer",
    "timer-stopped": "Stop the timer",
    "borrowed": "Go on with another's product",
    "late": "Started late",
    "step-added": "Add a step",
    "substance-added": "Add a substance",
    "portion-said": "About a portion",
    "handout-corrected": "Correct the handout",
    "struck": "Strike through",
    "acknowledged": "Go on with a stop",
}
PICKS = (
    "clear", "cloudy", "colourless", "coloured", "fumes", "no more fumes", "bubbles", "warm", "crystals", "oil",
    "powder", "lumps", "two layers", "spilt", "broken glass",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class TareShown:
    """A container that the run uses, and whether its tare is known; ``registered`` is what the class's register has."""

    label: str
    mass: str
    how: str
    needed: bool
    registered: str = ""


@dataclass(frozen=True, slots=True)
class TimerShown:
    """A running timer; ``left`` seconds, below zero once it is due."""

    key: UUID
    label: str
    due: datetime
    left: int


@dataclass(frozen=True, slots=True)
class ReadingShown:
    """An entry among the last readings."""

    entry: Entry
    says: str
    key: UUID
    struck: str


@dataclass(frozen=True, slots=True)
class PlotShown:
    """The small drying plot: a line, its dots, and the band that counts as constant."""

    line: str
    dots: list[tuple[float, float]]
    band_y: float
    band_height: float
    predicted_y: float | None


@dataclass(frozen=True, slots=True)
class PortionRow:
    """A portion in the table of weighings."""

    portion: PortionMass
    container: str
    tare: str
    gross: str
    net: str
    series: list[str]
    plot: PlotShown | None


@dataclass(frozen=True, slots=True)
class AmountRow:
    """A substance that the step adds: wanted and taken."""

    name: str
    wanted: str
    unit: str
    exact: bool
    taken: str
    key: UUID | None
    hazards: str


@dataclass(frozen=True, slots=True)
class WeighShown:
    """The balance, set for the step: what should stand on the pan and be in it."""

    container: str
    portion: str
    state: str
    tare: str
    balance: str


@dataclass(frozen=True, slots=True)
class Headline:
    """The large numbers of the side sheet."""

    label: str
    value: str
    unit: str
    more: str = ""


@dataclass(frozen=True, kw_only=True)
class RunWork:
    """The part of the page that every write replaces."""

    page: Page
    sheet: RunWorksheet
    view: str
    views: dict[str, str]
    chosen: StepSeen | None
    weigh: WeighShown | None
    amounts: list[AmountRow]
    timers: list[TimerShown]
    tares: list[TareShown]
    last: list[ReadingShown]
    notes: list[ReadingShown]
    files: list[tuple[ReadingShown, e.Attached]]
    rows: list[PortionRow]
    scheme: Scheme | None
    headlines: list[Headline]
    portions: list[str]
    states: dict[str, str]
    plates: list[tuple[str, str]]
    csrf: str
    said: str


@dataclass(frozen=True, kw_only=True)
class RunPage(Shell, RunWork):
    pass


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFormShown:
    """A form with what was typed and what is wrong with it."""

    page: Page
    kind: str
    title: str
    values: dict[str, list[str]]
    errors: dict[str, str]
    run: Run
    entry: UUID
    strikes: UUID | None
    step: str
    view: str
    about: str
    csrf: str
    states: dict[str, str]
    picks: tuple[str, ...]
    kinds: list[tuple[str, str]]


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFormFragment:
    form: RunFormShown


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFormPage(Shell):
    form: RunFormShown


@dataclass(frozen=True, slots=True, kw_only=True)
class NetShown:
    """What the balance's form would write, worked out."""

    gross: str
    tare: str
    net: str
    trouble: str
    hint: str


def _run(page: Page) -> Page:
    if page.technique_key != "run":
        raise NotYours
    return page


def _sheet(page: Page, entries: Sequence[Entry]) -> RunWorksheet:
    return work_out(entries, page.rules, STEP_KINDS)


def _work(
    page: Page,
    entries: Sequence[Entry],
    sheet: RunWorksheet,
    view: str,
    step: str,
    csrf: str,
    *,
    said: str = "",
    plates: Sequence[classes.PageOnBoard] = (),
    registered: Mapping[str, str] | None = None,
) -> dict[str, Any]:
    now = datetime.now(UTC)
    chosen = next((seen for seen in sheet.steps if seen.step.id == step), None) or sheet.current
    if chosen is None and sheet.steps:
        chosen = sheet.steps[-1]
    view = view if view in VIEWS else "step"
    readings = _readings(entries, sheet.run)
    files = [(reading, reading.entry.payload) for reading in readings if isinstance(reading.entry.payload, e.Attached)]
    return {
        "page": page,
        "sheet": sheet,
        "view": view,
        "views": VIEWS,
        "chosen": chosen,
        "weigh": _weigh(chosen.step, sheet, entries) if chosen is not None else None,
        "amounts": _amounts(chosen.step, sheet) if chosen is not None else [],
        "timers": _timers(sheet.run, now),
        "tares": _tares(sheet, registered or {}),
        "last": readings[:6],
        "notes": [r for r in readings if isinstance(r.entry.payload, e.Noted | e.Late | e.Borrowed)],
        "files": files,
        "rows": _rows(sheet) if view == "record" else [],
        "scheme": draw_scheme(sheet) if view == "record" else None,
        "headlines": _headlines(sheet),
        "portions": sheet.run.portion_names,
        "states": e.STATES,
        "plates": [(f"/plates/{p.id}", f"Plate {p.number}") for p in plates],
        "csrf": csrf,
        "said": said,
    }


def _weigh(step: Step, sheet: RunWorksheet, entries: Sequence[Entry]) -> WeighShown:
    """What the balance's form starts with for a step."""
    container = " + ".join(step.container)
    portion = step.on or (step.gives[0] if step.gives else "")
    state = "empty" if step.empty else "dried" if _was_dried(step, sheet) else "as is"
    tare = sheet.ledger.tares.get(frozenset(label.casefold() for label in step.container))
    known = shown(tare.mass) if tare is not None and tare.mass is not None else ""
    last = next((on.weighed.balance for on in reversed(sheet.run.weighings) if on.weighed.balance), "")
    return WeighShown(container, "" if step.empty else portion, state, known, last)


def _was_dried(step: Step, sheet: RunWorksheet) -> bool:
    """Whether heat or drying comes before a step in the procedure."""
    for seen in sheet.steps:
        if seen.step.id == step.id:
            return False
        if seen.kind is not None and (seen.kind.dries or seen.kind.heats):
            return True
    return False


def _amounts(step: Step, sheet: RunWorksheet) -> list[AmountRow]:
    rows = []
    for name in step.adds:
        substance = sheet.run.procedure.substance(name)
        taken = sheet.ledger.taken(name)
        if substance is None:
            continue
        unit = substance.amount.unit if substance.amount else "g"
        real = (taken.volume if unit == "mL" else taken.mass) if taken else None
        rows.append(
            AmountRow(
                substance.name,
                str(substance.amount) if substance.amount else "",
                unit,
                substance.exact,
                f"{shown(real)} {unit}" if real is not None else "",
                taken.readings[-1].key if taken and taken.readings else None,
                substance.hazards,
            )
        )
    return rows


def _timers(run: Run, now: datetime) -> list[TimerShown]:
    names = {step.id: f"step {i}" for i, step in enumerate(run.procedure.steps, 1)}
    running = [(on, on.line.root.at + timedelta(minutes=on.timer.minutes)) for on in run.timers if on.stopped is None]
    return [
        TimerShown(on.key, on.timer.label or names.get(on.timer.step, "timer"), due, round((due - now).total_seconds()))
        for on, due in sorted(running, key=lambda pair: pair[1])
    ]


def _tares(sheet: RunWorksheet, registered: Mapping[str, str]) -> list[TareShown]:
    """The containers of the run with their tares; what is weighed later and has none is asked for."""
    pans = [step.container for step in sheet.run.procedure.steps if step.kind == "weigh" and step.container]
    pans += [on.weighed.container for on in sheet.run.weighings if on.weighed.way == "gross"]
    listed: dict[frozenset[str], TareShown] = {}
    for pan in pans:
        key = frozenset(label.casefold() for label in pan)
        if key in listed:
            continue
        tare = sheet.ledger.tares.get(key)
        if tare is None and len(pan) > 1:
            singles = [sheet.ledger.tares.get(frozenset([label.casefold()])) for label in pan]
            if all(single is not None and single.mass is not None for single in singles):
                continue
        known = tare is not None and tare.mass is not None
        mass = shown(tare.mass) if tare is not None and tare.mass is not None else ""
        listed[key] = TareShown(
            " + ".join(pan),
            mass,
            tare.how if tare is not None else "missing",
            not known,
            registered.get(pan[0].casefold(), "") if len(pan) == 1 and not known else "",
        )
    return list(listed.values())


def _readings(entries: Sequence[Entry], run: Run) -> list[ReadingShown]:
    """Standing readings, newest first, each with what was struck through for it."""
    listed = [
        ReadingShown(
            line.head,
            describe(line.head),
            line.root.id,
            describe(line.entries[-2]) if len(line.entries) > 1 else "",
        )
        for line in run.lines
        if line.stands
        and not isinstance(line.head.payload, e.Following | e.HandoutCorrected | e.Marked | e.TimerStopped)
    ]
    return sorted(listed, key=lambda reading: -reading.entry.seq)


def _rows(sheet: RunWorksheet) -> list[PortionRow]:
    rows = []
    for portion in sheet.ledger.portions.values():
        if not portion.nets:
            continue
        for pan in dict.fromkeys(net.on.weighed.pan for net in portion.nets):
            nets = [net for net in portion.nets if net.on.weighed.pan == pan]
            best = next((n for n in reversed(nets) if n.on.weighed.state in ("dried", "as is")), nets[-1])
            tare = best.tare.mass if best.tare is not None else None
            rows.append(
                PortionRow(
                    portion,
                    best.on.weighed.name,
                    shown(tare) if tare is not None else "",
                    best.on.weighed.mass.number if best.on.weighed.way == "gross" else "",
                    shown(best.net) if best.net is not None and best.on.weighed.state != "wet" else "",
                    [n.on.weighed.mass.number for n in nets if n.on.weighed.state == "dried"],
                    _plot([n for n in nets if n.on.weighed.state == "dried" and n.net is not None], portion),
                )
            )
    return rows


def _plot(nets: list[Net], portion: PortionMass) -> PlotShown | None:
    """A drying curve in a box of 116 by 34, the last weighing inside the band of constant mass."""
    if len(nets) < 2 or portion.constancy is None:
        return None
    masses = [net.net.value for net in nets if net.net is not None]
    times = [net.on.entry.at.timestamp() for net in nets]
    predicted = portion.constancy.predicted
    low = min([*masses, *([predicted] if predicted else [])])
    span = max(max(masses) - low, portion.constancy.limit or 1e-6) or 1e-6
    length = (times[-1] - times[0]) or 1.0

    def y(mass: float) -> float:
        return round(29 - 24 * (mass - low) / span, 1)

    dots = [(round(5 + 106 * (t - times[0]) / length, 1), y(m)) for t, m in zip(times, masses, strict=True)]
    limit = portion.constancy.limit or 0.0
    height = max(4.0, 24 * limit / span)
    return PlotShown(
        "M" + "L".join(f"{x} {at}" for x, at in dots), dots, round(y(masses[-1]) - height / 2, 1), round(height, 1),
        y(predicted) if predicted else None,
    )  # fmt: skip


def _headlines(sheet: RunWorksheet) -> list[Headline]:
    ledger = sheet.ledger
    heads = []
    for made in ledger.yields:
        if made.percent is not None and made.obtained is not None:
            heads.append(
                Headline(
                    f"yield of {made.portion}", *_percent(made.percent), f"of {shown(made.theoretical)} g possible"
                )
            )
    if not ledger.reacts and ledger.closure is not None and ledger.sample is not None:
        label = f"found of {shown(ledger.sample)} g" if ledger.complete else f"found so far of {shown(ledger.sample)} g"
        heads.append(Headline(label, *_percent(ledger.closure)))
        if ledger.missing is not None and ledger.complete:
            over = ledger.missing.value < 0
            words = "more than went in" if over else "not accounted for"
            heads.append(Headline(words, shown(Measured(0.0) - ledger.missing if over else ledger.missing), "g"))
    return heads


def _percent(number: Measured) -> tuple[str, str]:
    return shown(number * 100, most=1), "%"


@router.get("/runs/{page_id}")
def run_page(request: Request, page_id: UUID, who: VisitorDep, view: str = "", step: str = "") -> Response:
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        _run(page)
        plates, registered = _plates(conn, who.account.id, page), _registered(conn, who.account.id, page)
        row, meeting = (None, None) if is_htmx(request) else shell_of_class(conn, who, page.class_id)
    work = _work(page, entries, _sheet(page, entries), view, step, who.csrf, plates=plates, registered=registered)
    if is_htmx(request):
        return html("run/work.html", RunWork(**work))
    return html("run/run.html", RunPage(visitor=who, place="bench", class_row=row, meeting=meeting, **work))


def _registered(conn: psycopg.Connection, account_id: int, page: Page) -> dict[str, str]:
    """Tares in the class's register, by label in lower case."""
    kept = containers.containers_of(conn, account_id, page.class_id) if page.class_id else []
    return {one.now.label.casefold(): one.now.tare.mass.number for one in kept if one.now.tare is not None}


def _plates(conn: psycopg.Connection, account_id: int, page: Page) -> list[classes.PageOnBoard]:
    bench = classes.open_bench(conn, account_id, page.bench_id)
    return [on_board for on_board in bench.pages if on_board.technique == "planar"] if bench else []


def _form(
    page: Page,
    run: Run,
    kind: str,
    csrf: str,
    *,
    values: dict[str, list[str]] | None = None,
    errors: dict[str, str] | None = None,
    entry: UUID | None = None,
    strikes: UUID | None = None,
    step: str = "",
    view: str = "",
    about: str = "",
) -> RunFormShown:
    return RunFormShown(
        page=page,
        kind=kind,
        title=TITLES.get(kind, "Entry"),
        values=values or {},
        errors=errors or {},
        run=run,
        entry=entry or uuid4(),
        strikes=strikes,
        step=step,
        view=view,
        about=about,
        csrf=csrf,
        states=e.STATES,
        picks=PICKS,
        kinds=[(kind.key, kind.title) for kind in STEP_KINDS.values()],
    )


@router.get("/runs/{page_id}/edit/{kind}")
def edit(
    request: Request,
    page_id: UUID,
    kind: str,
    who: VisitorDep,
    key: UUID | None = None,
    step: str = "",
    view: str = "",
    code: str = "",
    about: str = "",
    name: str = "",
) -> Response:
    """A form: empty for something new, filled with what stands for a correction."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        _run(page)
        row, meeting = shell_of_class(conn, who, page.class_id)
    if kind not in TITLES:
        raise NotYours
    sheet = _sheet(page, entries)
    values: dict[str, list[str]] = {"step": [step], "portion": [name], "substance": [name], "name": [name]}
    strikes, named = None, ""
    if kind == "acknowledged":
        found = next((f for f in sheet.findings if (f.code, f.about) == (code, about)), None)
        if found is None:
            raise NotYours
        values, named = {"code": [found.code], "about": [found.about], "what": [found.what]}, found.what
    elif key is not None:
        line = next((line for line in sheet.run.lines if line.root.id == key and line.stands), None)
        if line is None:
            raise NotYours
        strikes, named = line.head.id, describe(line.head)
        if kind not in ("struck", "timer-stopped"):
            values = {**values_of(line.head.payload), **forms.values_of_run(line.head.payload)}
    elif kind == "handout-corrected":
        words = sheet.run.procedure.step(step)
        if words is None:
            raise NotYours
        values |= {"says": [words.says]}
    elif kind == "weighed":
        values |= {"state": ["empty"], "way": ["gross"]}
    elif kind == "portion-said":
        values = values_of(sheet.run.procedure.portion(name or "portion"))
    form = _form(page, sheet.run, kind, who.csrf, values=values, strikes=strikes, step=step, view=view, about=named)
    if is_htmx(request):
        return html("run/form.html", RunFormFragment(form=form))
    return html(
        "run/form_page.html", RunFormPage(visitor=who, place="bench", class_row=row, meeting=meeting, form=form)
    )


@router.post("/runs/{page_id}/entries")
def write(request: Request, page_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Write what a form says."""
    form = Form(fields)
    kind, entry = form.text("kind"), form.id("entry")
    if entry is None:
        raise Problem("entry", "This form has lost its number. Reload the page; nothing was written.")

    def compose(entries: list[Entry]) -> list[pages.Draft]:
        known = next((one for one in entries if one.id == entry), None)
        if known is not None and known.payload.kind == kind:
            return []  # sent again: it is written already
        return [forms.draft_from(kind, form, entry, gather(entries), bottles)]

    bottles = _bottles(request, who, page_id) if form.text("bottle") else {}
    try:
        written = _append(request, who, page_id, compose)
    except (FieldErrors, Problem) as trouble:
        errors = trouble.errors if isinstance(trouble, FieldErrors) else {trouble.field: str(trouble)}
        return _form_again(request, who, page_id, kind, fields, errors, entry, form)
    return _answer(request, who, written, form.text("view"), _next(written, form), _said(written, entry))


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


def _next(written: Written, form: Form) -> str:
    """The step to show: after one is done or left out, the one that comes."""
    return "" if form.text("kind") == "marked" else form.text("at") or form.text("step")


def _form_again(
    request: Request,
    who: VisitorDep,
    page_id: UUID,
    kind: str,
    fields: dict[str, list[str]],
    errors: dict[str, str],
    entry: UUID,
    form: Form,
) -> Response:
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        row, meeting = shell_of_class(conn, who, page.class_id)
    strikes = None if "strikes" in form.errors else form.id("strikes")
    shown_form = _form(
        page, gather(entries), kind, who.csrf, values={"way": ["gross"]} | fields, errors=errors, entry=entry,
        strikes=strikes,
        step=form.text("step"), view=form.text("view"), about=form.text("named"),
    )  # fmt: skip
    if is_htmx(request):
        headers = {"HX-Retarget": "#panel-body", "HX-Reswap": "innerHTML"}
        return html("run/form.html", RunFormFragment(form=shown_form), status=422, headers=headers)
    page_shown = RunFormPage(visitor=who, place="bench", class_row=row, meeting=meeting, form=shown_form)
    return html("run/form_page.html", page_shown, status=422)


def _append(
    request: Request, who: VisitorDep, page_id: UUID, compose: Callable[[list[Entry]], Sequence[pages.Draft]]
) -> Written:
    with pool(request).connection() as conn:
        written = pages.append(conn, who.account.id, who.account.name, page_id, compose, eluotropic_rank())
    _run(written.page)
    return written


def _said(written: Written, entry_id: UUID) -> str:
    """What a screen reader hears after writing."""
    if not written.new:
        return "Already written; nothing was doubled."
    entry = next((one for one in written.entries if one.id == entry_id), None)
    return f"Written: {describe(entry)}." if entry is not None else "Written."


def _answer(request: Request, who: VisitorDep, written: Written, view: str, step: str, said: str) -> Response:
    """After writing: the fresh work for htmx, the run's page for a plain form."""
    if not is_htmx(request):
        query = "&".join(f"{k}={v}" for k, v in (("view", view if view in VIEWS else ""), ("step", step)) if v)
        return RedirectResponse(f"/runs/{written.page.id}{'?' + query if query else ''}", status_code=303)
    assert isinstance(written.worksheet, RunWorksheet)
    with pool(request).connection() as conn:
        plates = _plates(conn, who.account.id, written.page) if view in ("", "step") else []
        registered = _registered(conn, who.account.id, written.page)
    work = _work(
        written.page,
        written.entries,
        written.worksheet,
        view,
        step,
        who.csrf,
        said=said,
        plates=plates,
        registered=registered,
    )
    return html("run/work.html", RunWork(**work), headers={"HX-Trigger": "helvor:written"})


@router.post("/runs/{page_id}/handout")
def correct_handout(
    request: Request,
    page_id: UUID,
    who: WriterDep,
    entry: Annotated[UUID, Field()],
    step: Annotated[str, Field(max_length=24)],
    says: Annotated[str, Field(max_length=400)] = "",
    why: Annotated[str, Field(max_length=120)] = "",
) -> Response:
    """Correct a step's words in every run of the class that follows the same handout."""
    if len(says.strip()) < 2:
        raise Problem("says", "Write the corrected words of the step.")
    correction = e.HandoutCorrected(step=step, says=says, why=why)
    with pool(request).connection() as conn:
        how_many = procedures.correct_handout(
            conn, who.account.id, who.account.name, page_id, entry, correction, eluotropic_rank()
        )
        page, entries = pages.open_page(conn, who.account.id, page_id)
    said = f"Corrected in {how_many} run{'s' if how_many != 1 else ''}."
    written = Written(page, entries, _sheet(page, entries), 1)
    return _answer(request, who, written, "step", step, said)


@router.get("/runs/{page_id}/net")
def net_ahead(
    request: Request,
    page_id: UUID,
    who: VisitorDep,
    container: str = "",
    portion: str = "",
    state: str = "",
    mass: str = "",
    way: str = "",
) -> Response:
    """What the balance's form would write: gross, tare and net, before it is written."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
    _run(page)
    form = Form({"container": [container[:160]], "portion": [portion[:40]], "state": [state[:20]], "mass": [mass[:40]],
                 "way": [way[:5]]})  # fmt: skip
    gross = tare = net = trouble = hint = ""
    if mass.strip():
        try:
            payload = forms.draft_from("weighed", form, uuid4(), gather(entries)).payload
            gross, tare, net, hint = _ahead(page, entries, payload)
        except FieldErrors as errors:
            trouble = next(iter(errors.errors.values()))
    return html("run/net.html", NetShown(gross=gross, tare=tare, net=net, trouble=trouble, hint=hint))


def _ahead(page: Page, entries: Sequence[Entry], payload: object) -> tuple[str, str, str, str]:
    assert isinstance(payload, e.Weighed)
    new = Entry(uuid4(), len(entries) + 1, payload, None, "", "", datetime.now(UTC))
    sheet = _sheet(page, [*entries, new])
    if not payload.portion:
        return payload.mass.number, "", "", "written as the tare"
    portion = sheet.ledger.portion(payload.portion)
    found = next((n for n in portion.nets if n.on.key == new.id), None) if portion else None
    if found is None or found.net is None:
        return payload.mass.number, "", "", "no tare yet: the net stays open"
    tare = shown(found.tare.mass) if found.tare is not None and found.tare.mass is not None else ""
    finding = next((f for f in sheet.findings if same(f.about, payload.portion) and f.level != "good"), None)
    return payload.mass.number, tare, shown_with_u(found.net), finding.what if finding else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class RunUnderstood:
    says: str
    trouble: str
    offered: list[str]
    stem: str


@router.get("/runs/{page_id}/read")
def read_ahead(request: Request, page_id: UUID, who: VisitorDep, text: str = "", step: str = "") -> Response:
    """What a typed reading means, before it is written, and how it could go on."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
    _run(page)
    says = trouble = ""
    text = text[:200]
    if text.strip():
        try:
            understood = understand(text, entries, step[:24])
            says = understood.says
            if isinstance(understood.payload, e.Weighed) and understood.payload.portion:
                _, tare, net, hint = _ahead(page, entries, understood.payload)
                says += f", tare {tare} g, net *{net} g*" if net and tare else f"; {hint}" if hint and not net else ""
        except Unreadable as unreadable:
            trouble = str(unreadable)
    shown_line = RunUnderstood(
        says=says, trouble=trouble, offered=complete(text, entries), stem=text.rpartition(" ")[0]
    )
    return html("run/understood.html", shown_line)


@router.post("/runs/{page_id}/read")
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

    def compose(entries: list[Entry]) -> list[pages.Draft]:
        if any(one.id == entry for one in entries):
            return []
        return [pages.Draft(entry, understand(text, entries, step).payload)]

    try:
        written = _append(request, who, page_id, compose)
    except (Unreadable, Problem) as trouble:
        if not is_htmx(request):
            raise
        said = RunUnderstood(says="", trouble=str(trouble), offered=[], stem="")
        headers = {"HX-Retarget": "#understood", "HX-Reswap": "innerHTML"}
        return html("run/understood.html", said, status=422, headers=headers)
    at = "" if isinstance(line_payload(written, entry), e.Marked) else step
    return _answer(request, who, written, view, at, _said(written, entry))


def line_payload(written: Written, entry_id: UUID) -> object:
    """What an entry that was just written says, or None."""
    assert isinstance(written.worksheet, RunWorksheet)
    line = line_of(written.worksheet.run.lines, entry_id)
    return line.head.payload if line is not None else None


@router.post("/runs/{page_id}/keep")
def keep_as_procedure(request: Request, page_id: UUID, who: WriterDep, entry: Annotated[UUID, Field()]) -> Response:
    """Save what was done as a procedure of the institution's: its steps, substances and portions."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        _run(page)
        procedure = as_procedure(gather(entries))
        procedures.add_procedure(conn, who.account.id, entry, procedure, f"saved from {page.bench_name}, {page.title}")
    return RedirectResponse(f"/procedures/{entry}", status_code=303)


@router.get("/runs/{page_id}/history")
def history(request: Request, page_id: UUID, who: VisitorDep) -> Response:
    """Every entry in ink, struck ones too."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
        row, meeting = shell_of_class(conn, who, _run(page).class_id)
    return history_page(who, row, meeting, page, entries, {entry.id: describe(entry) for entry in entries})


@dataclass(frozen=True, slots=True, kw_only=True)
class SchemeFile:
    scheme: Scheme
    title: str


@router.get("/runs/{page_id}/run.{suffix}")
def export(request: Request, page_id: UUID, suffix: str, who: VisitorDep) -> Response:
    """The run as a file: whole record (json), ledger (csv), weighings (weighings.csv) or scheme (svg)."""
    with pool(request).connection() as conn:
        page, entries = pages.open_page(conn, who.account.id, page_id)
    sheet = _sheet(_run(page), entries)
    name = "".join(
        c if c.isascii() and c.isalnum() else "-" for c in f"{page.class_code}-{page.bench_name}-{page.title}"
    )
    headers = {"Content-Disposition": f'attachment; filename="{name.strip("-").lower()}.{suffix}"'}
    if suffix == "csv":
        return Response(ledger_table(sheet), media_type="text/csv; charset=utf-8", headers=headers)
    if suffix == "weighings.csv":
        return Response(weighing_table(sheet), media_type="text/csv; charset=utf-8", headers=headers)
    if suffix == "json":
        return Response(run_record(page, entries, sheet), media_type="application/json", headers=headers)
    scheme = draw_scheme(sheet) if suffix == "svg" else None
    if scheme is None:
        raise NotYours
    svg = render("run/scheme.svg", SchemeFile(scheme=scheme, title=f"{page.bench_name}, {page.title}"))
    return Response(svg, media_type="image/svg+xml", headers=headers)
