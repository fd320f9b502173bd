"""A funnel on record: which portion it is at, what stands in it now, what was drawn off.

Funnel 1. A portion is in the funnel once its amount is written; the layers are those of that round.
Funnel 2. What was drained since is out, but for what clings by the way the boundary is cut.
"""

from __future__ import annotations

from dataclasses import dataclass
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


def funnel_now(run: Run, step: Step, parting: Parting, cut: Cut) -> Now:
    """Fold what is on record for a step into what stands in its funnel."""
    planned = max(step.times, 1)
    taken = _into(run, step, parting)
    portion = len(taken)
    since = taken[-1] if taken else 0
    vented = drained = 0
    rag: float | None = None
    out: set[str] = set()
    last = ""
    for line in run.lines:
        said = line.head.payload
        if line.root.seq <= since or getattr(said, "step", "") != step.id:
            continue
        if isinstance(said, Vented):
            vented, last = vented + 1, "vent"
        elif isinstance(said, Emulsion):
            rag = None if said.gone else (said.thick.value if said.thick is not None else 2.0)
            last = "rag"
        elif isinstance(said, Drained):
            drained, last = drained + 1, "drain"
            out.add(said.place)
    rounds = parting.rounds
    layers: list[Layer] = []
    if portion and rounds:
        settled = rounds[min(portion, len(rounds)) - 1].settled
        for place, layer in (("lower", settled.lower), ("upper", settled.upper)):
            if layer is not None:
                left = _left(layer, cut.behind) if place in out else layer
                layers.append(left)
    elif parting.feed.liquids:
        volume = parting.feed.volume()
        most = max(parting.feed.liquids, key=lambda pair: pair[1])[0]
        mass = sum(liquid.density * v for liquid, v in parting.feed.liquids)
        makes: Makes = "organic" if most.makes == "organic" else "aqueous"
        parts = tuple((liquid.name, v) for liquid, v in parting.feed.liquids)
        layers = [Layer(makes, most.name, volume, mass / volume, parts)]
    swirls = VENTS[vented] if portion and not out and vented < len(VENTS) else None
    phase = _phase(run, step, portion, max(planned, portion), bool(layers), vented, out, last)
    stopper = "on" if phase == "mixing" and last != "rag" else "off"
    tap = "open" if last == "drain" and out == {"lower"} and phase != "done" else "closed"
    return Now(phase, portion, max(planned, portion), vented, swirls, tuple(layers), rag, stopper, tap)


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


def _phase(
    run: Run, step: Step, portion: int, portions: int, filled: bool, vented: int, out: set[str], last: str
) -> Phase:
    if step.id in run.done:
        return "done"
    if not portion:
        return "one layer" if filled else "empty"
    if out == {"lower"} and last == "drain":
        return "between" if portion < portions else "draining"
    if out:
        return "between" if portion < portions else "draining"
    if vented < len(VENTS) and last != "rag":
        return "mixing"
    return "settling"


def place_of_wanted(parting: Parting) -> str:
    """*upper* or *lower*: where the layer of what is added stands; empty where it cannot be said."""
    return parting.settled.where(parting.makes) if parting.settled is not None else ""
