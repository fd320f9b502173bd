"""From what is proposed of a handout to the procedure that somebody wants: amounts put right, parts unticked, what is
missing added."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass

from helvor.core.engine.plan.check_plan import Advice, check_plan
from helvor.core.engine.plan.edit import insert_step, put_substance, remove_part
from helvor.core.engine.technique import Techniques
from helvor.core.handout.read import HandoutRead, short_title
from helvor.core.handout.sentences import plain_text
from helvor.core.quantities.reading import Unreadable, parse_amount
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.known import Known, with_what_is_known
from helvor.core.record.procedure import Procedure, Substance, same


@dataclass(frozen=True, slots=True)
class SubstanceChoice:
    """What somebody says of a proposed substance; not kept, its steps go without it."""

    name: str
    amount: str
    exact: bool
    kept: bool = True


class NotSettled(ValueError):
    """What cannot be taken: key of the proposed substance → one sentence."""

    def __init__(self, troubles: Mapping[str, str]) -> None:
        super().__init__("; ".join(troubles.values()))
        self.troubles = dict(troubles)


def settled(read: HandoutRead, title: str, choices: Mapping[str, SubstanceChoice], known: Known) -> Procedure:
    """The procedure with the choices made.

    Args:
        choices: key of a proposed substance → what is said of it; the others stay as proposed. One whose step was made
            mere words keeps what is said of it, without a step.
        known: what the shelf knows of a name that was put right.

    Raises:
        NotSettled: an amount cannot be read, a name is empty or stands for two substances.
    """
    procedure = read.procedure.model_copy(update={"title": short_title(_clean(title)) or read.procedure.title})
    troubles: dict[str, str] = {}
    there = {one.key: one.substance for one in read.substances}
    for key, choice in choices.items():
        one = there.get(key)
        if not choice.kept or (one is None and not choice.amount.strip()):
            procedure = remove_part(procedure, "substance", one.name) if one is not None else procedure
            continue
        name, was = _clean(choice.name)[:40].strip(), one.name if one is not None else ""
        if not name:
            troubles[key] = "Enter a name, or untick it."
        elif not same(name, was) and procedure.substance(name) is not None:
            troubles[key] = f"“{name}” is there already: give this one another name."
        else:
            try:
                amount = parse_amount(choice.amount) if choice.amount.strip() else None
            except Unreadable as unreadable:
                troubles[key] = str(unreadable)
                continue
            said = (one or Substance(name=name)).model_copy(
                update={"name": name, "amount": amount, "exact": choice.exact}
            )
            put_right = one is None or not same(name, was)
            procedure = put_substance(procedure, with_what_is_known(said, known(name)) if put_right else said, was)
    if troubles:
        raise NotSettled(troubles)
    return procedure


def _clean(text: str) -> str:
    """Words without braces, and without what cannot be printed."""
    return " ".join(re.sub(r"[{}]", "", plain_text(text)).split())


def missing_steps(procedure: Procedure, rules: HouseRules, techniques: Techniques) -> list[Advice]:
    """What a handout leaves unsaid and the builder knows how to add: a tare before the paper gets wet."""
    return [advice for advice in check_plan(procedure, rules, techniques) if advice.fix is not None]


def name_of(advice: Advice) -> str:
    """What a missing step is called in a form: the finding and the step that it goes before."""
    return f"{advice.finding.code}-{advice.step}"


def with_missing_steps(
    procedure: Procedure, wanted: Collection[str], rules: HouseRules, techniques: Techniques
) -> Procedure:
    """The procedure with those of its missing steps that are wanted, by name."""
    for advice in missing_steps(procedure, rules, techniques):
        if name_of(advice) in wanted and advice.fix is not None:
            at = next(n for n, step in enumerate(procedure.steps) if step.id == advice.step)
            procedure = insert_step(procedure, advice.fix, at)
    return procedure
