"""Forms of the procedure builder → changes of a procedure."""

from __future__ import annotations

from collections.abc import Callable

from helvor.core.engine.plan import edit
from helvor.core.engine.plan.check_plan import check_plan
from helvor.core.laws.crystallization.solubility import read_curve
from helvor.core.quantities.reading import Unreadable, parse_number
from helvor.core.record.entry import Problem
from helvor.core.record.house_rules import HouseRules, known_choices
from helvor.core.record.procedure import Component, Portion, Procedure, Step, StudyQuestion, Substance, same
from helvor.core.record.step_kinds import StepKind
from helvor.core.techniques.registered import STEP_KINDS, TECHNIQUES
from helvor.shelf.liquids import as_known, part_named
from helvor.shelf.shelf import shipped
from helvor.web.forms import FieldErrors, Form
from helvor.web.procedures.step_form import outputs_from, parameters_from
from helvor.web.run.forms import labels_of, names_of

Change = Callable[[Procedure], Procedure]


def change_from(form: Form, rules: HouseRules) -> tuple[Change, str]:
    """What a form of the builder changes, and what that is called.

    Raises:
        FieldErrors: with a sentence for each field.
    """
    what = form.text("op")
    reader = _READERS.get(what)
    if reader is None:
        raise FieldErrors({"": "There is no such form. Reload the page."})
    return reader(form, rules)


def _place(form: Form) -> int:
    at = form.whole("at")
    form.check()
    return at if at is not None else 10_000


def _add(form: Form, rules: HouseRules) -> tuple[Change, str]:
    kind = STEP_KINDS.get(form.text("kind"))
    if kind is None:
        raise FieldErrors({"kind": "Choose a kind of step."})
    at = _place(form)
    return lambda p: edit.add_step(p, kind, at, STEP_KINDS), f"{kind.title} added"


def _move(form: Form, rules: HouseRules) -> tuple[Change, str]:
    step, at = form.text("step"), _place(form)
    return lambda p: edit.move_step(p, step, at), "step moved"


def _rewire(form: Form, rules: HouseRules) -> tuple[Change, str]:
    """Let a step work on another portion, one that an earlier step gives."""
    key, old, new = form.text("step"), form.text("old"), form.text("new")

    def change(procedure: Procedure) -> Procedure:
        step = procedure.step(key)
        if step is None:
            raise Problem("step", "That step is no longer in this procedure.")
        earlier = procedure.steps[: procedure.steps.index(step)]
        known = next((name for one in earlier for name in one.gives if same(name, new)), None)
        if known is None:
            raise Problem("new", f"No step before it produces “{new[:40]}”: choose another portion.")
        return edit.replace_step(procedure, edit.taking_instead(step, old, known))

    return change, f"step works on {new[:40]}"


def _duplicate(form: Form, rules: HouseRules) -> tuple[Change, str]:
    step = form.text("step")
    return lambda p: edit.duplicate_step(p, step), "step duplicated"


def _remove(form: Form, rules: HouseRules) -> tuple[Change, str]:
    step = form.text("step")
    return lambda p: edit.remove_step(p, step), "step deleted"


def _step(form: Form, rules: HouseRules) -> tuple[Change, str]:
    celsius, volume, times = form.number("celsius"), form.volume("volume"), form.whole("times")
    kind = STEP_KINDS.get(form.text("kind")) or StepKind(form.text("kind"), "", "", "")
    (gives, roles), parameters = outputs_from(form, kind), parameters_from(form, kind)
    hands, waits, meeting = form.whole("hands"), form.whole("waits"), form.whole("meeting")
    step = form.build_part(
        Step,
        id=form.text("step"),
        kind=form.text("kind"),
        says=form.text("says"),
        takes=names_of(form.text("takes")),
        gives=gives,
        roles=roles,
        on=form.text("on"),
        adds=tuple(name for name in form.all("adds") if name),
        asks=names_of(form.text("asks")),
        container=labels_of(form.text("container")),
        empty=bool(form.text("empty")),
        celsius=celsius,
        volume=volume.value if volume else None,
        times=times or 1,
        place=form.text("place"),
        kit=names_of(form.text("kit")),
        hands=hands or 0,
        waits=waits or 0,
        doer=form.text("doer") or "bench",
        meeting=meeting or 1,
        cautions=form.text("cautions"),
        waste=form.text("waste"),
        **parameters,
    )
    return lambda p: edit.replace_step(p, edit.as_called_here(p, step)), "step changed"


def _fix(form: Form, rules: HouseRules) -> tuple[Change, str]:
    """Make the change that settles a finding, as the finding stands when the change is made."""
    code, step, words = form.text("code"), form.text("step"), form.text("mend")

    def change(procedure: Procedure) -> Procedure:
        for advice in check_plan(procedure, rules, TECHNIQUES):
            if advice.finding.code != code or advice.step != step:
                continue
            mend = next((one for one in advice.mends if one.words == words), None)
            if mend is not None:
                return mend.procedure
            if advice.fix is not None and not words:
                at = next(i for i, other in enumerate(procedure.steps) if other.id == step)
                return edit.insert_step(procedure, advice.fix, at)
        raise Problem("code", "That was already resolved.")

    return change, "finding resolved"


_OF_THE_HEAD = ("title", "aim", "hazards", "equation", "period", "level", "expects", "questions")


def _question_lines(form: Form) -> tuple[StudyQuestion, ...]:
    """``Why is it rinsed? | Salt stays behind``, a line each: what is asked, and the answer that is expected."""
    found = []
    for line in form.words("questions").splitlines():
        asks, _, answer = line.partition("|")
        if line.strip():
            # One bad line is said at the field, and the others are kept as they were typed.
            try:
                found.append(form.build_part(StudyQuestion, asks=asks.strip(), answer=answer.strip()))
            except FieldErrors:
                form.errors = {
                    "questions": f"“{line.strip()[:40]}”: a question and an answer have 3 to 400 characters each."
                }
                raise FieldErrors(form.errors) from None
    return tuple(found)


def _head(form: Form, rules: HouseRules) -> tuple[Change, str]:
    period = form.whole("period")
    questions = _question_lines(form)
    head = form.build_part(
        Procedure,
        title=form.text("title"),
        aim=form.text("aim"),
        hazards=form.text("hazards"),
        equation=form.text("equation"),
        period=period or 165,
        level=form.text("level"),
        expects=form.words("expects"),
        questions=questions,
    )
    update = {name: getattr(head, name) for name in _OF_THE_HEAD}
    return lambda p: p.model_copy(update=update), "title and aim changed"


def _substance(form: Form, rules: HouseRules) -> tuple[Change, str]:
    amount = form.amount("amount")
    numbers = {name: form.number(name) for name in ("fraction", "molar", "density", "melts", "boils")}
    # What was left empty of something new is what the shelf knows of it, typed in full or picked.
    known = None if form.text("was") else as_known(form.text("name"), shipped())
    for name in ("molar", "density", "melts", "boils"):
        if numbers[name] is None and known is not None:
            numbers[name] = getattr(known, name)
    words = {
        name: form.text(name) or (str(getattr(known, name)) if known is not None else "")
        for name in ("formula", "layer", "hazards", "waste")
    }
    substance = form.build_part(
        Substance,
        name=form.text("name"),
        amount=amount,
        exact=form.text("exact") == "yes",
        role=form.text("role") or "reagent",
        component=form.text("component"),
        fraction=numbers.pop("fraction") or 1.0,
        flammable=bool(form.text("flammable")) or (known is not None and known.flammable),
        **words,
        **numbers,
    )
    was = form.text("was")
    return lambda p: edit.put_substance(p, substance, was), f"{substance.name} {'changed' if was else 'added'}"


def _rf_lines(form: Form) -> dict[str, float]:
    """``heptane = 0.55``, a line each: an eluent and the Rf in it."""
    found: dict[str, float] = {}
    for line in form.text("rf").splitlines():
        if not line.strip():
            continue
        eluent, equals, number = line.rpartition("=")
        try:
            found[eluent.strip()] = parse_number(number.strip())[0]
        except Unreadable as unreadable:
            form.errors["rf"] = str(unreadable)
        if not equals or not eluent.strip():
            form.errors["rf"] = (
                f"“{line.strip()[:30]}” is not clear: enter an eluent and its Rf, such as heptane = 0.55."
            )
    return found


def _dissolves_lines(form: Form) -> dict[str, tuple[tuple[float, float], ...]]:
    """``water = 0.56 at 25, 5.55 at 100``, a line each: a solvent and g in 100 mL of it at two temperatures or more."""
    found: dict[str, tuple[tuple[float, float], ...]] = {}
    for line in form.text("dissolves").splitlines():
        if not line.strip():
            continue
        solvent, equals, points = line.partition("=")
        if not equals or not solvent.strip():
            form.errors["dissolves"] = (
                f"“{line.strip()[:30]}” is not clear: "
                "enter a solvent and its points, such as water = 0.56 at 25, 5.55 at 100."
            )
            continue
        try:
            found[solvent.strip()] = tuple((point.celsius, point.grams) for point in read_curve(points).points)
        except Unreadable as unreadable:
            form.errors["dissolves"] = str(unreadable)
    return found


def _component(form: Form, rules: HouseRules) -> tuple[Change, str]:
    pka, log_k = form.number("pka"), form.number("log_k")
    known = part_named(form.text("name"), shipped()) if form.text("acts") else None
    if known is not None and known.acts == form.text("acts"):
        # What was left empty is what the shelf knows.
        pka = known.pka if pka is None else pka
        log_k = known.log_k if log_k is None else log_k
    component = form.build_part(
        Component,
        name=form.text("name"),
        carrier=form.text("carrier"),
        expressed=form.text("expressed"),
        acts=form.text("acts"),
        rf=_rf_lines(form),
        dissolves=_dissolves_lines(form),
        pka=pka,
        log_k=log_k,
    )
    was = form.text("was")
    return lambda p: edit.put_component(p, component, was), f"{component.name} tracked"


def _portion(form: Form, rules: HouseRules) -> tuple[Change, str]:
    share, soluble, usual = form.number("share"), form.number("soluble"), form.number("usual")
    portion = form.build_part(
        Portion,
        name=form.text("name"),
        component=form.text("component"),
        formula=form.text("formula"),
        end=form.text("end"),
        by_loss=bool(form.text("by_loss")),
        share=share,
        usual=usual,
        soluble=soluble,
    )
    was = form.text("was")
    return lambda p: edit.put_portion(p, portion, was), f"portion {portion.name} changed"


def _take_out(form: Form, rules: HouseRules) -> tuple[Change, str]:
    kind, name = form.text("part"), form.text("name")
    return lambda p: edit.remove_part(p, kind, name), f"{name} deleted"


def _rule(form: Form, rules: HouseRules) -> tuple[Change, str]:
    question, school = form.text("question"), form.text("school")
    chosen = known_choices({question: school})

    def change(procedure: Procedure) -> Procedure:
        left = {key: value for key, value in procedure.house_rules.items() if key != question}
        return procedure.model_copy(update={"house_rules": {**left, **chosen}})

    return change, "house rule changed"


_READERS: dict[str, Callable[[Form, HouseRules], tuple[Change, str]]] = {
    "add": _add,
    "move": _move,
    "duplicate": _duplicate,
    "rewire": _rewire,
    "remove": _remove,
    "step": _step,
    "fix": _fix,
    "head": _head,
    "substance": _substance,
    "component": _component,
    "portion": _portion,
    "take-out": _take_out,
    "rule": _rule,
}
