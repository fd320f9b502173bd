"""Forms of a run → entries."""

from __future__ import annotations

import re
from collections.abc import Mapping
from uuid import UUID

from helvor.core.engine.plan.edit import new_step
from helvor.core.engine.run import entries as e
from helvor.core.engine.run.names import NEW, portion_meant
from helvor.core.engine.run.record import Run, WeighedOn
from helvor.core.engine.run.slips import slip_in
from helvor.core.engine.run.taken_line import added_substances
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Reading, Unreadable, parse
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import Portion, Step, Substance, same
from helvor.core.record.step_kinds import StepKind
from helvor.core.record.typed_line import NotSure, ids_from
from helvor.core.techniques.registered import STEP_KINDS
from helvor.notebook.pages import Draft
from helvor.shelf.liquids import as_known
from helvor.shelf.shelf import shipped, tolerance_of
from helvor.web.forms import FieldErrors, Form, acknowledged, struck
from helvor.web.run.around import BY_THE_SHELF
from helvor.web.run.at_step import Reader


def draft_from(
    kind: str,
    form: Form,
    entry: UUID,
    run: Run,
    bottles: Mapping[str, e.Bottle] | None = None,
    more: Mapping[str, Reader] | None = None,
) -> Draft:
    """The entry that a form writes.

    Args:
        bottles: stock bottles of the class by code and label, in lower case.
        more: readers of the techniques' own kinds.

    Raises:
        FieldErrors: with a sentence for each field.
    """
    reader = READERS.get(kind) or (more or {}).get(kind)
    if reader is None:
        raise FieldErrors({"": "There is no such form. Reload the page."})
    strikes, reason = form.correction()
    named = form.text("bottle").casefold()
    if kind == "taken" and named and named not in (bottles or {}):
        form.errors["bottle"] = "No stock bottle of this class has this code or label: check the label."
    payload = reader(form, run, strikes)
    if isinstance(payload, e.Taken) and named and bottles:
        payload = payload.model_copy(update={"bottle": bottles[named]})
    return Draft(entry, payload, strikes, reason)


def sisters(run: Run, strikes: UUID | None) -> list[WeighedOn]:
    """The other weighings after drying of what is corrected: theirs may have to be put right with it."""
    one = next((on for on in run.weighings if on.line.head.id == strikes), None)
    if one is None or one.weighed.state != "dried":
        return []
    return [
        on
        for on in run.weighings
        if on is not one
        and on.weighed.state == "dried"
        and on.weighed.pan == one.weighed.pan
        and same(on.weighed.portion, one.weighed.portion)
    ]


def with_sisters(draft: Draft, form: Form, run: Run) -> list[Draft]:
    """A correction with those of its sisters that the form corrects too, for the same reason; a step with what it adds.

    Raises:
        FieldErrors: a mass cannot be read.
    """
    key, drafts = ids_from(draft.id), [draft]
    if isinstance(draft.payload, e.StepAdded):
        new = [one for one in _added(form, run) if run.procedure.substance(one.name) is None]
        return [*(Draft(key(n), e.SubstanceAdded(substance=one)) for n, one in enumerate(new, start=1)), draft]
    for on in sisters(run, draft.strikes):
        name = f"also_{on.line.head.id}"
        mass = form.mass(name)
        if mass is not None and mass.written != on.weighed.mass.written:
            said = on.weighed.model_copy(update={"mass": mass})
            drafts.append(Draft(key(len(drafts)), said, on.line.head.id, draft.reason))
    form.check()
    return drafts


def labels_of(text: str) -> tuple[str, ...]:
    """``dish 3 + paper 2`` → both labels."""
    return tuple(label.strip() for label in re.split(r"\s*(?:\+|,|\bwith\b)\s*", text) if label.strip())


def _weighed(form: Form, run: Run, strikes: UUID | None) -> Payload:
    state, portion = form.text("state"), form.text("portion")
    labels = labels_of(form.text("container"))
    if not labels:
        form.errors["container"] = "Enter the container on the pan, such as dish 3."
    known = _portion(form, portion, labels, run) if portion and not state.startswith("empty") else portion
    number = form.whole("round")
    if state == "dried" and number is None:
        number = run.next_round(labels, known)
    said = form.build_part(
        e.Weighed,
        container=labels,
        portion="" if state.startswith("empty") else known,
        state=state,
        round=number if state == "dried" else None,
        way="net" if form.text("way") == "net" and not state.startswith("empty") else "gross",
        mass=form.mass("mass", required=True),
        balance=form.text("balance"),
        readability=form.mass("readability"),
        hot=bool(form.text("hot")),
        estimated=bool(form.text("estimated")),
        step=form.text("step"),
    )
    question = "" if form.text("sure") else slip_in(said, run, strikes)
    if question:
        raise FieldErrors({"mass": question, "sure": "Change the mass, or tick that it is right."})
    return said


def _portion(form: Form, typed: str, labels: tuple[str, ...], run: Run) -> str:
    """The portion that a field names; one that no step gives is new only when that is said."""
    try:
        return portion_meant(typed, labels, run, form.text("step"), STEP_KINDS, "{}").name
    except NotSure as asked:
        if not form.text("new_portion"):
            names = [line for line in asked.lines if not line.startswith(f"{NEW} ")]
            form.errors["portion"] = (
                f"No step produces “{typed[:40]}”. Enter {', '.join(names)}; or tick that it is a new portion."
            )
        return typed


def _taken(form: Form, run: Run, strikes: UUID | None) -> Payload:
    before, after = form.mass("before"), form.mass("after")
    amount = None
    text = form.text("amount")
    if text or (before is None and after is None and not form.errors):
        substance = run.procedure.substance(form.text("substance"))
        target = substance.amount if substance else None
        amount = _amount(form, text, target)
    instead_formula = form.text("instead_formula")
    if instead_formula:
        try:
            molar_mass(instead_formula)
        except Unreadable as unreadable:
            form.errors["instead_formula"] = str(unreadable)
    return form.build(
        e.Taken,
        substance=form.text("substance"),
        amount=amount,
        before=before,
        after=after,
        readability=form.mass("readability"),
        glass=form.text("glass"),
        tolerance=_tolerance(form),
        instead=form.text("instead"),
        instead_formula=instead_formula,
        estimated=bool(form.text("estimated")),
        balance=form.text("balance"),
        step=form.text("step"),
    )


def _amount(form: Form, text: str, target: Reading | None) -> Reading | None:
    """An amount; without a unit it has the field's or the target's, which stands beside the field."""
    unit = form.text("unit") if form.text("unit") in ("g", "mL") else target.unit if target is not None else ""
    if unit and re.fullmatch(r"[\d.,\s/]+", text):
        try:
            return parse(text, "mass" if unit == "g" else "volume", field_unit=unit)
        except Unreadable as unreadable:
            form.errors["amount"] = str(unreadable)
            return None
    return form.amount("amount", required=True)


def _volume(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        e.VolumeRead,
        portion=form.text("portion"),
        volume=form.volume("volume", required=True),
        glass=form.text("glass"),
        tolerance=_tolerance(form),
        step=form.text("step"),
    )


def _tolerance(form: Form) -> Reading | None:
    """The glassware's tolerance as typed, else the shelf's for what it was measured with."""
    typed = form.volume("tolerance")
    known = tolerance_of(form.text("glass")) if typed is None else None
    return parse(f"{known:g} mL", "volume") if known else typed


def _used_instead(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(
        e.UsedInstead,
        kit=form.text("kit"),
        instead=form.text("instead"),
        why=form.text("why"),
        step=form.text("step"),
    )


def _marked(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(e.Marked, step=form.text("step"), how=form.text("how") or "done", why=form.text("why"))


def _noted(form: Form, run: Run, strikes: UUID | None) -> Payload:
    picks = tuple(pick for pick in form.all("picks") if pick.strip())
    return form.build(
        e.Noted, words=form.text("words"), picks=picks, celsius=form.number("celsius"), step=form.text("step")
    )


def _checked(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(e.Checked, step=form.text("step"), checks=tuple(form.all("checks")))


def _tried(form: Form, run: Run, strikes: UUID | None) -> Payload:
    passed = form.text("outcome") == "passed"
    return form.build(
        e.Tried, step=form.text("step"), trial=form.text("trial"), passed=passed, words=form.text("words")
    )


def _timer(form: Form, run: Run, strikes: UUID | None) -> Payload:
    minutes = form.number("minutes")
    if minutes is None:
        form.errors.setdefault("minutes", "Enter the minutes.")
    return form.build(e.TimerSet, label=form.text("label"), minutes=minutes, step=form.text("step"))


def _timer_stopped(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(e.TimerStopped, timer=form.id("timer"))


def _borrowed(form: Form, run: Run, strikes: UUID | None) -> Payload:
    return form.build(e.Borrowed, portion=form.text("portion"), source=form.text("source"), why=form.text("why"))


def _late(form: Form, run: Run, strikes: UUID | None) -> Payload:
    if len(form.text("words")) < 2:
        form.errors["words"] = "Enter when the bench started, or why it is late."
    return form.build(e.Late, words=form.text("words"), make_up=form.text("make_up"))


def _added(form: Form, run: Run) -> list[Substance]:
    """What a step adds, as its form says it."""
    try:
        return added_substances(form.text("adds"), run, BY_THE_SHELF, lambda name: as_known(name, shipped()))
    except Unreadable as unreadable:
        form.errors["adds"] = str(unreadable)
        return []


def _step_added(form: Form, run: Run, strikes: UUID | None) -> Payload:
    kind: StepKind | None = STEP_KINDS.get(form.text("step_kind"))
    if kind is None:
        form.errors["step_kind"] = "Choose a kind of step."
        form.check()
    assert kind is not None
    used = {step.id for step in run.procedure.steps}
    step_id = next(f"x{n}" for n in range(1, 200) if f"x{n}" not in used)
    steps = run.procedure.steps
    before = run.procedure.step(form.text("after")) or (steps[-1] if steps else None)
    # What is left empty is as a new step of this kind starts: it works on what the one before left.
    usual = new_step(kind, step_id, before, STEP_KINDS, run.portion_names)
    takes, gives, on = names_of(form.text("takes")), names_of(form.text("gives")), form.text("on")
    said = bool(takes or gives or on)
    step = form.build_part(
        Step,
        id=step_id,
        kind=kind.key,
        says=form.text("says"),
        takes=takes if said else usual.takes,
        gives=gives or usual.gives,
        roles=() if gives else usual.roles,
        on=on if said else usual.on,
        adds=tuple(one.name for one in _added(form, run)),
        container=labels_of(form.text("container")),
        asks=kind.asks,
        kit=kind.kit,
        hands=kind.hands,
        waits=kind.waits,
    )
    return form.build(e.StepAdded, step=step, after=form.text("after"))


def values_of_new_step(run: Run, key: str) -> dict[str, list[str]]:
    """What stands in the form for a step of a kind: its usual words, and what it would work on."""
    kind = STEP_KINDS.get(key)
    if kind is None:
        return {}
    steps = run.procedure.steps
    usual = new_step(kind, "x1", steps[-1] if steps else None, STEP_KINDS, run.portion_names)
    # On a blank run nothing may have given a portion yet: then what was weighed last is worked on.
    main = usual.on or ", ".join(usual.takes) or (run.portion_names[-1] if run.portion_names else "")
    works = {"takes": [main]} if usual.gives else {"on": [main]}
    return {"step_kind": [key], "says": [kind.says], "gives": [", ".join(usual.gives)], **works}


def _substance_added(form: Form, run: Run, strikes: UUID | None) -> Payload:
    density, molar = form.number("density"), form.number("molar")
    substance = form.build_part(
        Substance,
        name=form.text("name"),
        role=form.text("role") or "reagent",
        formula=form.text("formula"),
        amount=form.text("target") or None,
        layer=form.text("layer"),
        density=density,
        molar=molar,
        exact=True,
    )
    return form.build(e.SubstanceAdded, substance=substance)


def _portion_said(form: Form, run: Run, strikes: UUID | None) -> Payload:
    portion = form.build_part(
        Portion,
        name=form.text("name"),
        component=form.text("component"),
        formula=form.text("formula"),
        end=form.text("end"),
        by_loss=bool(form.text("by_loss")),
    )
    return form.build(e.PortionSaid, portion=portion)


def names_of(text: str) -> tuple[str, ...]:
    """``sand, salt solution`` → both names."""
    return tuple(name.strip() for name in re.split(r"\s*[,;+]\s*", text) if name.strip())


READERS: dict[str, Reader] = {
    "weighed": _weighed,
    "taken": _taken,
    "volume-read": _volume,
    "used-instead": _used_instead,
    "marked": _marked,
    "noted": _noted,
    "checked": _checked,
    "tried": _tried,
    "timer-set": _timer,
    "timer-stopped": _timer_stopped,
    "borrowed": _borrowed,
    "late": _late,
    "step-added": _step_added,
    "substance-added": _substance_added,
    "portion-said": _portion_said,
    "struck": lambda form, run, strikes: struck(form),
    "acknowledged": lambda form, run, strikes: acknowledged(form),
}
"""Kinds of entry that a form can write. Following, attaching and correcting the handout have doors of their own."""


def values_of_run(payload: Payload) -> dict[str, list[str]]:
    """A standing entry of a run as the fields of its form, where these differ from the entry's own."""
    match payload:
        case e.Weighed() as w:
            return {"container": [" + ".join(w.container)], "state": [w.state], "way": [w.way]}
        case e.Taken(amount=Reading() as amount):
            return {"amount": [str(amount)]}
        case _:
            return {}
