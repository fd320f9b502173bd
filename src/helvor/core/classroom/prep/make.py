"""What a meeting needs: made up, put out, cut, and taken away again, for all benches with something to spare.

Make 1. Per bench × benches × (1 + spare), rounded up to what can be measured.
Make 2. A substance belongs to the meeting of the first step that adds it; one that no step adds to the first.
Make 3. Of a waste stream comes what its steps throw away, washes that ran through counted; what an evaporator
        collects; eluents; and of substances that no step throws away what went in. Bottles hold no more than four
        fifths. Common practice, no source.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from helvor.core.classroom.prep.plates import (
    Ice,
    Sheets,
    ToMix,
    ToSpot,
    bench_steps,
    eluents_to_mix,
    ice_for,
    sheets_to_cut,
    spotting_solutions,
)
from helvor.core.engine.plan.matter import moments
from helvor.core.hazards.substances import care_of, hazards_of, stream_of
from helvor.core.laws.precipitation.solution import Made, to_make
from helvor.core.laws.spare import SPARE
from helvor.core.quantities.reading import Unreadable, digits, round_to
from helvor.core.record.procedure import Procedure, Step, Substance, instruction
from helvor.core.techniques.registered import STEP_KINDS
from helvor.core.techniques.safety.advice import caught

FILLED = 0.8
ACIDS = ("HCl", "HBr", "HNO3", "H2SO4", "H3PO4", "HClO4", "CH3COOH", "C2H4O2", "HCOOH", "CH2O2")
DILUTED = (*ACIDS, "NH3", "NH4OH", "H2O2")
"""What comes as a liquid or a strong solution and is diluted, never weighed out as a solid."""
CONSUMED = ("paper", "capillary", "indicator", "pipette", "plate", "weighing boat", "glove", "ice")
"""Kit that is used up: it gets the spare too. Common practice."""


@dataclass(frozen=True, slots=True)
class ToMake:
    """A substance to have ready.

    Attributes:
        bench, total: g or mL; *unit* says which.
        how: to weigh and make up, or from the bottle.
        steps: numbers of the steps that take it; exact: it enters a result.
        first: what comes before its waste goes into the bottle; empty where nothing does.
        formula, grams, glass: of a solution that is weighed in, what to weigh, how much, and what it is
            made up in; empty and None otherwise.
    """

    key: str
    name: str
    bench: float
    benches: float
    total: float
    unit: str
    how: str
    hazards: str
    waste: str
    steps: tuple[int, ...]
    exact: bool
    formula: str = ""
    grams: float | None = None
    glass: str = ""
    first: str = ""


@dataclass(frozen=True, slots=True)
class ToPutOut:
    """A kind of kit: per bench and in all; ``short`` is how many the stockroom lacks, None where it is not known."""

    key: str
    name: str
    bench: int
    total: int
    short: int | None
    shared: int | None


@dataclass(frozen=True, slots=True)
class WasteBottle:
    """A waste stream: mL expected, and how many bottles of a litre that takes."""

    key: str
    stream: str
    volume: float
    bottles: int


@dataclass(frozen=True, slots=True)
class ToDo:
    """A step that the stockroom or the instructor does beforehand."""

    key: str
    number: int
    doer: str
    says: str


@dataclass(frozen=True, slots=True)
class PrepSheet:
    """Everything for a meeting. Keys name the lines for ticking off; they stay while the procedure's names do."""

    makes: tuple[ToMake, ...]
    kit: tuple[ToPutOut, ...]
    waste: tuple[WasteBottle, ...]
    todo: tuple[ToDo, ...]
    eluents: tuple[ToMix, ...] = ()
    sheets: tuple[Sheets, ...] = ()
    spotting: tuple[ToSpot, ...] = ()
    ice: Ice | None = None

    @property
    def keys(self) -> list[str]:
        """Every line that can be ticked off."""
        parts = (self.makes, self.eluents, self.spotting, self.sheets, self.kit, self.waste, self.todo)
        return [line.key for part in parts for line in part] + ([self.ice.key] if self.ice else [])


def prep_sheet(
    procedure: Procedure, meeting: int, benches: int, *, spare: float = SPARE, stock: Mapping[str, int] | None = None
) -> PrepSheet:
    """What one meeting of a procedure needs (Make 1 to 3).

    Args:
        benches: how many; spare: what is made more, as a part.
        stock: kit that the stockroom has, by name.

    Raises:
        Unreadable: the numbers make no class.
    """
    if not 1 <= benches <= 96 or not 0 <= spare <= 2:
        raise Unreadable("Enter 1 to 96 benches and a spare of 0 to 200 %.")
    numbered = list(enumerate(procedure.steps, start=1))
    makes = []
    for substance in procedure.substances:
        used = [(n, step) for n, step in numbered if substance.name.casefold() in (a.casefold() for a in step.adds)]
        when = min((step.meeting for _, step in used), default=1)
        if when == meeting and substance.amount is not None:
            makes.append(_make(substance, benches, spare, tuple(n for n, _ in used)))
    now = [(n, step) for n, step in numbered if step.meeting == meeting]
    todo = tuple(
        ToDo(f"do {step.id}", n, step.doer, instruction(step, procedure) or step.kind)
        for n, step in now
        if step.doer != "bench"
    )
    mine = bench_steps(procedure, meeting)
    kit = _kit([step for _, step in mine], benches, spare, stock or {})
    eluents = eluents_to_mix(mine, benches, spare)
    return PrepSheet(
        tuple(makes),
        kit,
        _waste(procedure, meeting, benches, makes, eluents),
        todo,
        eluents,
        sheets_to_cut(mine, benches, spare),
        spotting_solutions(mine, benches),
        ice_for(mine, benches),
    )


def rounded_up(amount: float) -> float:
    """An amount that can be weighed or measured: two digits that count, never less.

    >>> rounded_up(40.32), rounded_up(0.1234), rounded_up(812.0), rounded_up(24.0)
    (41.0, 0.13, 820.0, 24.0)
    """
    if amount <= 0:
        return 0.0
    step = 10.0 ** (math.floor(math.log10(amount)) - 1)
    return float(digits(math.ceil(round(amount / step, 9)) * step, 3))


def _make(substance: Substance, benches: int, spare: float, steps: tuple[int, ...]) -> ToMake:
    amount = substance.amount
    assert amount is not None
    total = rounded_up(amount.value * benches * (1 + spare))
    how, made = _how(substance, total)
    return ToMake(
        f"make {substance.name.casefold()}",
        substance.name,
        amount.value,
        amount.value * benches,
        total,
        amount.unit,
        how,
        hazards_of(substance),
        stream_of(substance),
        steps,
        substance.exact,
        substance.formula if made else "",
        made.amount if made else None,
        made.glass.partition(",")[0] if made else "",
        care_of(substance).first,
    )


def _how(substance: Substance, total: float) -> tuple[str, Made | None]:
    """How it is got ready, and of a solution that is weighed in, what that takes."""
    by_mass = substance.amount is not None and substance.amount.unit == "g"
    if by_mass:
        return "weigh out, or put the bottle next to the balance", None
    if substance.molar is None or not substance.formula:
        return "from the bottle", None
    if substance.formula in DILUTED or substance.density is not None:
        acid = "; acid into water, in the hood" if substance.formula in ACIDS else "; in the hood"
        return f"{substance.molar:g} M, diluted from the stock bottle{acid}", None
    try:
        made = to_make(substance.molar, total, substance.formula, substance.fraction)
    except Unreadable:
        return f"{substance.molar:g} M, from the bottle", None
    how = f"{digits(made.amount, 4)} g {substance.formula} to {digits(total)} mL; record both as measured"
    return how, made


def _kit(steps: list[Step], benches: int, spare: float, stock: Mapping[str, int]) -> tuple[ToPutOut, ...]:
    """Each kind once, with the most that one step needs; shared kit as many as there are."""
    known = {name.casefold(): count for name, count in stock.items()}
    names: dict[str, tuple[str, int]] = {}
    for step in steps:
        for name in (*step.kit, *step.container):
            key = name.casefold()
            count = sum(other.casefold() == key for other in (*step.kit, *step.container))
            shown, most = names.get(key, (name, 0))
            names[key] = (shown, max(most, count))
    found = []
    for key, (name, bench) in sorted(names.items()):
        if key in known and known[key] < bench * benches:
            found.append(ToPutOut(f"kit {key}", name, bench, known[key], None, known[key]))
            continue
        extra = 1 + spare if any(word in key for word in CONSUMED) else 1
        total = math.ceil(round(bench * benches * extra, 9))
        short = max(0, total - known[key]) if key in known else None
        found.append(ToPutOut(f"kit {key}", name, bench, total, short, None))
    return tuple(found)


def _waste(
    procedure: Procedure, meeting: int, benches: int, makes: list[ToMake], eluents: tuple[ToMix, ...]
) -> tuple[WasteBottle, ...]:
    """mL by stream (Make 3)."""
    streams: dict[str, float] = {}

    def goes(stream: str, volume: float) -> None:
        if stream and stream not in ("sink", "bin", "reuse"):
            streams[stream] = streams.get(stream, 0.0) + volume

    for mixed in eluents:
        goes(mixed.stream, mixed.total)
    thrown: set[str] = set()
    for moment in moments(procedure, STEP_KINDS):
        names = {name.casefold() for name in moment.matter.substances}
        if moment.kind is None:
            continue
        if moment.kind.ends:
            thrown |= names
            if moment.step.meeting == meeting:
                goes(moment.step.waste, benches * moment.held.poured)
        elif moment.kind.takes_off and caught(moment):
            thrown |= names
            if moment.step.meeting == meeting:
                for name, volume in moment.matter.liquids.items():
                    care = moment.matter.cares[name]
                    goes(care.waste if care.organic else "", benches * volume)
    for made in makes:
        if made.name.casefold() not in thrown:
            goes(made.waste, made.benches if made.unit == "mL" else 0.0)
    return tuple(
        WasteBottle(f"waste {stream}", stream, volume, max(1, math.ceil(volume / (1000 * FILLED))))
        for stream, volume in sorted(streams.items())
    )


def shown_amount(value: float, unit: str) -> str:
    """``0.82 L`` from a litre on, else as it is."""
    if unit == "mL" and value >= 1000:
        return f"{round_to(value / 1000, 2)} L"
    return f"{digits(value)} {unit}"
