"""A funnel on record: which portion it is at, what stands in it now, what was drawn off.

Funnel 1. A portion is in the funnel once its amount is written; the layers are those of that round.
Funnel 2. What was drained since is out, but for what clings by the way the boundary is cut.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from helvor.core.engine.run.record import Run
from helvor.core.laws.extraction.layers import VENTS, Cut, Layer, Makes
from helvor.core.record.procedure import Step
from helvor.core.techniques.extraction.entries import Drained, Emulsion, Vented
from helvor.core.techniques.extraction.flow import Parting, takings

Phase = Literal["empty", "one layer", "mixing", "settling", "draining", "between", "done"]


@dataclass(frozen=True, slots=True)
class Now:
    """What stands in the funnel.

    Attributes:
        portion, portions: which portion it is at, and how many are planned or were taken.
        vents: how many times it was vented in this portion; swirls: before the next vent, None after the last.
        layers: from the bottom up, with what is in the funnel now.
        rag: mm of emulsion, None where there is none.
        stopper, tap: *on* or *off*; *open* or *closed*.
    """

    phase: Phase
    portion: int
    portions: int
    vents: int
    swirls: int | None
    layers: tuple[Layer, ...]
    rag: float | None
    stopper: str
    tap: str

    @property
    def volume(self) -> float:
        return sum(layer.volume for layer in self.layers)


@dataclass(slots=True)
class _Since:
    """What was written of a funnel since its last portion went in.

    Attributes:
        vented: how many times; rag: mm of emulsion, None where there is none; out: layers that were drained;
        last: *vent*, *rag* or *drain*, whichever came last.
    """

    vented: int = 0
    rag: float | None = None
    out: set[str] = field(default_factory=set)
    last: str = ""


def _since(run: Run, step: Step, seq: int) -> _Since:
    """What the lines of a step say that come after a place on the page."""
    since = _Since()
    for line in run.lines:
        said = line.head.payload
        if line.root.seq <= seq or getattr(said, "step", "") != step.id:
            continue
        if isinstance(said, Vented):
            since.vented, since.last = since.vented + 1, "vent"
        elif isinstance(said, Emulsion):
            thick = said.thick.value if said.thick is not None else 2.0
            since.rag, since.last = None if said.over else thick, "rag"
        elif isinstance(said, Drained):
            since.out.add(said.place)
            since.last = "drain"
    return since


def _layers_now(parting: Parting, portion: int, out: set[str], cut: Cut) -> list[Layer]:
    """The layers in the funnel from the bottom up; before the first portion, the feed alone."""
    if portion and parting.rounds:
        settled = parting.rounds[min(portion, len(parting.rounds)) - 1].settled
        places = (("lower", settled.lower), ("upper", settled.upper))
        return [_left(layer, cut.behind) if place in out else layer for place, layer in places if layer is not None]
    if not parting.feed.liquids:
        return []
    volume = parting.feed.volume()
    most = max(parting.feed.liquids, key=lambda pair: pair[1])[0]
    mass = sum(liquid.density * v for liquid, v in parting.feed.liquids)
    makes: Makes = "organic" if most.makes == "organic" else "aqueous"
    parts = tuple((liquid.name, v) for liquid, v in parting.feed.liquids)
    return [Layer(makes, most.name, volume, mass / volume, parts)]


def funnel_now(run: Run, step: Step, parting: Parting, cut: Cut) -> Now:
    """Fold what is on record for a step into what stands in its funnel."""
    taken = _into(run, step, parting)
    portion = len(taken)
    portions = max(step.times, 1, portion)
    since = _since(run, step, taken[-1] if taken else 0)
    layers = _layers_now(parting, portion, since.out, cut)
    mixes = portion and not since.out and since.vented < len(VENTS)
    phase: Phase = "done" if step.id in run.done else _phase(since, portion, portions, filled=bool(layers))
    stopper = "on" if phase == "mixing" and since.last != "rag" else "off"
    tap = "open" if since.last == "drain" and since.out == {"lower"} and phase != "done" else "closed"
    swirls = VENTS[since.vented] if mixes else None
    return Now(phase, portion, portions, since.vented, swirls, tuple(layers), since.rag, stopper, tap)


def _into(run: Run, step: Step, parting: Parting) -> list[int]:
    """Places on the page of the portions that went in, of the liquid that was added most often."""
    names = parting.added or step.adds
    return max(
        ([on.line.root.seq for on in takings(run, step, name)] for name in names),
        key=len,
        default=[],
    )


def _left(layer: Layer, behind: float) -> Layer:
    share = min(behind, layer.volume) / layer.volume
    parts = tuple((name, volume * share) for name, volume in layer.parts)
    return Layer(layer.makes, layer.name, layer.volume * share, layer.density, parts)


def _phase(since: _Since, portion: int, portions: int, *, filled: bool) -> Phase:
    if not portion:
        return "one layer" if filled else "empty"
    if since.out:
        return "between" if portion < portions else "draining"
    if since.vented < len(VENTS) and since.last != "rag":
        return "mixing"
    return "settling"
