"""What can be said of a filtration: flask, set-up, washes, oven, what is lost."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from helvor.core.engine.plan.check_plan import Advice, Plan
from helvor.core.engine.plan.holds import melting
from helvor.core.engine.run.account import Ledger
from helvor.core.engine.run.case import Case
from helvor.core.engine.run.losses import ends_through
from helvor.core.engine.run.record import Run
from helvor.core.engine.technique import Cause
from helvor.core.hazards.substances import liquids_of, of_name
from helvor.core.laws.filtration.oven import limits
from helvor.core.laws.filtration.paper import cone_of, fill_line
from helvor.core.laws.filtration.wash import wash_loss
from helvor.core.quantities.reading import digits
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import Step, same
from helvor.core.record.typed_line import NoStepForIt
from helvor.core.techniques.filtration.entries import Drying, Emptied, Filtrate, Poured, Washed
from helvor.core.techniques.filtration.parameters import OfAFilter

FILTERS = ("gravity filter", "hot filter", "vacuum filter", "crucible filter")
SUCKED = ("vacuum filter", "crucible filter")
HALF = 0.5
"""Part of a suction flask up to which it is filled; above it liquid is drawn into the hose."""
MANY_POURS = 30
"""More pours than this do not end within a period."""
WORTH_SAYING = 0.01
"""Part of the product from which a loss in the washes is worth saying."""


@dataclass(frozen=True, slots=True)
class Flask:
    """A receiver and what is in it: mL, of what it holds; ``part`` is None where its size is not known."""

    holds: float | None
    level: float

    @property
    def part(self) -> float | None:
        return self.level / self.holds if self.holds else None


def flask_of(run: Run, step: Step) -> Flask:
    """How full a step's receiver is: what was poured and washed since it was emptied last.

    A wash step runs into the receiver of the last filter before it.
    """
    steps = list(run.procedure.steps)
    at = steps.index(step)
    first = next((i for i in range(at, -1, -1) if steps[i].kind in FILTERS), at)
    following = next((i for i in range(first + 1, len(steps)) if steps[i].kind in FILTERS), len(steps))
    ids = {one.id for one in steps[first:following]}
    events: list[tuple[int, float]] = []
    events += [(line.root.seq, said.volume.value) for line, said in run.of(Poured) if said.step in ids]
    events += [(line.root.seq, said.millilitres) for line, said in run.of(Washed) if said.step in ids]
    emptied = max((line.root.seq for line, said in run.of(Emptied) if said.step in ids), default=0)
    return Flask(steps[first].volume, sum(volume for seq, volume in events if seq > emptied))


def liquid_to_filter(run: Run, ledger: Ledger, step: Step) -> float:
    """How much liquid a filter step gets, mL: what went into what it takes, as taken or else as planned."""
    through = {one.id: one for name in step.takes for one in run.procedure.made_by(name) if one.kind not in FILTERS}
    volume = 0.0
    for name in (name for one in through.values() for name in one.adds):
        taken, substance = ledger.taken(name), run.procedure.substance(name)
        if taken is not None and taken.volume is not None:
            volume += taken.volume.value
        elif substance is not None and substance.amount is not None and substance.amount.unit == "mL":
            volume += substance.amount.value
    return volume


def flask_too_full(case: Case) -> Iterator[Finding]:
    """A suction flask more than half full."""
    for number, step in enumerate(case.run.procedure.steps, 1):
        if step.kind not in SUCKED:
            continue
        flask = flask_of(case.run, step)
        if flask.part is None or flask.part < HALF:
            continue
        full = flask.part >= 1
        yield Finding(
            "flask-full",
            "stop" if full else "caution",
            f"Step {number}: the filter flask holds {flask.level:g} mL of {flask.holds:g}: "
            + ("more than its volume." if full else "half or more."),
            "Above half, liquid is drawn into the hose and the trap.",
            "Let air in, empty the flask, continue; then record that you emptied it."
            if not full
            else "Check the volumes: one was misread, or the flask was emptied and that was not recorded.",
            about=step.id,
        )


def set_up_unchecked(case: Case) -> Iterator[Finding]:
    """A set-up that can hurt somebody is in use without having been looked over; any technique's."""
    touched = {said.step for _, said in case.run.of(Poured)} | set(case.run.done)
    for number, step in enumerate(case.run.procedure.steps, 1):
        ticked = case.run.checked.get(step.id, frozenset())
        left = [c for c in case.techniques.checks(step.kind, case.rules) if c.safety and c.key not in ticked]
        if step.id in touched and left:
            yield Finding(
                "set-up-unchecked",
                "note",
                f"Step {number} has started but these checks are not ticked: "
                f"{'; '.join(check.words for check in left)}.",
                f"{'; '.join(dict.fromkeys(check.why for check in left))}.".capitalize(),
                "Tick them if they were done; otherwise check before the next filtration.",
                about=step.id,
            )


def cloudy(case: Case) -> Iterator[Finding]:
    """A cloudy filtrate that nothing was done about."""
    by_step = {said.step: said for _, said in case.run.of(Filtrate)}
    numbers = {step.id: number for number, step in enumerate(case.run.procedure.steps, 1)}
    for step_id, said in by_step.items():
        if said.clear or said.then == "again":
            continue
        again = case.rules["cloudy-filtrate"].key == "again"
        yield Finding(
            "filtrate-cloudy",
            "caution" if again and not said.then else "note",
            f"Step {numbers.get(step_id, '?')}: the filtrate is cloudy" + (" and was accepted." if said.then else "."),
            "It is cloudy because solid ran through.",
            "Refilter it through the same paper." if again else "Mention it under losses.",
            about=step_id,
        )


def washes_dissolve(case: Case) -> Iterator[Finding]:
    """Washes that can take more than a hundredth of the product."""
    for portion, volume, size in _wash_losses(case):
        mass = case.ledger.portion(portion)
        have = mass.mass.value if mass is not None and mass.mass is not None else None
        if have is None or size < WORTH_SAYING * have:
            continue
        yield Finding(
            "wash-dissolves",
            "note",
            f"{volume:g} mL of wash can dissolve up to {digits(size * 1000, 2)} mg of {portion}, "
            f"{digits(100 * size / (have + size), 2)} % of it.",
            "Every wash dissolves some of the solid.",
            "Next time use smaller washes, ice-cold, or with a common ion.",
            about=portion,
        )


def _wash_losses(case: Case) -> Iterator[tuple[str, float, float]]:
    """Portion, volume (mL) and the most that its washes dissolve (g), where a solubility is known."""
    for portion, washes in _washes(case).items():
        said = case.run.procedure.portion(portion)
        volume = loss = 0.0
        for washed in washes:
            solubility = washed.dissolves if washed.dissolves is not None else said.soluble
            if solubility is not None:
                volume += washed.millilitres
                loss += wash_loss(washed.millilitres, solubility)
        if loss > 0:
            yield portion, volume, loss


def _washes(case: Case) -> dict[str, list[Washed]]:
    """Product portion → the washes it went through, itself or what it came from."""
    ends = [name for name in case.ledger.ends if case.run.procedure.portion(name).end != "waste"]
    found: dict[str, list[Washed]] = {}
    for name in ends:
        through = {step.id for step in case.run.procedure.made_by(name)}
        washes = [washed for _, washed in case.run.of(Washed) if washed.step in through]
        if washes:
            found[name] = washes
    return found


def dried_too_hot(case: Case) -> Iterator[Finding]:
    """An oven hotter than paper, boat or melting point stand."""
    for _, said in case.run.of(Drying):
        if said.celsius is None:
            continue
        for limit in limits(said.labels, melting(case.run.procedure, said.portion)):
            if said.celsius > limit.celsius:
                yield Finding(
                    "dried-too-hot",
                    "caution",
                    f"{said.portion}: drying at {said.celsius:g} °C, but {limit.why}.",
                    "Solid that melts or scorches cannot be weighed.",
                    f"Turn it down to {limit.celsius:g} °C at most.",
                    about=said.portion,
                )
                break


def flammable_in_oven(case: Case) -> Iterator[Finding]:
    """A solid wet with something flammable went into a closed oven without standing in air first.

    Wet from its washes or from the mixture it was filtered from; suction alone does not dry it.
    """
    aired: dict[str, int] = {}
    for line, said in case.run.of(Drying):
        key, seq = said.portion.casefold(), line.root.seq
        if said.place in ("air", "hood"):
            aired[key] = seq
        wet = [liquid for at, liquid in _wetted(case, said.portion) if at < seq and at > aired.get(key, -1)]
        if said.place == "oven" and wet:
            yield Finding(
                "flammable-in-oven",
                "stop",
                f"{said.portion}: wet with {wet[-1]} in a closed oven.",
                "Its vapour can catch fire or burst the door open.",
                "Take it out with care and let it stand in the hood until it looks dry; local rules and a qualified "
                "person decide.",
                about=said.portion,
            )


def _wetted(case: Case, portion: str) -> list[tuple[int, str]]:
    """When (by entry) a portion was wetted with something flammable, and with what; before all entries for what
    a step that is done adds without a reading of its own. Evaporating or drying on the way takes it out."""
    procedure, wet = case.run.procedure, list[tuple[int, str]]()
    for step in procedure.made_by(portion):
        kind = case.kinds.get(step.kind)
        if kind is not None and kind.dries and step.kind != "dry":
            wet = []
        for name in step.adds:
            substance = procedure.substance(name)
            if substance is not None and any(care.burns for care in liquids_of(substance)):
                taken = [on.line.root.seq for on in case.run.taken if same(on.taken.substance, name)]
                wet += [(seq, name) for seq in taken] or ([(0, name)] if step.id in case.run.done else [])
        wet += [(ln.root.seq, w.liquid) for ln, w in case.run.of(Washed) if w.step == step.id and _burns(case.run, w)]
    return sorted(wet)


def _burns(run: Run, washed: Washed) -> bool:
    care = of_name(run.procedure, washed.liquid)
    return washed.flammable or (care is not None and care.burns)


def ran_through(case: Case) -> Iterator[Cause]:
    """A cloudy filtrate that was accepted."""
    for _, said in case.run.of(Filtrate):
        if not said.clear and said.then != "again":
            for name in ends_through(case.run.procedure, case.ledger.ends, said.step) or [""]:
                yield Cause(
                    "ran-through",
                    "loss",
                    f"Fine solid{f' of {name}' if name else ''} ran through the paper.",
                    (f"filtrate cloudy{', accepted' if said.then else ''}",),
                    0.7,
                    portion=name,
                )


def dissolved_in_washes(case: Case) -> Iterator[Cause]:
    """What the washes can have dissolved."""
    for portion, volume, size in _wash_losses(case):
        yield Cause(
            "washed-away",
            "loss",
            f"The washes dissolved some of {portion}.",
            (f"{volume:g} mL of wash, up to {digits(size * 1000, 2)} mg",),
            0.4,
            size,
            at_most=True,
            portion=portion,
        )


def not_washed(case: Case) -> Iterator[Cause]:
    """A product that was filtered off and dried without a wash on record."""
    washes = _washes(case)
    for name in case.ledger.ends:
        portion = case.ledger.portion(name)
        weighed = portion is not None and portion.mass is not None and portion.basis in ("dried", "as is")
        filtered = any(
            step.kind in FILTERS and len(step.gives) > 1 and step.id in case.run.done
            for step in case.run.procedure.made_by(name)
        )
        if weighed and filtered and case.run.procedure.portion(name).end == "product" and name not in washes:
            yield Cause(
                "not-washed",
                "gain",
                f"Solutes of the mother liquor dried onto {name}.",
                ("no wash recorded",),
                0.4,
                portion=name,
            )


def stays_on_paper(case: Case) -> Iterator[Cause]:
    """A solid that was taken off its paper leaves some on it."""
    for step in case.run.procedure.steps:
        if step.kind == "transfer" and step.id in case.run.done:
            for name in ends_through(case.run.procedure, case.ledger.ends, step.id):
                yield Cause(
                    "on-paper",
                    "loss",
                    f"Some {name} stayed on the paper and the wall.",
                    ("transferred to a dish",),
                    0.3,
                    portion=name,
                )


def overfilled(plan: Plan) -> Iterator[Advice]:
    """A paper too small for what is poured through it, or a suction flask that will be over half full."""
    school = plan.rules["filling-cone"].key
    for moment in plan.moments:
        step = moment.step
        if (
            step.kind in ("gravity filter", "hot filter")
            and (paper := OfAFilter.of(step).paper)
            and moment.matter.volume
        ):
            line = fill_line(paper, school)
            pours = line.pours(moment.matter.volume)
            if pours > MANY_POURS:
                yield Advice(
                    Finding(
                        "paper-small",
                        "note",
                        f"Step {moment.number} pours {moment.matter.volume:g} mL through a paper that holds "
                        f"{digits(line.volume, 2)} mL to its line: about {pours} pours.",
                        "It may not finish within the period.",
                        f"Decant first, or use a larger paper: to the edge this one holds "
                        f"{digits(cone_of(paper).holds, 2)} mL.",
                    ),
                    step.id,
                )
        if step.kind in SUCKED and step.volume and moment.matter.volume > HALF * step.volume:
            yield Advice(
                Finding(
                    "suction-flask-small",
                    "caution",
                    f"Step {moment.number} collects {moment.matter.volume:g} mL in a filter flask of "
                    f"{step.volume:g} mL.",
                    "Above half, liquid is drawn into the hose.",
                    f"Use a flask of at least {2 * moment.matter.volume:g} mL, or empty it part-way.",
                ),
                step.id,
            )


def disc_in_the_boat(plan: Plan) -> Iterator[Advice]:
    """Disc and solid lie in a boat together, but only the boat is subtracted."""
    for moment in plan.moments:
        step = moment.step
        if step.kind != "pry out":
            continue
        given = {name.casefold() for name in step.gives} or {step.on.casefold()}
        for later in plan.moments[moment.number :]:
            touched = {name.casefold() for name in (later.step.on, *later.step.takes) if name}
            if later.step.kind in ("dry", "evaporate", "cool") and touched & given:
                given |= {name.casefold() for name in later.step.gives}
            weighs = later.step.kind == "weigh" and not later.step.empty and touched & given
            if weighs and not any("disc" in label.casefold() for label in later.step.container):
                yield Advice(
                    Finding(
                        "disc-in-the-boat",
                        "caution",
                        f"Step {later.number} weighs the boat with disc and solid, but does not list the disc.",
                        "The disc would be counted as product.",
                        "Enter boat + disc, and weigh the disc alone before you use it.",
                    ),
                    later.step.id,
                )


def step_here(run: Run, step: str, kinds: tuple[str, ...], what: str) -> str:
    """The step a reading belongs to: the one worked on, else the last of its kinds that is not done."""
    known = run.procedure.step(step)
    if known is not None and known.kind in kinds:
        return step
    fitting = [s for s in run.procedure.steps if s.kind in kinds]
    if not fitting:
        raise NoStepForIt(f"No step of this run has something {what}.")
    return next((s.id for s in fitting if s.id not in run.done), fitting[-1].id)
