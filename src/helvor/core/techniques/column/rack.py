"""A column on record: its bed, its tubes in order, what each shows, what was pooled, what was predicted.

Rack 1. What is written later of a tube holds; both stand in ink.
Rack 2. A tube whose volume was not said has the volume that was planned for one.
Rack 3. Amounts on the column are those really weighed out, else those wanted.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import combinations, pairwise

from helvor.core.engine.run.account import Ledger
from helvor.core.engine.run.record import Run
from helvor.core.laws.column.model import PLATES, Band, Compound, bands, column_volume, in_tubes
from helvor.core.laws.column.pools import Pool, Tube, found_in, propose
from helvor.core.laws.column.sizing import FLASH, LIQUID_PART, SILICA_G_PER_ML
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.procedure import Procedure, Step, same
from helvor.core.techniques.column.entries import ColumnPacked, LevelSeen, Pooled, TubesFilled, TubesSpotted
from helvor.core.techniques.column.parameters import OfAColumn, OfElution

ELUTE = "elute"
USUAL_BORE, USUAL_BED, USUAL_FRACTION = 20.0, 150.0, 8.0
"""Of a column of which nothing is said: mm, mm, mL. Common practice."""
MOST_TUBES = 96


@dataclass(frozen=True, slots=True)
class Column:
    """What is known of a column.

    Attributes:
        bore, bed: mm; volume: of liquid in the bed, mL.
        fraction: mL planned for a tube; programme: eluent and mL of each, in order.
        masses: compound → mg on the column.
        tubes: in order; pools: proposed; decided: portion → tubes; left_out: tubes that were kept out of a pool.
        compounds, predicted: what is on it, and its bands; why_not: why there is no prediction.
        dry, bubbles: seen at least once; above: mm of liquid above the silica, as seen last.
        capacity: mg that it parts well; flow: mL a minute, from when the last tubes were written.
    """

    step: str
    bore: float
    bed: float
    volume: float
    fraction: float
    programme: tuple[tuple[str, float], ...]
    masses: dict[str, float]
    tubes: tuple[Tube, ...]
    pools: tuple[Pool, ...]
    decided: tuple[tuple[str, tuple[int, ...], bool], ...]
    compounds: tuple[Compound, ...]
    predicted: tuple[Band, ...]
    why_not: str = ""
    dry: bool = False
    bubbles: bool = False
    above: float | None = None
    capacity: float | None = None
    flow: float | None = None
    left_out: frozenset[int] = frozenset()

    @property
    def delta(self) -> float | None:
        """The smallest ΔRf of two compounds, each pair in the eluent that parts it best; None where none is known."""
        pairs = [
            max((abs(a - b) for a, b in zip(one.rf, other.rf, strict=True)), default=0.0)
            for one, other in combinations(self.compounds, 2)
        ]
        return round(min(pairs), 6) if pairs else None

    @property
    def refill_in(self) -> float | None:
        """Minutes until the liquid is down at the silica, by the flow; None where flow or level is not known."""
        if self.above is None or not self.flow:
            return None
        return math.pi / 4 * self.bore**2 * self.above / 1000 / self.flow

    @property
    def silica(self) -> float:
        """g of silica in the bed (Sizing 4)."""
        return SILICA_G_PER_ML * self.volume / LIQUID_PART

    @property
    def eluents(self) -> dict[str, float]:
        """mL of each eluent that came through, as written beside the tubes; planned names where none was written."""
        found: dict[str, float] = {}
        name = self.programme[0][0] if self.programme else "eluent"
        for tube in self.tubes:
            name = tube.eluent or name
            found[name] = found.get(name, 0.0) + (tube.volume or 0.0)
        return found

    @property
    def changes(self) -> list[tuple[float, str]]:
        """Where the eluent changes: mL that came through by then, and what runs from there on."""
        found, entered = [], 0.0
        for (_, ml), (following, _) in pairwise(self.programme):
            entered += ml
            found.append((entered, following))
        return found

    @property
    def running(self) -> str:
        """The eluent that comes next, by what has come through; empty where nothing is planned or written."""
        now = self.programme[0][0] if self.programme else ""
        for entered, following in self.changes:
            if self.passed >= entered - 1e-9:
                now = following
        return now or next((tube.eluent for tube in reversed(self.tubes) if tube.eluent), "")

    @property
    def passed(self) -> float:
        """mL that came through."""
        return self.tubes[-1].end if self.tubes else 0.0

    def ends(self, at_least: int = 0) -> list[float]:
        """Volumes at which each tube is full; planned ones up to *at_least* tubes."""
        found = [tube.end for tube in self.tubes]
        while len(found) < at_least:
            found.append((found[-1] if found else 0.0) + self.fraction)
        return found

    def found(self, compound: str) -> tuple[float, float | None] | None:
        """Mean, mL, and apparent plates of a compound as it was found; None where it was not."""
        band = found_in(self.tubes, compound)
        return (band.mean, band.plates) if band is not None else None


@dataclass(slots=True)
class _Folding:
    filled: dict[int, TubesFilled] = field(default_factory=dict)
    seen: dict[int, dict[str, int]] = field(default_factory=dict)


def column_of(run: Run, ledger: Ledger, step: Step) -> Column:
    """Fold what is on record for an eluting step, and what its procedure says of the column."""
    procedure = run.procedure
    packed = next((said for _, said in reversed(run.of(ColumnPacked))), None)
    pack = next((s for s in procedure.steps if s.kind == "pack column"), step)
    here, at_first = OfElution.of(step), OfAColumn.of(pack)
    bore = packed.bore.value if packed else here.bore or at_first.bore or USUAL_BORE
    bed = packed.bed.value if packed else here.bed or at_first.bed or USUAL_BED
    fraction = here.fraction or USUAL_FRACTION
    folding = _fold(run, step)
    tubes = _tubes(folding, fraction)
    masses = _masses(procedure, ledger)
    levels = [said for _, said in run.of(LevelSeen)]
    volume = column_volume(bore, bed)
    programme = _programme(tubes, _planned(procedure, step))
    capacity = _capacity(bore)
    compounds, predicted, why = _predict(procedure, programme, masses, volume, capacity)
    decided: dict[str, tuple[str, tuple[int, ...], bool]] = {}
    left_out = frozenset(number for _, said in run.of(Pooled) for number in said.without)
    for _, said in run.of(Pooled):
        kept = tuple(number for number in said.tubes if number not in said.without)
        decided[said.portion.casefold()] = (said.portion, kept, said.proposed)
    return Column(
        step.id,
        bore,
        bed,
        volume,
        fraction,
        programme,
        masses,
        tubes,
        tuple(propose(tubes, masses)),
        tuple(decided.values()),
        compounds,
        predicted,
        why,
        any(said.dry for said in levels),
        any(said.bubbles for said in levels),
        next((said.above.value for said in reversed(levels) if said.above is not None), None),
        capacity,
        _flow(run, step, tubes),
        left_out,
    )


def _flow(run: Run, step: Step, tubes: tuple[Tube, ...]) -> float | None:
    """mL a minute between the last two times that tubes were written; None where there are not two apart."""
    times = sorted(
        (line.root.happened, said.last) for line, said in run.of(TubesFilled) if said.step == step.id and said.volume
    )
    if len(times) < 2:
        return None
    (before, first), (after, last) = times[-2:]
    minutes = (after - before).total_seconds() / 60
    volume = sum(tube.volume or 0.0 for tube in tubes if first < tube.number <= last)
    # Two entries typed in one go say nothing of the flow.
    return volume / minutes if minutes > 0.2 and volume > 0 else None


def _fold(run: Run, step: Step) -> _Folding:
    folding = _Folding()
    for _, said in run.of(TubesFilled):
        if said.step == step.id:
            for number in said.tubes:
                before = folding.filled.get(number)
                # A colour or a state written by itself leaves the volume as it was.
                if before is not None and said.volume is None:
                    said_now = said.model_copy(update={"volume": before.volume, "eluent": said.eluent or before.eluent})
                    folding.filled[number] = said_now
                else:
                    folding.filled[number] = said
    for _, spotted in run.of(TubesSpotted):
        for number in spotted.tubes:
            seen = folding.seen.setdefault(number, {})
            if spotted.compound:
                name = next((one for one in seen if same(one, spotted.compound)), spotted.compound)
                seen[name] = spotted.strength
            else:
                seen.clear()
    return folding


def _tubes(folding: _Folding, fraction: float) -> tuple[Tube, ...]:
    last = max((*folding.filled, *folding.seen), default=0)
    tubes, start = [], 0.0
    for number in range(1, last + 1):
        said = folding.filled.get(number)
        tube = Tube(number, fraction, start, seen=folding.seen.get(number))
        if said is not None:
            volume = said.volume.value if said.volume is not None else fraction
            tube = replace(
                tube,
                volume=0.0 if said.state == "skipped" else volume,
                eluent=said.eluent,
                colour=said.colour,
                state=said.state,
            )
        tubes.append(tube)
        start = tube.end
    return tuple(tubes)


def _masses(procedure: Procedure, ledger: Ledger) -> dict[str, float]:
    """mg of each followed component (Rack 3)."""
    found: dict[str, float] = {}
    for component in procedure.components:
        whole = 0.0
        for substance in procedure.substances:
            if not same(substance.component, component.name):
                continue
            known = ledger.taken(substance.name)
            if known is not None and known.mass is not None:
                whole += known.mass.value * substance.fraction
            elif substance.amount is not None and substance.amount.unit == "g":
                whole += substance.amount.value * substance.fraction
            elif known is not None and known.amount is not None and substance.formula:
                whole += known.amount.value * molar_mass(substance.formula)
        if whole:
            found[component.name] = 1000 * whole
    return found


def _programme(tubes: tuple[Tube, ...], planned: tuple[tuple[str, float], ...]) -> tuple[tuple[str, float], ...]:
    """What really came through, by the eluents written beside the tubes, then what is planned after the last of it."""
    found: list[tuple[str, float]] = []
    for tube in tubes:
        name = tube.eluent or (found[-1][0] if found else "")
        if name and found and same(found[-1][0], name):
            found[-1] = (name, found[-1][1] + (tube.volume or 0.0))
        elif name:
            found.append((name, tube.volume or 0.0))
    if not found:
        return planned
    at = _place(found, planned)
    if at is None:
        return tuple((name, ml) for name, ml in found if ml > 0)
    # The one under way goes on at least as far as it was planned.
    found[-1] = (found[-1][0], max(found[-1][1], planned[at][1]))
    return tuple((name, ml) for name, ml in (*found, *planned[at + 1 :]) if ml > 0)


def _place(found: Sequence[tuple[str, float]], planned: Sequence[tuple[str, float]]) -> int | None:
    """Which of the planned eluents the last of those found is: they come in order, so one that comes twice is told
    apart by what came between. None where it is not planned, or not from there on."""
    at: int | None = -1
    reached = -1
    for name, _ in found:
        at = next((i for i in range(reached + 1, len(planned)) if same(planned[i][0], name)), None)
        reached = reached if at is None else at
    return at


def _planned(procedure: Procedure, step: Step) -> tuple[tuple[str, float], ...]:
    """Eluents that the step adds, in order, with their volumes."""
    found = []
    for name in step.adds:
        substance = procedure.substance(name)
        if substance is not None and substance.amount is not None and substance.amount.unit == "mL":
            found.append((substance.name, substance.amount.value))
    return tuple(found)


def _capacity(bore: float) -> float:
    """mg that a bed of a bore parts well at ΔRf ≥ 0.2: the table's, by the area between its rows (Sizing 2)."""
    low = FLASH[0]
    return low[2] * (bore / low[0]) ** 2


def _predict(
    procedure: Procedure,
    programme: tuple[tuple[str, float], ...],
    masses: dict[str, float],
    volume: float,
    capacity: float,
) -> tuple[tuple[Compound, ...], tuple[Band, ...], str]:
    if not programme:
        return (), (), "For a prediction, enter the eluents of this step with their volumes."
    compounds = []
    for component in procedure.components:
        rf = {name.casefold(): value for name, value in component.rf.items()}
        known = [rf.get(eluent.casefold()) for eluent, _ in programme]
        if any(value is None for value in known):
            missing = next(eluent for (eluent, _), value in zip(programme, known, strict=True) if value is None)
            return (), (), f"The Rf of {component.name} in {missing} is not known: measure it on a plate."
        compounds.append(Compound(component.name, masses.get(component.name, 0.0), tuple(v or 0.0 for v in known)))
    if not compounds:
        return (), (), "No component is tracked."
    try:
        found = bands(compounds, [ml for _, ml in programme], volume, plates=PLATES, capacity=capacity)
    except Unreadable as unreadable:
        return (), (), str(unreadable)
    return tuple(compounds), tuple(found), ""


SILICA_WASTE, NO_STREAM = "silica", "without a stream yet"


def waste_of(column: Column, procedure: Procedure) -> dict[str, float]:
    """What a column leaves to throw away: stream → mL, and g of its silica under :data:`SILICA_WASTE`.

    All eluent that came through is waste in the end: what is pooled is evaporated, and its solvent kept or caught.
    An eluent for which the procedure names no waste is counted apart.
    """
    found: dict[str, float] = {}
    for name, ml in column.eluents.items():
        substance = procedure.substance(name)
        stream = (substance.waste if substance is not None else "") or NO_STREAM
        if ml > 0:
            found[stream] = found.get(stream, 0.0) + ml
    if found:
        found[SILICA_WASTE] = column.silica
    return found


def predicted_tubes(column: Column, most: int = MOST_TUBES) -> dict[str, list[float]]:
    """mg of each compound in each tube as predicted: of the tubes there are, and of planned ones until it is out."""
    count = len(column.tubes)
    last = max((band.span[1] + band.sigma for band in column.predicted if band.span is not None), default=0.0)
    ends = column.ends()
    while (not ends or ends[-1] < last) and len(ends) < most:
        ends.append((ends[-1] if ends else 0.0) + column.fraction)
    return {band.name: in_tubes(band, ends[: max(count, len(ends))]) for band in column.predicted}
