"""A handout read: pasted or from a file, what is proposed beside each sentence, and the procedure made of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated
from uuid import UUID, uuid4

from fastapi import APIRouter, File, Request, UploadFile
from fastapi import Form as Field
from starlette.responses import RedirectResponse, Response

from helvor.core.handout.read import MOST_SUBSTANCES, NO_STEP, HandoutRead, NoHandout, read_handout
from helvor.core.handout.settle import (
    NotSettled,
    SubstanceChoice,
    missing_steps,
    name_of,
    settled,
    with_missing_steps,
)
from helvor.core.handout.wiring import ProposedStep
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Substance
from helvor.core.record.step_kinds import GROUPS, WASTE
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.exchange import document_apart
from helvor.exchange.document_in import BadDocument
from helvor.notebook import procedures
from helvor.shelf.liquids import as_known
from helvor.shelf.shelf import shipped
from helvor.web.forms import Form, SubmittedDep
from helvor.web.may import May, may
from helvor.web.rendering import Shell, html
from helvor.web.security import Visitor, VisitorDep, WriterDep, pool

router = APIRouter(include_in_schema=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class HandoutPage(Shell):
    """Where a handout is pasted; ``trouble`` is what was wrong with the last one."""

    pasted: str
    trouble: str


@dataclass(frozen=True, slots=True)
class StepShown:
    """A proposed step: its number, its kind, and what is known of it in words."""

    number: int
    kind: str
    says: str
    facts: list[str]
    doubts: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class SentenceShown:
    """A sentence of the handout, what came of it, and the steps that begin with it."""

    number: int
    text: str
    heading: bool
    fate: str
    steps: list[StepShown]


@dataclass(frozen=True, slots=True)
class SubstanceShown:
    """A proposed substance as fields, with what is asked about it and what is wrong with what was typed."""

    number: int
    key: str
    name: str
    amount: str
    exact: bool
    kept: bool
    sentence: str
    doubts: tuple[str, ...]
    trouble: str


@dataclass(frozen=True, slots=True, kw_only=True)
class HandoutReadPage(Shell):
    """What is proposed, each beside its sentence."""

    entry: UUID
    text: str
    title: str
    sentences: list[SentenceShown]
    substances: list[SubstanceShown]
    missing: list[tuple[str, str, str, bool]]
    kinds: list[tuple[str, list[tuple[str, str]]]]
    steps: int
    asked: int
    questions: tuple[str, ...]
    no_step: str


def read(text: str, chosen: Mapping[int, str] | None = None) -> HandoutRead:
    """A handout read with all that this house knows.

    Raises:
        NoHandout: with one sentence.
    """
    return read_handout(text, STEP_KINDS, known_here, chosen)


@router.get("/procedures/handout")
@may(May.STAFF)
def paste(who: VisitorDep) -> Response:
    """Where a handout is pasted or handed in."""
    return html("procedures/handout.html", HandoutPage(visitor=who, place="plan", pasted="", trouble=""))


@router.post("/procedures/handout/files")
@may(May.INSTRUCTORS)
def propose(
    request: Request,
    who: WriterDep,
    file: Annotated[UploadFile | None, File()] = None,
    text: Annotated[str, Field(max_length=200_000)] = "",
) -> Response:
    """Read a handout and show what is proposed; nothing is kept yet."""
    try:
        if file is not None and file.filename:
            text = document_apart.text_of(file.filename[:120], file.file.read())
        shown = _shown(who, text, read(text), Form({}), _house(request, who))
    except (BadDocument, NoHandout) as bad:
        page = HandoutPage(visitor=who, place="plan", pasted=text, trouble=str(bad))
        return html("procedures/handout.html", page, status=422)
    return html("procedures/handout_read.html", shown)


def _house(request: Request, who: Visitor) -> HouseRules:
    with pool(request).connection() as conn:
        return procedures.house_rules_of(conn, who.account.id)


@router.post("/procedures/handout/make/files")
@may(May.INSTRUCTORS)
def make(request: Request, who: WriterDep, fields: SubmittedDep) -> Response:
    """Keep the procedure as it is ticked, and open it in the builder."""
    form = Form(fields)
    text, entry = form.words("text"), form.id("entry")
    try:
        plain = read(text)
        chosen = {n: form.text(f"kind-{n}") for n in range(1, len(plain.steps) + 1) if form.text(f"kind-{n}")}
        known = read(text, chosen)
    except NoHandout as bad:
        page = HandoutPage(visitor=who, place="plan", pasted=text, trouble=str(bad))
        return html("procedures/handout.html", page, status=422)
    house = _house(request, who)
    try:
        procedure = settled(known, form.words("title"), _choices(form), known_here)
    except NotSettled as wrong:
        return html("procedures/handout_read.html", _shown(who, text, plain, form, house, wrong.troubles), status=422)
    wanted = frozenset(form.all("missing"))
    procedure = with_missing_steps(procedure, wanted, house, TECHNIQUES)
    with pool(request).connection() as conn:
        key = procedures.add_procedure(conn, who.account.id, entry or uuid4(), procedure, "read from a handout")
    return RedirectResponse(f"/procedures/{key}", status_code=303)


def _choices(form: Form) -> dict[str, SubstanceChoice]:
    """What is typed of each proposed substance, by its key; they stand in the form by number."""
    numbers = [name.removeprefix("key-") for name in form.fields if name.startswith("key-")]
    return {
        form.words(f"key-{n}"): SubstanceChoice(
            form.words(f"name-{n}"),
            form.text(f"amount-{n}"),
            exact=bool(form.text(f"exact-{n}")),
            kept=bool(form.text(f"keep-{n}")),
        )
        for n in numbers[:MOST_SUBSTANCES]
    }


def known_here(name: str) -> Substance | None:
    """What the shelf knows of a name."""
    return as_known(name, shipped())


def _shown(
    who: Visitor,
    text: str,
    known: HandoutRead,
    form: Form,
    house: HouseRules,
    troubles: Mapping[str, str] | None = None,
) -> HandoutReadPage:
    """The page of a handout; with what was typed, where it comes again."""
    steps = [_step(number, one, form.text(f"kind-{number}")) for number, one in enumerate(known.steps, start=1)]
    begins: dict[int, list[StepShown]] = {}
    for shown, one in zip(steps, known.steps, strict=True):
        begins.setdefault(one.sentences[0], []).append(shown)
    return HandoutReadPage(
        visitor=who,
        place="plan",
        entry=form.id("entry") or uuid4(),
        text=text,
        title=form.words("title") or known.procedure.title,
        sentences=[
            SentenceShown(one.number, one.text, one.heading, known.fate[one.number], begins.get(one.number, []))
            for one in known.sentences
        ],
        substances=_substances(known, _choices(form), troubles or {}),
        missing=_missing(known, form, house),
        kinds=[
            (group, [(kind.key, kind.title) for kind in STEP_KINDS.values() if kind.group == group])
            for group in dict.fromkeys((*GROUPS, *(kind.group for kind in STEP_KINDS.values())))
        ],
        steps=len(known.steps),
        asked=known.doubtful,
        questions=known.questions,
        no_step=NO_STEP,
    )


def _substances(
    known: HandoutRead, choices: Mapping[str, SubstanceChoice], troubles: Mapping[str, str]
) -> list[SubstanceShown]:
    texts = {sentence.number: sentence.text for sentence in known.sentences}
    shown = []
    for n, one in enumerate(known.substances):
        proposed = one.substance
        said = choices.get(one.key) or SubstanceChoice(proposed.name, str(proposed.amount or ""), proposed.exact)
        beside = texts.get(one.sentence, "")
        shown.append(
            SubstanceShown(
                n, one.key, said.name, said.amount, said.exact, said.kept, beside, one.doubts, troubles.get(one.key, "")
            )
        )
    return shown


def _missing(known: HandoutRead, form: Form, house: HouseRules) -> list[tuple[str, str, str, bool]]:
    """Steps that the handout does not tell: name, words, why, and whether they are ticked."""
    numbers = {step.id: n for n, step in enumerate(known.procedure.steps, start=1)}
    ticked = form.all("missing") if form.fields else None
    return [
        (
            name_of(advice),
            f"Before step {numbers[advice.step]}: {advice.fix.says}",
            advice.finding.what,
            ticked is None or name_of(advice) in ticked,
        )
        for advice in missing_steps(known.procedure, house, TECHNIQUES)
        if advice.fix is not None
    ]


def _step(number: int, one: ProposedStep, kind: str) -> StepShown:
    step = one.step
    facts = [
        *((f"{step.celsius:g} °C",) if step.celsius is not None else ()),
        *((f"{step.waits} min",) if step.waits else ()),
        *((f"{step.times} portions",) if step.times > 1 else ()),
        *((f"adds {', '.join(step.adds)}",) if step.adds and step.kind != "weigh" else ()),
        *((" + ".join(step.container) + (", empty" if step.empty else ""),) if step.container else ()),
        *((f"works on {step.on or ', '.join(step.takes)}",) if step.on or step.takes else ()),
        *((f"gives {', '.join(step.gives)}",) if step.gives else ()),
        *((f"waste: {WASTE[step.waste]}",) if step.waste else ()),
        *((f"meeting {step.meeting}",) if step.meeting > 1 else ()),
    ]
    return StepShown(number, kind or step.kind, step.says, facts, one.doubts)
