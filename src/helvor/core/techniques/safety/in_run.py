"""Safety in a run: the plan's rules on what is really used, and what only the record can show.

In a run 1. What stands in the plan is judged as it is carried out: other kit, another substance, a temperature read.
In a run 2. What is to stop is said of every step that is still to come; the rest at the step that is at hand.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from functools import lru_cache

from helvor.core.engine.plan.check_plan import Advice, Plan
from helvor.core.engine.plan.matter import moments
from helvor.core.engine.run.case import Case, join
from helvor.core.engine.run.record import Run
from helvor.core.hazards.care import named
from helvor.core.hazards.substances import care_of
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import MOST_SAID, Portion, Procedure, Step, Substance, same
from helvor.core.techniques.safety.advice import LOCAL
from helvor.core.techniques.safety.rules import check_plan_safety

NEAR_BOILING = 10.0
"""°C below a liquid's boiling point from which it counts as boiling. Common practice."""
GRAINS = ("charcoal", "carbon", "chips", "boiling stones", "anti-bumping")


def as_done(run: Run) -> Procedure:
    """The procedure as a bench carries it out, with the kit and substances that it really used (In a run 1)."""
    procedure = run.procedure
    instead = {on.taken.substance.casefold(): on.taken.instead for on in run.taken if on.taken.instead}
    # What a blank run took is in no list: only the readings name it.
    more = {
        on.taken.substance.casefold(): on.taken for on in run.taken if procedure.substance(on.taken.substance) is None
    }
    noted = any(said.step and said.words for _, said in run.notes)
    if not instead and not more and not run.instead and not noted:
        return procedure
    substances = tuple(
        _used(substance, instead.get(substance.name.casefold(), "")) for substance in procedure.substances
    )
    taken = tuple(
        Substance.model_construct(name=one.substance, amount=one.amount, role="solvent") for one in more.values()
    )
    at = {one.step: tuple(o.substance for o in more.values() if o.step == one.step) for one in more.values()}
    steps = tuple(_as_done(step, run, at.get(step.id, ())) for step in procedure.steps)
    return procedure.model_copy(update={"substances": (*substances, *taken), "steps": steps})


def _used(substance: Substance, other: str) -> Substance:
    """A substance with the dangers of what was used in its place."""
    if not other:
        return substance
    burns = any(care.burns for care in named(other))
    hazards = f"{substance.hazards}; {other}".strip("; ")[:400]
    return substance.model_copy(update={"hazards": hazards, "flammable": substance.flammable or burns})


def _as_done(step: Step, run: Run, taken: tuple[str, ...]) -> Step:
    used = {kit: said.instead for (at, kit), (_, said) in run.instead.items() if at in (step.id, "")}
    kit = tuple(used.get(name.casefold(), name) for name in step.kit)
    here = tuple(
        said.instead for (at, _), (_, said) in run.instead.items() if at == step.id and said.instead not in kit
    )
    # Words of a note name kit, too: "boiled it over the Bunsen".
    noted = " ".join(said.words for _, said in run.notes if said.step == step.id)
    if not used and not here and not noted and not taken:
        return step
    return step.model_copy(
        update={
            "kit": (*kit, *here),
            "adds": (*step.adds, *taken),
            "cautions": f"{step.cautions} {noted}".strip()[:MOST_SAID],
        }
    )


class _Rules:
    """House rules and kinds of step, the same for as long as the schools that safety asks for are."""

    def __init__(self, case: Case) -> None:
        self.rules, self.kinds = case.rules, case.kinds
        self.key = (case.rules["condenser-water"].key, id(case.kinds))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Rules) and self.key == other.key

    def __hash__(self) -> int:
        return hash(self.key)


@lru_cache(maxsize=256)
def _told(
    steps: tuple[Step, ...], substances: tuple[Substance, ...], portions: tuple[Portion, ...], held: _Rules
) -> tuple[Advice, ...]:
    """What the plan's rules say. It hangs on nothing that a reading changes, so it is worked out once."""
    procedure = Procedure.model_construct(title="", steps=steps, substances=substances, portions=portions)
    return tuple(check_plan_safety(Plan(procedure, held.rules, list(moments(procedure, held.kinds)))))


def check_run_safety(case: Case) -> Iterator[Finding]:
    """All findings of safety in a run."""
    run = case.run
    at_hand = run.next_step.id if run.next_step is not None else ""
    procedure = as_done(run)
    settled = run.done.keys() | run.skipped.keys()
    for advice in _told(procedure.steps, procedure.substances, procedure.portions, _Rules(case)):
        finding = advice.finding
        if advice.step in settled or (finding.level != "stop" and advice.step != at_hand):
            continue
        yield finding
    yield from grains_went_in_hot(case)
    yield from before_throwing_away(case)


def grains_went_in_hot(case: Case) -> Iterator[Finding]:
    """Charcoal or chips were taken while the last reading said that it was hot or boiled."""
    for on in case.run.taken:
        name = on.taken.substance
        if not any(word in name.casefold() for word in GRAINS):
            continue
        step = case.run.procedure.step(on.taken.step)
        seen = _last_heat(case, on.line.root.happened, on.taken.step)
        if seen is None:
            continue
        liquid, celsius, boils = seen
        if boils is None or celsius >= boils - NEAR_BOILING:
            yield Finding(
                "grains-went-in-hot",
                "stop",
                f"{name} went in while {liquid} was at {celsius:g} °C."
                if celsius < 1000
                else f"{name} went in while it boiled.",
                "In boiling liquid it foams over, hot; the material that foamed over is lost.",
                f"Check whether anybody was splashed; then cool, and record what was lost. {LOCAL}",
                about=step.id if step is not None else name,
            )


def _last_heat(case: Case, before: datetime, step: str) -> tuple[str, float, float | None] | None:
    """The liquid of a step, the last temperature read before a moment (1000 where it only boils), its boiling point."""
    readings: list[tuple[datetime, float]] = []
    for line in case.run.lines:
        said = line.head.payload
        if line.root.happened > before or getattr(said, "step", "") not in (step, ""):
            continue
        celsius = getattr(said, "celsius", None)
        if said.kind in ("temperature-seen", "noted") and isinstance(celsius, float):
            readings.append((line.root.happened, celsius))
        if said.kind == "boiling":
            readings.append((line.root.happened, 1001.0 if getattr(said, "boils", False) else 0.0))
    if not readings:
        return None
    celsius = max(readings, key=lambda pair: pair[0])[1]
    at = case.run.procedure.step(step)
    cares = [
        care
        for name in (at.adds if at is not None else ())
        if (s := case.run.procedure.substance(name)) and (care := care_of(s)) and care.liquid
    ]
    liquid = cares[0] if cares else None
    return (liquid.shown if liquid else "it", celsius, liquid.boils if liquid is not None else 100.0)


def unweighed(case: Case) -> list[str]:
    """Products that have no mass yet: until they have, nothing is thrown away."""
    procedure, ledger = case.run.procedure, case.ledger
    return [
        name
        for name in procedure.portion_names
        if procedure.portion(name).end == "product"
        and not procedure.portion(name).by_loss
        and ((portion := ledger.portion(name)) is None or portion.mass is None)
        and not any(same(name, other) for other in case.run.borrowed)
    ]


def before_throwing_away(case: Case) -> Iterator[Finding]:
    """The step at hand throws something away, and a product is not weighed yet."""
    step = case.run.next_step
    if step is None or step.kind != "discard":
        return
    open_ = unweighed(case)
    what = join(list(step.takes) or ([step.on] if step.on else ["it"]))
    if open_:
        yield Finding(
            "keep-until-weighed",
            "stop",
            f"The next step discards {what}, but {join(open_[:3])} {'is' if len(open_) == 1 else 'are'} not "
            "weighed yet.",
            "If the discarded portion contains product, it cannot be recovered.",
            "Keep it, labelled, until every product is weighed. If a product is lost or handled differently, "
            "record it.",
            about=step.id,
        )
