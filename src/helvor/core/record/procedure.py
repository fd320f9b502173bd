"""A procedure: what is made or parted, from what, in which steps, by whom.

Procedure 1. Substances, portions and containers go by the names people write; a name
             means one thing in a procedure, whatever its capitals.
Procedure 2. Steps stand in the order of the handout, but hang together by portions: a
             step *takes* portions and *gives* portions. Steps that share none run side by
             side.
Procedure 3. A step that takes and gives nothing else works on the portion it names, and
             the portion goes on.
Procedure 4. Every amount is *exact* (it enters a result) or *about* (it does not).
Procedure 5. In an instruction ``{name}`` stands for the amount and name of a substance,
             so that the words follow when a procedure is scaled.
"""

from __future__ import annotations

import json
import math
import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Annotated, Any, Literal, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints, ValidationError, model_validator

from helvor.core.quantities.formula import atoms, molar_mass
from helvor.core.quantities.reading import Amount, Reading, Unreadable, round_to
from helvor.core.quantities.words import Text, printable
from helvor.core.record.parameters import VESSEL, parameters_of, read_parameters

FORMAT = 2
"""Version of the file format; a file of a newer one is refused.

In 1 every step had the parameters of every kind, and the order of what it gives said what it is.
"""

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40), AfterValidator(printable)]
Id = Annotated[str, StringConstraints(pattern=r"^[a-z0-9-]{1,24}$")]
Role = Literal["sample", "reagent", "solvent", "aid"]
Doer = Literal["bench", "instructor", "stockroom"]
End = Literal["", "product", "waste", "kept"]
Level = Literal["", "school", "first year", "organic"]

MAX_STEPS = 60
MOST_QUESTIONS = 20
MOST_SAID = 1200
"""Characters of a step's words: a paragraph of a handout."""
Said = Annotated[str, StringConstraints(strip_whitespace=True, max_length=MOST_SAID), AfterValidator(printable)]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


def _formula(text: str) -> str:
    if text.strip():
        molar_mass(text)
    return text.strip()


Formula = Annotated[str, StringConstraints(max_length=60), AfterValidator(_formula)]


class Substance(_Part):
    """Something that goes in.

    Attributes:
        amount: per bench, the target.
        exact: it enters a result.
        role: *sample* is what the mass balance counts; *reagent* reacts; *solvent* and
            *aid* (drying agent, charcoal) do not count.
        formula: in the form it is taken, hydrate water and all; empty for a mixture.
        component: which followed component it brings; empty if none.
        fraction: mass fraction of that component's substance in it; 1 when pure.
        molar: of a solution, mol/L; makes a volume an amount.
        density: of a liquid, g/mL; makes a volume a mass.
        melts, boils: °C.
        layer: which layer it makes in a funnel; *both* where it mixes with water.
    """

    name: Name
    amount: Amount | None = None
    exact: bool = False
    role: Role = "reagent"
    formula: Formula = ""
    component: str = Field("", max_length=40)
    fraction: float = Field(1.0, gt=0, le=1, allow_inf_nan=False)
    molar: float | None = Field(None, gt=0, le=30, allow_inf_nan=False)
    density: float | None = Field(None, gt=0, le=25, allow_inf_nan=False)
    melts: float | None = Field(None, ge=-300, le=4000, allow_inf_nan=False)
    boils: float | None = Field(None, ge=-300, le=6000, allow_inf_nan=False)
    layer: Literal["", "aqueous", "organic", "both"] = ""
    flammable: bool = False
    hazards: Text = ""
    waste: str = Field("", max_length=40)


Celsius = Annotated[float, Field(ge=-100, le=300, allow_inf_nan=False)]
GramsIn100 = Annotated[float, Field(gt=0, le=2000, allow_inf_nan=False)]
"""g in 100 mL of solvent."""


class Component(_Part):
    """What is followed through the separation.

    Attributes:
        carrier: the element whose atoms are counted, so that acid, salt and hydrate of one
            thing compare in mol; empty where the thing keeps its formula.
        expressed: the formula in which its part of the sample is given: ``SO4``, ``MgSO4·7H2O``.
        acts: how it behaves between water and an organic layer; empty where it is not extracted.
        pka: of the acid, or of the base's conjugate acid.
        log_k: log10 of the uncharged form's concentration in the organic layer over that in water.
        rf: eluent → its Rf on a plate in it, for a column.
        dissolves: solvent → how much of it 100 mL take, as pairs of °C and g, for recrystallizing.
    """

    name: Name
    carrier: Annotated[str, StringConstraints(pattern=r"^([A-Z][a-z]?)?$")] = ""
    expressed: Formula = ""
    acts: Literal["", "neutral", "acid", "base"] = ""
    pka: float | None = Field(None, ge=-12, le=40, allow_inf_nan=False)
    log_k: float | None = Field(None, ge=-12, le=20, allow_inf_nan=False)
    rf: dict[Name, Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]] = Field({}, max_length=6)
    dissolves: dict[Name, Annotated[tuple[tuple[Celsius, GramsIn100], ...], Field(min_length=2, max_length=12)]] = (
        Field({}, max_length=6)
    )


class Portion(_Part):
    """More about a portion than its name: what it holds at the end, and in which form.

    Attributes:
        component: the followed component that it should hold; empty if several or none.
        formula: the form it has there; empty where nothing reacts.
        end: *product* is weighed at the end, *kept* stays, *waste* leaves.
        by_loss: found as what its sisters do not account for (a vapour, a gas).
        share: of an aliquot, the part of its parent, 0 to 1.
        usual: the part of what could come that a class usually has at least, 0 to 1; None for what is usual after
            such steps.
        soluble: how much of it a litre of its wash liquid takes, g.
    """

    name: Name
    component: str = Field("", max_length=40)
    formula: Formula = ""
    end: End = ""
    by_loss: bool = False
    share: float | None = Field(None, gt=0, le=1, allow_inf_nan=False)
    usual: float | None = Field(None, gt=0, le=1, allow_inf_nan=False)
    soluble: float | None = Field(None, ge=0, le=2000, allow_inf_nan=False)


class Step(_Part):
    """One step.

    Attributes:
        id: names the step for good, also when it is moved.
        kind: a key of the step kinds.
        says: the instruction.
        takes, gives: portions (Procedure 2).
        roles: what each of those it gives is, a role of its kind; where none is said, by their order.
        on: the portion it works on (Procedure 3).
        adds: substances that go in here.
        asks: readings that it asks for.
        container: labels of what the portion is in, and is weighed in; several stand on
            the pan together.
        empty: for a weighing: the container is empty, this is its tare.
        celsius, volume: of a heating or drying, °C; of the vessel, mL.
        times: into how many portions what it adds is divided: washes, rinses.
        hands, waits: minutes.
        meeting: from 1.
        waste: the stream that it goes to.

    Whatever else its kind can be told stands beside these and is read by the kind's own
    :class:`~helvor.core.record.parameters.Parameters`.
    """

    model_config = ConfigDict(frozen=True, extra="allow")

    id: Id
    kind: Id | Annotated[str, StringConstraints(pattern=r"^[a-z ]{1,24}$")]
    says: Said = ""
    takes: tuple[Name, ...] = Field((), max_length=12)
    gives: tuple[Name, ...] = Field((), max_length=24)
    roles: tuple[Annotated[str, StringConstraints(pattern=r"^[a-z -]{0,30}$")], ...] = Field((), max_length=24)
    on: str = Field("", max_length=40)
    adds: tuple[Name, ...] = Field((), max_length=12)
    asks: tuple[Name, ...] = Field((), max_length=8)
    container: tuple[Name, ...] = Field((), max_length=4)
    empty: bool = False
    celsius: float | None = Field(None, ge=-100, le=1300, allow_inf_nan=False)
    volume: float | None = Field(None, gt=0, le=20000, allow_inf_nan=False)
    times: int = Field(1, ge=1, le=20)
    place: Literal["", "oven", "air", "hood", "suction", "hotplate"] = ""
    kit: tuple[Name, ...] = Field((), max_length=12)
    hands: int = Field(3, ge=0, le=600)
    waits: int = Field(0, ge=0, le=6000)
    doer: Doer = "bench"
    meeting: int = Field(1, ge=1, le=12)
    cautions: Said = ""
    waste: str = Field("", max_length=40)

    @model_validator(mode="before")
    @classmethod
    def _by_its_kind(cls, data: Any) -> Any:
        if not isinstance(data, Mapping):
            return data
        more = {name: value for name, value in data.items() if name not in cls.model_fields}
        if not more:
            return data
        common = {name: value for name, value in data.items() if name not in more}
        return common | read_parameters(data.get("kind"), more)

    @property
    def more(self) -> Mapping[str, Any]:
        """What it says beyond the fields that every step has."""
        return self.model_extra or {}


_Named = TypeVar("_Named", Substance, Component, Portion)


class StudyQuestion(_Part):
    """A question for the report; its answer is the instructor's and stands on no handout."""

    asks: Annotated[Text, Field(min_length=3)]
    answer: Text = ""


class Procedure(_Part):
    """A whole procedure, as it is kept, exported and imported.

    Attributes:
        level: for whom it is meant.
        expects: what comes out when it goes well, for the instructor.
        questions: for the report, in order.
    """

    format: Annotated[int, Field(ge=1, le=FORMAT), AfterValidator(lambda _: FORMAT)] = FORMAT
    title: Name
    aim: Text = ""
    period: int = Field(165, ge=10, le=1440, description="Minutes of one meeting.")
    hazards: Text = ""
    equation: str = Field("", max_length=200)
    substances: tuple[Substance, ...] = Field((), max_length=40)
    components: tuple[Component, ...] = Field((), max_length=12)
    portions: tuple[Portion, ...] = Field((), max_length=60)
    steps: tuple[Step, ...] = Field((), max_length=MAX_STEPS)
    house_rules: dict[str, str] = Field({}, max_length=60)
    level: Level = ""
    expects: Text = ""
    questions: tuple[StudyQuestion, ...] = Field((), max_length=MOST_QUESTIONS)

    def substance(self, name: str) -> Substance | None:
        """The substance of that name, or None."""
        return named(self.substances, name)

    def component(self, name: str) -> Component | None:
        """The followed component of that name, or None."""
        return named(self.components, name)

    def portion(self, name: str) -> Portion:
        """What is said of a portion; nothing more than its name when nothing is."""
        # A name that stands in a procedure or a weighing was checked there.
        return named(self.portions, name) or Portion.model_construct(name=name)

    def step(self, step_id: str) -> Step | None:
        """The step with that id, or None."""
        return next((step for step in self.steps if step.id == step_id), None)

    def made_by(self, name: str) -> list[Step]:
        """Every step that a portion came through, those that only worked on something on its way too; in order."""
        through: dict[str, list[Step]] = {}
        for step in self.steps:
            for given in (*step.gives, *((step.on,) if step.on else ())):
                through.setdefault(given.casefold(), []).append(step)
        open_, seen, found = {name.casefold()}, set[str](), set[str]()
        while open_:
            key = open_.pop()
            seen.add(key)
            for step in through.get(key, ()):
                found.add(step.id)
                open_ |= {taken.casefold() for taken in step.takes} - seen
        return [step for step in self.steps if step.id in found]

    @property
    def handed_out(self) -> Procedure:
        """As benches see it: without the expected result and the answers, which are the instructor's."""
        asked = tuple(one.model_copy(update={"answer": ""}) for one in self.questions)
        return self.model_copy(update={"expects": "", "questions": asked})

    @property
    def portion_names(self) -> list[str]:
        """Every portion that a step gives, in the order of appearance."""
        return list(dict.fromkeys(name for step in self.steps for name in step.gives))

    def new_id(self) -> str:
        """An id for one more step."""
        used = {step.id for step in self.steps}
        return next(f"s{n}" for n in range(1, MAX_STEPS + 2) if f"s{n}" not in used)


def same(a: str, b: str) -> bool:
    """Whether two names mean the same."""
    return a.casefold() == b.casefold()


def named(parts: Iterable[_Named], name: str) -> _Named | None:
    """The part of that name, or None."""
    return next((part for part in parts if same(part.name, name)), None)


def millilitres(substance: Substance, amount: Reading | None) -> float:
    """mL of an amount of a liquid, measured or weighed; 0 of what is no liquid, or weighed without a known density.

    A layer is only said of liquids, so a weighed one that makes a layer has its volume by its density.
    """
    if amount is None:
        return 0.0
    if amount.unit == "mL":
        return amount.value
    if amount.unit == "g" and substance.layer and substance.density:
        return amount.value / substance.density
    return 0.0


def amount_of(substance: Substance) -> str:
    """``2.00 g potassium chloride``; only the name without a target."""
    return f"{substance.amount} {substance.name}" if substance.amount else substance.name


def instruction(step: Step, procedure: Procedure) -> str:
    """The step's words with its ``{names}`` put in (Procedure 5).

    A name that is no substance stays as it is written.
    """

    def put(match: re.Match[str]) -> str:
        substance = procedure.substance(match[1].strip())
        return amount_of(substance) if substance else match.group()

    return re.sub(r"\{([^{}]+)\}", put, step.says)


def without_braces(says: str) -> str:
    """An instruction with its ``{names}`` as names, for where no amount belongs.

    >>> without_braces("Dissolve {salt} in {water}")
    'Dissolve salt in water'
    """
    return re.sub(r"\{([^{}]+)\}", r"\1", says)


class BadProcedure(ValueError):
    """A file that is no procedure: what is wrong, by place."""

    def __init__(self, troubles: list[tuple[str, str]]) -> None:
        super().__init__("; ".join(f"{place}: {sentence}" for place, sentence in troubles))
        self.troubles = troubles


def read_procedure(text: str | bytes) -> Procedure:
    """Read a procedure from JSON.

    Raises:
        BadProcedure: with everything that is wrong, by place.
    """
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as trouble:
        place = f"line {trouble.lineno}" if isinstance(trouble, json.JSONDecodeError) else "file"
        raise BadProcedure([(place, "This file is not JSON: choose a procedure file.")]) from trouble
    return procedure_from(data)


def procedure_from(data: Any) -> Procedure:
    """The same from what JSON holds."""
    try:
        procedure = Procedure.model_validate(data)
    except ValidationError as invalid:
        raise BadProcedure(
            [(_place(error["loc"]), error["msg"].removeprefix("Value error, ")) for error in invalid.errors()[:40]]
        ) from invalid
    troubles = loose_ends(procedure)
    if troubles:
        raise BadProcedure(troubles)
    return procedure


def _place(loc: tuple[int | str, ...]) -> str:
    """``steps.3.kind`` as people count: ``step 4, kind``."""
    words: list[str] = []
    for part in loc:
        if isinstance(part, int):
            words[-1:] = [f"{words[-1].removesuffix('s') if words else 'item'} {part + 1}"]
        elif part not in ("str", "Reading"):
            words.append(str(part))
    return ", ".join(words) or "file"


def loose_ends(procedure: Procedure) -> list[tuple[str, str]]:
    """Names that lead nowhere or mean two things, by place; empty when all hang together."""
    return [*_said_twice(procedure), *_wrong_components(procedure), *_unknown_names(procedure)]


def _said_twice(procedure: Procedure) -> Iterator[tuple[str, str]]:
    """One name or id for two things."""
    for kind, names in (
        ("substance", [part.name for part in procedure.substances]),
        ("component", [part.name for part in procedure.components]),
        ("portion", [part.name for part in procedure.portions]),
    ):
        seen: set[str] = set()
        for name in names:
            if name.casefold() in seen:
                yield f"{kind} {name}", f"Two {kind}s have this name."
            seen.add(name.casefold())
    ids = [step.id for step in procedure.steps]
    for i, own in enumerate(ids):
        if own in ids[:i]:
            yield f"step {i + 1}", "Another step has the same id."


def _wrong_components(procedure: Procedure) -> Iterator[tuple[str, str]]:
    """A component that is not in the list, or that a formula does not hold."""
    places: list[Substance | Portion] = [*procedure.substances, *procedure.portions]
    for place in places:
        if not place.component:
            continue
        component = procedure.component(place.component)
        if component is None:
            yield place.name, f"“{place.component}” is not one of the components."
        elif component.carrier and place.formula and component.carrier not in atoms(place.formula):
            sentence = f"{place.formula} holds no {component.carrier}, by which {component.name} is tracked."
            yield place.name, sentence


def _unknown_names(procedure: Procedure) -> Iterator[tuple[str, str]]:
    """Portions that no earlier step gives, and substances that are not in the list."""
    given: set[str] = set()
    for number, step in enumerate(procedure.steps, start=1):
        for name in (*step.takes, *((step.on,) if step.on else ())):
            if name.casefold() not in given:
                yield f"step {number}", f"It uses “{name}”, but no earlier step produces it."
        for name in step.adds:
            if procedure.substance(name) is None:
                yield f"step {number}", f"It adds “{name}”, which is not one of the substances."
        given |= {name.casefold() for name in step.gives}


def scaled(procedure: Procedure, factor: float) -> Procedure:
    """The procedure with every amount times *factor*, and with it what holds them: vessels, papers, columns, tubes.

    An amount keeps the decimals it is written with; where fewer than two digits that count
    would be left it gets one more, down to 0.001 g and 0.01 mL, so that it can be measured.

    Raises:
        Unreadable: the factor is not above 0 and at most 1000.
    """
    if not 0 < factor <= 1000:
        raise Unreadable("Enter a factor above 0 and up to 1000.")
    substances = tuple(
        substance.model_copy(update={"amount": scaled_amount(substance.amount, factor)})
        if substance.amount
        else substance
        for substance in procedure.substances
    )
    steps = tuple(_grown(step, factor) for step in procedure.steps)
    return procedure.model_copy(update={"substances": substances, "steps": steps})


def _grown(step: Step, factor: float) -> Step:
    """A step with what holds its amounts for *factor* times as much."""
    update = dict(parameters_of(step).grown(factor))
    if step.volume is not None:
        update["volume"] = VESSEL.grown(step.volume, factor)
    return step.model_copy(update=update) if update else step


def scaled_amount(amount: Reading, factor: float) -> Reading:
    """An amount times *factor*, rounded to what can be measured."""
    value, step = amount.value * factor, amount.resolution
    finest = 0.001 if amount.unit == "g" else 0.01
    while value < 10 * step and step > finest:
        step = max(finest, step / 10)
    decimals = max(0, -math.floor(math.log10(step) + 1e-9))
    rounded = float(round_to(value, decimals)) or step
    return Reading(
        written=f"{round_to(rounded, decimals)} {amount.unit}", value=rounded, unit=amount.unit, resolution=step
    )
