"""From what is proposed of a handout to the procedure that somebody wants: amounts put right, parts unticked, what is
missing added."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from helvor.core.engine.plan.check_plan import Advice, check_plan
from helvor.core.engine.plan.edit import insert_step, put_substance, remove_part
from helvor.core.engine.technique import Techniques
from helvor.core.handout.read import HandoutRead, short_title
from helvor.core.quantities.reading import Unreadable, parse_amount
from helvor.core.record.house_rules import HouseRules
from helvor.core.record.procedure import Procedure, same


@dataclass(frozen=True, slots=True)
class SubstanceChoice:
    """What somebody says of a proposed substance; not kept, its steps go without it."""

    name: str
    amount: str
    exact: bool
    kept: bool = True


class NotSettled(ValueError):
    """What cannot be taken: number of the substance, from 0 → one sentence."""

    def __init__(self, troubles: Mapping[int, str]) -> None:
        super().__init__("; ".join(troubles.values()))
        self.troubles = dict(troubles)


def settled(read: HandoutRead, title: str, choices: Mapping[int, SubstanceChoice]) -> Procedure:
    """The procedure with the choices made.

    Args:
        choices: number of a proposed substance, from 0 → what is said of it; the others stay as proposed.

    Raises:
        NotSettled: an amount cannot be read, a name is empty or stands for two substances.
    """
    procedure = read.procedure.model_copy(update={"title": short_title(title.strip()) or read.procedure.title})
    troubles: dict[int, str] = {}
    for number, one in enumerate(read.substances):
        choice = choices.get(number)
        if choice is None:
            continue
        was = one.substance.name
        if not choice.kept:
            procedure = remove_part(procedure, "substance", was)
            continue
        name = " ".join(choice.name.split())[:40]
        others = [s.name for s in procedure.substances if not same(s.name, was)]
        if not name:
            troubles[number] = "Enter a name, or untick it."
        elif any(same(name, other) for other in others):
            troubles[number] = f"“{name}” is there already: give this one another name."
        else:
            try:
                amount = parse_amount(choice.amount) if choice.amount.strip() else None
                changed = one.substance.model_copy(update={"name": name, "amount": amount, "exact": choice.exact})
                procedure = put_substance(procedure, changed, was)
            except Unreadable as unreadable:
                troubles[number] = str(unreadable)
    if troubles:
        raise NotSettled(troubles)
    return procedure


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
