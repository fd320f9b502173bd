"""Plan: the procedures of an institution, the builder, versions, house rules."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any
from uuid import UUID, uuid4

from fastapi import APIRouter, File, Request, UploadFile
from fastapi import Form as Field
from starlette.responses import RedirectResponse, Response

from helvor.core.engine.plan.amounts import class_amount, factor_for
from helvor.core.engine.plan.check_plan import check_plan, open_stops
from helvor.core.engine.plan.difference import differences
from helvor.core.engine.plan.timeline import MeetingTime, timeline
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable, round_to
from helvor.core.record.entry import Problem
from helvor.core.record.house_rules import OF_A_PROCEDURE, QUESTIONS, HouseRules
from helvor.core.record.procedure import (
    BadProcedure,
    Component,
    Portion,
    Procedure,
    Substance,
    instruction,
    named,
    read_procedure,
    scaled,
    without_braces,
)
from helvor.core.record.step_kinds import GROUPS, WASTE
from helvor.core.record.vocabulary import OWN_WORDS
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.exchange.procedure import procedure_json, procedure_markdown
from helvor.notebook import classes, procedures
from helvor.notebook.page_errors import NotYours
from helvor.notebook.procedures import Kept
from helvor.shelf.procedures import PRACTISES
from helvor.web.forms import FieldErrors, Form, SubmittedDep, values_of
from helvor.web.may import May, may
from helvor.web.procedures.forms import change_from
from helvor.web.procedures.shown import (
    AmountTotal,
    BuilderForm,
    BuilderFormFragment,
    BuilderFormPage,
    BuilderPage,
    BuilderWork,
    ComparePage,
    ProceduresPage,
    RulesPage,
    ScalePage,
    StepRow,
    TimeBar,
    TimeBlock,
)
from helvor.web.procedures.step_form import output_fields, parameter_fields, values_of_step
from helvor.web.procedures.wiring import wiring
from helvor.web.rendering import html, is_htmx
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)

BENCHES = 12
PARTS = {"substance": Substance, "component": Component, "portion": Portion}


def _list(
    who: Visitor, listed: list[Kept], troubles: Sequence[tuple[str, str]] = (), pasted: str = ""
) -> ProceduresPage:
    return ProceduresPage(
        visitor=who,
        place="plan",
        procedures=listed,
        new_id=uuid4(),
        troubles=list(troubles),
        pasted=pasted,
        in_library=len(PRACTISES),
    )


@router.get("/procedures")
@may(May.STAFF)
def plan(request: Request, who: VisitorDep) -> Response:
    with pool(request).connection() as conn:
        listed = procedures.procedures_of(conn, who.account.id)
    page = _list(who, listed)
    return html("procedures/list.html", page)


@router.post("/procedures")
@may(May.INSTRUCTORS)
def start_procedure(
    request: Request, who: WriterDep, entry: Annotated[UUID, Field()], title: Annotated[str, Field(max_length=60)] = ""
) -> Response:
    """Start an empty procedure."""
    with pool(request).connection() as conn:
        procedures.add_procedure(
            conn, who.account.id, entry, Procedure(title=title.strip()[:40] or "Untitled"), "started"
        )
    return RedirectResponse(f"/procedures/{entry}", status_code=303)


@router.post("/procedures/import/files")
@may(May.INSTRUCTORS)
def import_procedure(
    request: Request,
    who: WriterDep,
    entry: Annotated[UUID, Field()],
    file: Annotated[UploadFile | None, File()] = None,
    text: Annotated[str, Field(max_length=200_000)] = "",
) -> Response:
    """Take a procedure in from a JSON file; a bad one gets the list of what is wrong and changes nothing."""
    content: str | bytes = text
    if file is not None and file.filename:
        content = file.file.read(400_000)
    try:
        procedure = read_procedure(content)
    except BadProcedure as bad:
        with pool(request).connection() as conn:
            listed = procedures.procedures_of(conn, who.account.id)
        return html("procedures/list.html", _list(who, listed, bad.troubles, text), status=422)
    with pool(request).connection() as conn:
        procedures.add_procedure(conn, who.account.id, entry, procedure, "imported")
    return RedirectResponse(f"/procedures/{entry}", status_code=303)


def _work(
    kept: Kept,
    house: HouseRules,
    csrf: str,
    *,
    step: str = "",
    said: str = "",
    benches: int = BENCHES,
    form: BuilderForm | None = None,
) -> dict[str, Any]:
    procedure = kept.procedure
    advice = check_plan(procedure, house, TECHNIQUES)
    in_force = house.over(procedure.house_rules)
    rows = [
        StepRow(
            number,
            one,
            STEP_KINDS.get(one.kind),
            instruction(one, procedure) or (STEP_KINDS[one.kind].title if one.kind in STEP_KINDS else one.kind),
            [a for a in advice if a.step == one.id],
        )
        for number, one in enumerate(procedure.steps, start=1)
    ]
    open_row = next((row for row in rows if row.step.id == step), None)
    if open_row is not None and form is None:
        values = values_of_step(procedure, open_row.step, open_row.kind)
        form = _form(kept, "step", csrf, values=values, step=open_row.step.id)
    return {
        "kept": kept,
        "procedure": procedure,
        "rows": rows,
        "open_row": open_row,
        "wiring": wiring(procedure),
        "outputs": output_fields(open_row),
        "parameters": parameter_fields(open_row),
        "form": form if open_row is not None else None,
        "advice": advice,
        "general": [a for a in advice if not a.step],
        "amounts": [_total(s, benches) for s in procedure.substances],
        "benches": benches,
        "bars": [_bar(meeting, procedure) for meeting in timeline(procedure)],
        "rules": [
            (q, in_force[q.key].key, q.key in procedure.house_rules)
            for q in OF_A_PROCEDURE
            if in_force.differs(q.key) or q.key in procedure.house_rules
        ],
        "palette": [
            (group, [kind for kind in STEP_KINDS.values() if kind.group == group])
            for group in dict.fromkeys((*GROUPS, *(kind.group for kind in STEP_KINDS.values())))
        ],
        "csrf": csrf,
        "said": said,
        "open_stops": [],
    }


def _total(substance: Substance, benches: int) -> AmountTotal:
    mass = f"{round_to(molar_mass(substance.formula), 2)}" if substance.formula else ""
    needed = class_amount(substance, benches)
    if needed is None:
        return AmountTotal(substance, "", "", "", "", "", mass)
    decimals = max(0, min(needed.bench.decimals, 1))
    all_of_it, spare, total = (round_to(v, decimals) for v in (needed.benches, needed.spare, needed.total))
    return AmountTotal(substance, needed.bench.number, all_of_it, spare, total, needed.unit, mass)


def _bar(meeting: MeetingTime, procedure: Procedure) -> TimeBar:
    whole = max(meeting.ends, procedure.period, 1)
    numbers = {step.id: number for number, step in enumerate(procedure.steps, 1)}
    blocks = []
    for block in meeting.blocks:
        words = (
            f"step {numbers[block.step.id]}, {without_braces(block.step.says) or block.step.kind}, "
            f"from minute {block.starts}"
        )
        beside = any(o.hands_until > block.hands_until and o.starts < block.ends for o in meeting.blocks if o != block)
        blocks.append(
            TimeBlock(
                block.starts / whole,
                (block.hands_until - block.starts) / whole,
                (block.ends - block.hands_until) / whole,
                words,
                1 if beside else 0,
            )
        )
    return TimeBar(meeting, blocks, procedure.period / whole, meeting.ends > procedure.period)


def _form(
    kept: Kept,
    op: str,
    csrf: str,
    *,
    values: dict[str, list[str]] | None = None,
    errors: dict[str, str] | None = None,
    step: str = "",
    was: str = "",
) -> BuilderForm:
    titles = {"head": "About the procedure", "rule": "House rules of this procedure"}
    return BuilderForm(
        kept=kept,
        op=op,
        title=titles.get(op, f"{'Change' if was else 'Add'} a {op}"),
        values=values or {},
        errors=errors or {},
        step=step,
        was=was,
        csrf=csrf,
        substances=[s.name for s in kept.procedure.substances],
        components=[c.name for c in kept.procedure.components],
        portions=kept.procedure.portion_names,
        waste=WASTE,
        questions=OF_A_PROCEDURE,
    )


@router.get("/procedures/{procedure_id}")
@may(May.STAFF)
def builder(request: Request, procedure_id: UUID, who: VisitorDep, step: str = "", benches: int = BENCHES) -> Response:
    with pool(request).connection() as conn:
        kept = procedures.open_procedure(conn, who.account.id, procedure_id)
        house = procedures.house_rules_of(conn, who.account.id)
    work = _work(kept, house, who.csrf, step=step, benches=max(1, min(benches, 200)))
    if is_htmx(request):
        return html("procedures/work.html", BuilderWork(**work))
    return html("procedures/builder.html", BuilderPage(visitor=who, place="plan", **work))


@router.get("/procedures/{procedure_id}/form/{op}")
@may(May.STAFF)
def part_form(request: Request, procedure_id: UUID, op: str, who: VisitorDep, name: str = "") -> Response:
    """A form for the head, a substance, a component, a portion or a house rule."""
    with pool(request).connection() as conn:
        kept = procedures.open_procedure(conn, who.account.id, procedure_id)
    if op not in (*PARTS, "head", "rule"):
        raise NotYours
    values: dict[str, list[str]] = {}
    was = ""
    if op == "head":
        lines = [f"{q.asks} | {q.answer}" if q.answer else q.asks for q in kept.procedure.questions]
        values = values_of(kept.procedure) | {"questions": ["\n".join(lines)]}
    elif op in PARTS and name:
        parts: Sequence[Any] = {
            "substance": kept.procedure.substances,
            "component": kept.procedure.components,
            "portion": kept.procedure.portions,
        }[op]
        part = named(parts, name)
        if part is not None:
            was, values = part.name, values_of(part)
            if isinstance(part, Substance):
                values |= {
                    "amount": [str(part.amount) if part.amount else ""],
                    "exact": ["yes" if part.exact else "no"],
                }
            if isinstance(part, Component):
                values["rf"] = ["\n".join(f"{eluent} = {rf:g}" for eluent, rf in part.rf.items())]
                values["dissolves"] = [
                    "\n".join(
                        f"{solvent} = {', '.join(f'{grams:g} at {celsius:g}' for celsius, grams in points)}"
                        for solvent, points in part.dissolves.items()
                    )
                ]
        else:
            values = {"name": [name]}
    form = _form(kept, op, who.csrf, values=values, was=was)
    if is_htmx(request):
        return html("procedures/form.html", BuilderFormFragment(form=form))
    return html("procedures/form_page.html", BuilderFormPage(visitor=who, place="plan", form=form))


@router.post("/procedures/{procedure_id}/edit")
@may(May.INSTRUCTORS)
def edit(request: Request, procedure_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Change the draft as a form says."""
    form = Form(fields)
    edit_id, op = form.id("entry"), form.text("op")
    if edit_id is None:
        raise Problem("entry", "This form is out of date. Reload the page; nothing was changed.")
    with pool(request).connection() as conn:
        house = procedures.house_rules_of(conn, who.account.id)
        try:
            change, what = change_from(form, house)
            kept = procedures.edit_procedure(conn, who.account.id, procedure_id, edit_id, change, what)
        except (FieldErrors, Problem) as trouble:
            errors = trouble.errors if isinstance(trouble, FieldErrors) else {trouble.field: str(trouble)}
            kept = procedures.open_procedure(conn, who.account.id, procedure_id)
            return _form_again(request, who, kept, house, op, fields, errors)
    return _answer(request, who, kept, house, form.text("open"), f"{what[0].upper()}{what[1:]}.")


def _form_again(
    request: Request,
    who: VisitorDep,
    kept: Kept,
    house: HouseRules,
    op: str,
    fields: dict[str, list[str]],
    errors: dict[str, str],
) -> Response:
    step = fields.get("step", [""])[0]
    form = _form(kept, op, who.csrf, values=fields, errors=errors, step=step, was=fields.get("was", [""])[0])
    if op in ("add", "move", "duplicate", "remove", "fix", "take-out", "rewire"):
        raise Problem(next(iter(errors)), next(iter(errors.values())))
    if op == "step" and is_htmx(request):
        work = _work(kept, house, who.csrf, step=step, form=form)
        return html("procedures/work.html", BuilderWork(**work), status=422, headers={"HX-Retarget": "#main"})
    if is_htmx(request):
        headers = {"HX-Retarget": "#panel-body", "HX-Reswap": "innerHTML"}
        return html("procedures/form.html", BuilderFormFragment(form=form), status=422, headers=headers)
    return html("procedures/form_page.html", BuilderFormPage(visitor=who, place="plan", form=form), status=422)


def _answer(request: Request, who: VisitorDep, kept: Kept, house: HouseRules, step: str, said: str) -> Response:
    if not is_htmx(request):
        return RedirectResponse(f"/procedures/{kept.id}{f'?step={step}' if step else ''}", status_code=303)
    work = _work(kept, house, who.csrf, step=step, said=said)
    return html("procedures/work.html", BuilderWork(**work), headers={"HX-Trigger": "helvor:written"})


@router.post("/procedures/{procedure_id}/undo")
@may(May.INSTRUCTORS)
def undo(request: Request, procedure_id: UUID, who: WriterDep, forward: Annotated[bool, Field()] = False) -> Response:
    """Undo the last edit of the draft, or redo it."""
    with pool(request).connection() as conn:
        kept = procedures.step_back(conn, who.account.id, procedure_id, forward=forward)
        house = procedures.house_rules_of(conn, who.account.id)
    return _answer(request, who, kept, house, "", "Redone." if forward else "Undone.")


@router.post("/procedures/{procedure_id}/use")
@may(May.INSTRUCTORS)
def put_in_use(
    request: Request,
    procedure_id: UUID,
    who: WriterDep,
    draft: Annotated[int, Field()] = 0,
    why: Annotated[str, Field(max_length=400)] = "",
) -> Response:
    """Make the draft the version that new runs follow; over an open stop only with the reason, which is kept."""
    with pool(request).connection() as conn:
        kept = procedures.open_procedure(conn, who.account.id, procedure_id)
        house = procedures.house_rules_of(conn, who.account.id)
        stops = open_stops(kept.procedure, house, TECHNIQUES)
        if stops and kept.changed and not why.strip():
            work = _work(kept, house, who.csrf) | {"open_stops": stops}
            return html("procedures/builder.html", BuilderPage(visitor=who, place="plan", **work), status=422)
        procedures.put_in_use(conn, who.account.id, procedure_id, draft, why.strip() if stops else "")
    return RedirectResponse(f"/procedures/{procedure_id}/start", status_code=303)


@router.get("/procedures/{procedure_id}/compare")
@may(May.STAFF)
def compare(request: Request, procedure_id: UUID, who: VisitorDep, old: int = 0, new: int = 0) -> Response:
    """What differs between two versions; 0 is the draft."""
    with pool(request).connection() as conn:
        kept = procedures.open_procedure(conn, who.account.id, procedure_id)
        old = old or kept.version
        before = procedures.version_of(conn, who.account.id, procedure_id, old) if old else kept.procedure
        after = procedures.version_of(conn, who.account.id, procedure_id, new) if new else kept.procedure
    page = ComparePage(
        visitor=who,
        place="plan",
        kept=kept,
        old=old,
        new=new,
        versions=list(range(1, kept.version + 1)),
        differences=differences(before, after),
    )
    return html("procedures/compare.html", page)


@router.get("/procedures/{procedure_id}/start")
@may(May.STAFF)
def start_page(
    request: Request, procedure_id: UUID, who: VisitorDep, factor: str = "", wanted: str = "", substance: str = ""
) -> Response:
    """Scale the version in use and start it for a class or the front bench."""
    with pool(request).connection() as conn:
        kept = procedures.open_procedure(conn, who.account.id, procedure_id)
        house = procedures.house_rules_of(conn, who.account.id)
        version = procedures.version_of(conn, who.account.id, procedure_id, kept.version) if kept.version else None
        taught = [(row, classes.benches_of(conn, row.id)) for row in classes.classes_of(conn, who.account.id)]
    base = version or kept.procedure
    by, trouble = _factor(base, factor, wanted, substance)
    larger = scaled(base, by)
    rows = [
        (s.name, str(s.amount or ""), str(t.amount or ""))
        for s, t in zip(base.substances, larger.substances, strict=True)
        if s.amount
    ]
    kit = [a for a in check_plan(larger, house, TECHNIQUES) if a.finding.code == "vessel-full"]
    page = ScalePage(
        visitor=who,
        place="plan",
        kept=kept,
        factor=f"{by:g}",
        wanted=wanted,
        substance=substance,
        trouble=trouble,
        rows=rows,
        grown=[one for one in differences(base, larger) if one.place.startswith("step ")],
        advice=kit,
        classes=taught,
        start=uuid4(),
    )
    return html("procedures/start.html", page, status=422 if trouble else 200)


def _factor(base: Procedure, factor: str, wanted: str, substance: str) -> tuple[float, str]:
    """The scale, from a factor or from a wanted amount of one substance; 1 and a sentence where it cannot be."""
    form = Form({"factor": [factor], "wanted": [wanted]})
    amount, number = (form.amount("wanted") if wanted else None), form.number("factor")
    if form.errors:
        return 1.0, next(iter(form.errors.values()))
    try:
        if amount is not None:
            return factor_for(base, substance, amount), ""
        by = number if number is not None else 1.0
        scaled(base, by)
    except Unreadable as unreadable:
        return 1.0, str(unreadable)
    return by, ""


@router.post("/procedures/{procedure_id}/start")
@may(May.INSTRUCTORS)
def start(request: Request, procedure_id: UUID, who: WriterDep, fields: SubmittedDep) -> Response:
    """Start one run a bench."""
    form = Form(fields)
    start_id, factor = form.id("start"), form.number("factor")
    if start_id is None or form.errors:
        raise Problem("start", "This form is out of date. Reload the page; nothing was started.")
    with pool(request).connection() as conn:
        where = form.text("where")
        if where == "front":
            benches, goes_to = [classes.front_bench(conn, who.account.id).id], ""
        else:
            class_id = form.id("where")
            row = classes.open_class(conn, who.account.id, class_id) if class_id else None
            if row is None:
                raise NotYours
            benches, goes_to = [bench.id for bench in classes.benches_of(conn, row.id)], f"/classes/{row.id}"
        started = procedures.start_runs(
            conn, who.account.id, who.account.name, procedure_id, benches, start_id, factor or 1.0
        )
    return RedirectResponse(goes_to or f"/runs/{started[0]}", status_code=303)


@router.get("/procedures/{procedure_id}/procedure.{suffix}")
@may(May.STAFF)
def export(request: Request, procedure_id: UUID, suffix: str, who: VisitorDep, version: int = 0) -> Response:
    """The draft or a version as JSON or Markdown."""
    with pool(request).connection() as conn:
        kept = procedures.open_procedure(conn, who.account.id, procedure_id)
        procedure = procedures.version_of(conn, who.account.id, procedure_id, version) if version else kept.procedure
    name = "".join(c if c.isascii() and c.isalnum() else "-" for c in procedure.title).strip("-").lower() or "procedure"
    headers = {"Content-Disposition": f'attachment; filename="{name}.{suffix}"'}
    if suffix == "json":
        return Response(procedure_json(procedure), media_type="application/json", headers=headers)
    if suffix == "md":
        return Response(procedure_markdown(procedure), media_type="text/markdown; charset=utf-8", headers=headers)
    raise NotYours


@router.get("/house-rules")
@may(May.STAFF)
def rules_page(request: Request, who: VisitorDep, saved: bool = False) -> Response:
    """The house rules of the institution."""
    with pool(request).connection() as conn:
        rules = procedures.house_rules_of(conn, who.account.id)
    return _rules(who, rules, rules.chosen.get(OWN_WORDS, ""), saved=saved)


def _rules(who: Visitor, rules: HouseRules, own_words: str, *, saved: bool = False, trouble: str = "") -> Response:
    groups = [
        (group, [q for q in QUESTIONS if q.group == group]) for group in dict.fromkeys(q.group for q in QUESTIONS)
    ]
    page = RulesPage(
        visitor=who, place="plan", groups=groups, rules=rules, saved=saved, own_words=own_words, trouble=trouble
    )
    return html("procedures/rules.html", page, status=422 if trouble else 200)


@router.post("/house-rules")
@may(May.INSTRUCTORS)
def set_rules(request: Request, who: WriterDep, fields: SubmittedDep) -> Response:
    """Choose schools, and the house's own words for quick entry."""
    chosen = {name: values[0] for name, values in fields.items() if values}
    with pool(request).connection() as conn:
        try:
            procedures.set_house_rules(conn, who.account.id, chosen)
        except Unreadable as trouble:
            rules = procedures.house_rules_of(conn, who.account.id).over(
                {name: value for name, value in chosen.items() if name != OWN_WORDS}
            )
            return _rules(who, rules, chosen.get(OWN_WORDS, ""), trouble=str(trouble))
    return RedirectResponse("/house-rules?saved=true", status_code=303)
