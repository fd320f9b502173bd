"""A funnel drawn: its layers, their densities, and which is which."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.engine.run.case import join
from helvor.core.laws.extraction.layers import (
    CLOSE,
    FILL,
    Layer,
    Settled,
)
from helvor.core.quantities.reading import digits, round_to
from helvor.core.record.house_rules import School
from helvor.core.techniques.extraction.flow import (
    Parting,
)
from helvor.web.techniques.extraction.charts import TRACE
from helvor.web.techniques.extraction.drawing import Axis, level, shape


@dataclass(frozen=True, slots=True)
class LayerShown:
    """A layer as it is drawn: its path, where its label's line starts, what it is."""

    path: str
    at: tuple[float, float]
    name: str
    volume: str
    density: str
    aqueous: bool


@dataclass(frozen=True, slots=True)
class FunnelShown:
    """A funnel, drawn: layers from the bottom, the line of the house rule, the graduation, rag and surface."""

    size: float
    layers: list[LayerShown]
    surface: tuple[float, float] | None
    full: tuple[float, float]
    full_ml: str
    school: str
    graduation: list[tuple[float, float, str]]
    rag: tuple[float, float] | None
    rag_mm: str
    stopper: str
    tap: str
    beaker: float
    beaker_words: str
    over: bool


@dataclass(frozen=True, slots=True)
class DensityShown:
    """The line of densities: x and words of each layer, ticks, the water's mark."""

    upper: tuple[float, str, str]
    lower: tuple[float, str, str]
    water: float
    ticks: list[tuple[float, str]]
    apart: str
    close: bool


def _short(name: str) -> str:
    """A liquid's name for a label in the drawing."""
    return name if len(name) <= 15 else f"{name[:14].rstrip()}…"


def _called(layer: Layer) -> str:
    kind = "aqueous" if layer.makes == "aqueous" else "organic"
    return f"{kind} layer"


def funnel_shown(
    layers: Sequence[Layer],
    size: float,
    fill: School,
    beaker: tuple[str, float],
    rag: float | None = None,
    *,
    stopper: str = "off",
    tap: str = "closed",
) -> FunnelShown:
    """A funnel of *size* mL with layers from the bottom, over a *beaker* of some name that holds so many mL."""
    shown, low = [], 0.0
    for layer in layers:
        high = low + layer.volume
        y, half = level(min((low + high) / 2, size), size)
        shown.append(
            LayerShown(
                shape(low, high, size),
                (round(160 + half - 4, 1), round(y, 1)),
                _called(layer),
                digits(layer.volume, 3),
                round_to(layer.density, 2),
                layer.makes == "aqueous",
            )
        )
        low = high
    most = FILL[fill.key] * size
    full_y, full_half = level(most, size)
    surface = level(low, size) if low > 0 else None
    marks = [size * part for part in (0.2, 0.4, 0.6, 0.8)]
    graduation = [(round(160 - half, 1), round(y, 1), f"{ml:g}") for ml in marks for y, half in (level(ml, size),)]
    rag_at = None
    if rag is not None and len(layers) == 2:
        y, half = level(layers[0].volume, size)
        rag_at = (round(y, 1), round(half, 1))
    name, held = beaker
    beaker_size = next((s for s in (50.0, 100.0, 250.0, 400.0, 600.0) if held <= 0.8 * s), 600.0)
    return FunnelShown(
        size,
        shown,
        (round(surface[0], 1), round(surface[1], 1)) if surface else None,
        (round(full_y, 1), round(full_half, 1)),
        digits(most, 2),
        fill.words,
        graduation,
        rag_at,
        f"{rag:g}" if rag is not None else "",
        stopper,
        tap,
        round(min(held / beaker_size, 1.0), 3),
        f"{name}, {digits(held, 3)} mL" if held else name,
        low > most,
    )


def density_shown(settled: Settled) -> DensityShown | None:
    """Both layers on a line of densities."""
    upper, lower = settled.upper, settled.lower
    if upper is None or lower is None:
        return None
    low = math.floor((min(upper.density, 0.95) - 0.04) * 10) / 10
    high = math.ceil((max(lower.density, 1.05) + 0.02) * 10) / 10
    axis = Axis(low, high, 20, 384)
    ticks = [
        (axis.at(value), round_to(value, 1)) for i in range(round((high - low) * 10) + 1) for value in (low + i / 10,)
    ]
    return DensityShown(
        (axis.at(upper.density), _short(upper.name), round_to(upper.density, 2)),
        (axis.at(lower.density), _short(lower.name), round_to(lower.density, 2)),
        axis.at(1.0),
        ticks,
        round_to(settled.apart, 2),
        settled.close,
    )


def answer_of(settled: Settled, parting: Parting | None = None) -> tuple[str, str]:
    """Which layer is which in a sentence, and how to prove it."""
    if settled.upper is None or settled.lower is None:
        return "One layer.", settled.why_one
    lower, upper = settled.lower, settled.upper
    place = settled.where("aqueous")
    name = (lower if place == "lower" else upper).name
    words = f"{name[0].upper()}{name[1:]} is the {place} layer."
    falls = "falls through and joins the lower layer" if place == "lower" else "stays on top and joins the upper layer"
    carried = ""
    if parting is not None and parting.rounds:
        left = parting.rounds[-1].left
        most = max((s.mol for s in parting.solutes), default=0.0)
        there = [s.name for s in parting.solutes if s.mol > TRACE * most]
        moved = [name for name in there if left.get(name.casefold(), 1.0) < 0.5]
        stay = [name for name in there if name not in moved]
        where = "the aqueous layer" if parting.makes == "aqueous" else "the organic layer"
        if moved:
            stays = f"; {join(stay)} stay{'s' if len(stay) == 1 else ''} behind" if stay else ""
            carried = f"{join(moved)} move{'s' if len(moved) == 1 else ''} to {where}{stays}."
            carried = f"{carried[0].upper()}{carried[1:]} "
    sure = "Densities are close: test it" if settled.apart < CLOSE else "Check"
    return words, f"{carried}{sure}: a drop of water {falls}."
