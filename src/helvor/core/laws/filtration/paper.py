"""Filter papers: the cone a disc makes, what it holds, which funnel it fits, how it is folded and cut.

Paper 1. A disc of diameter D folded to a quarter and opened is a cone of slant D/2 with a base
         circumference of half the disc's: base radius D/4, height D/2 · cos 30°, apex angle 60°.
         Geometry; glass funnels are made with the same angle.
Paper 2. The folded edge sits 5 to 10 mm below the funnel's rim. Common practice.
Paper 3. For a flat plate the disc is cut 3 mm inside the traced outline, so that it covers every
         hole and lies flat. Common practice.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from helvor.core.quantities.reading import Unreadable

PAPERS = (55, 70, 90, 110, 125, 150, 185, 240)
"""Usual disc diameters, mm. Common practice."""
FUNNELS = (35, 50, 60, 75, 100, 125)
"""Usual top diameters of 60° glass funnels, mm. Common practice."""
PLATES = (15, 25, 40, 55, 70, 90, 110)
"""Inner diameters of small Hirsch and of Büchner funnels, mm. Common practice."""
BELOW_RIM = (5.0, 10.0)
"""How far the folded edge sits below the rim, mm (Paper 2)."""
INSIDE_OUTLINE = 3.0
"""How far inside the traced outline a disc is cut, mm (Paper 3)."""
BELOW_EDGE = 10.0
"""The liquid's distance from the paper's edge along the glass, when filled “to 1 cm below the edge”, mm."""
Fold = Literal["quarter", "torn", "twisted", "fluted"]


@dataclass(frozen=True, slots=True)
class Cone:
    """A paper cone.

    Attributes:
        diameter: of the disc, mm; slant, radius, height of the cone, mm.
        holds: mL, to the very edge.
    """

    diameter: float
    slant: float
    radius: float
    height: float
    holds: float

    def volume_at(self, slant: float) -> float:
        """What it holds up to a slant height from the tip, mm → mL; the cube law of similar cones."""
        return self.holds * (max(0.0, min(slant, self.slant)) / self.slant) ** 3


def cone_of(diameter: float) -> Cone:
    """The cone that a disc of this diameter (mm) folds to (Paper 1).

    Raises:
        Unreadable: the diameter is outside 20 to 500 mm.

    >>> cone = cone_of(110)
    >>> round(cone.height, 1), round(cone.holds, 1)
    (47.6, 37.7)
    """
    if not 20 <= diameter <= 500:
        raise Unreadable("Enter a paper diameter of 20 to 500 mm.")
    slant, radius = diameter / 2, diameter / 4
    height = slant * math.cos(math.radians(30))
    return Cone(diameter, slant, radius, height, math.pi * radius**2 * height / 3 / 1000)


@dataclass(frozen=True, slots=True)
class Fill:
    """How far a cone is filled.

    Attributes:
        slant: of the liquid's surface from the tip along the paper, mm.
        height: of the surface above the tip, mm.
        volume: mL.
    """

    slant: float
    height: float
    volume: float

    def pours(self, liquid: float) -> int:
        """How often it is filled for so much liquid, mL; 0 for none."""
        return math.ceil(liquid / self.volume) if liquid > 0 else 0


def fill_line(diameter: float, school: str) -> Fill:
    """Where the liquid may stand, by the house rule *filling-cone*.

    ``half`` is half the paper's height, when every grain counts; ``rim`` is 1 cm below the edge.

    >>> round(fill_line(110, "half").volume, 1), round(fill_line(110, "rim").volume, 1)
    (4.7, 20.7)
    """
    cone = cone_of(diameter)
    slant = cone.slant / 2 if school == "half" else max(cone.slant - BELOW_EDGE, cone.slant / 2)
    return Fill(slant, slant * math.cos(math.radians(30)), cone.volume_at(slant))


def paper_for_funnel(funnel: float) -> int:
    """The largest usual disc whose folded edge stays 5 mm below the rim of a 60° funnel (mm) (Paper 2).

    Raises:
        Unreadable: the funnel is smaller than the smallest paper needs.

    >>> paper_for_funnel(75), paper_for_funnel(100)
    (125, 185)
    """
    fitting = [paper for paper in PAPERS if paper / 2 <= funnel - BELOW_RIM[0]]
    if not fitting:
        raise Unreadable(f"A funnel of {funnel:g} mm is too small for the smallest paper, {PAPERS[0]} mm.")
    return fitting[-1]


def funnel_for_paper(paper: float) -> int:
    """The smallest usual funnel in which a disc's folded edge stays below the rim, mm.

    Raises:
        Unreadable: there is none.
    """
    for funnel in FUNNELS:
        if paper / 2 <= funnel - BELOW_RIM[0]:
            return funnel
    raise Unreadable(f"No common funnel fits a paper of {paper:g} mm: enter a smaller one.")


def disc_for_plate(plate: float) -> float:
    """The diameter to cut for a flat plate of this inner diameter, mm (Paper 3).

    Raises:
        Unreadable: the plate is outside 10 to 300 mm.

    >>> disc_for_plate(55)
    49.0
    """
    if not 10 <= plate <= 300:
        raise Unreadable("Enter a plate diameter of 10 to 300 mm.")
    return plate - 2 * INSIDE_OUTLINE


Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class FoldStep:
    """One picture of a fold, in a box of 100 by 100 with the disc's centre at (50, 50).

    Attributes:
        says: what the hands do.
        outline: the paper's edge as an SVG path.
        creases: folded already; dashes: to be folded now.
    """

    says: str
    outline: str
    creases: tuple[tuple[Point, Point], ...] = ()
    dashes: tuple[tuple[Point, Point], ...] = ()
    layers: tuple[str, ...] = ()


_R = 42.0
_C = 50.0


def _on(angle: float, radius: float = _R) -> Point:
    """A point on the disc; 0° to the right, turning clockwise as the screen does."""
    return round(_C + radius * math.cos(math.radians(angle)), 2), round(_C + radius * math.sin(math.radians(angle)), 2)


def _sector(start: float, end: float) -> str:
    """The outline of a part of the disc between two angles."""
    (x1, y1), (x2, y2) = _on(start), _on(end)
    return f"M{_C} {_C}L{x1} {y1}A{_R} {_R} 0 {int(end - start > 180)} 1 {x2} {y2}Z"


_DISC = f"M{_C - _R} {_C}a{_R} {_R} 0 1 1 {2 * _R} 0a{_R} {_R} 0 1 1 {-2 * _R} 0Z"
_ACROSS = (_on(180), _on(0))
_DOWN = (_on(90), (_C, _C))
_CONE = f"M{_C - 30} 24L{_C} 80L{_C + 30} 24A30 9 0 0 1 {_C - 30} 24Z"
_CONE_BACK = f"M{_C - 30} 24A30 9 0 0 1 {_C + 30} 24"


def fold_guide(fold: str, pleats: int = 16) -> list[FoldStep]:
    """How a disc is folded, picture by picture.

    Args:
        fold: ``quarter``, ``torn``, ``twisted`` or ``fluted``.
        pleats: of a fluted paper, 8 to 32, a multiple of four.

    Raises:
        Unreadable: there is no such fold, or the pleats cannot be made by halving and turning over.
    """
    half = FoldStep("Fold the disc in half along a line through its middle.", _DISC, dashes=(_ACROSS,))
    quarter = FoldStep(
        "Fold the half once more, to a quarter; do not press the tip: it would wear thin.",
        _sector(0, 180),
        creases=(_ACROSS,),
        dashes=(_DOWN,),
    )
    opened = FoldStep("Open it to a cone: one layer on one side, three on the other.", _CONE, layers=(_CONE_BACK,))
    if fold == "quarter":
        return [half, quarter, opened]
    if fold == "torn":
        torn = FoldStep(
            "Tear a small corner off the outer layer: the fold then sits closer to the glass and no air leaks in.",
            _sector(0, 90),
            creases=((_on(90), (_C, _C)),),
            dashes=((_on(4, _R), _on(18, _R - 9)),),
        )
        return [half, quarter, torn, opened]
    if fold == "twisted":
        return [
            half,
            FoldStep(
                "Fold the half not quite to a quarter: the edges stand about 5° apart.",
                _sector(0, 180),
                creases=(_ACROSS,),
                dashes=((_on(86), (_C, _C)),),
            ),
            FoldStep(
                "Twist it round itself to a cone of even layers, and let it open against the glass.",
                _CONE,
                layers=(_CONE_BACK, f"M{_C} 80Q{_C + 14} 50 {_C + 10} 16"),
            ),
        ]
    if fold == "fluted":
        return _fluted(half, pleats)
    raise Unreadable("Choose a fold: quarter, torn, twisted or fluted.")


def _fluted(half: FoldStep, pleats: int) -> list[FoldStep]:
    if not 8 <= pleats <= 32 or pleats % 4:
        raise Unreadable("Enter 8 to 32 pleats, a multiple of four.")
    sectors = pleats // 2
    rays = [(_on(180 * i / sectors), (_C, _C)) for i in range(1, sectors)]
    coarse = [rays[i] for i in range(len(rays)) if (i + 1) % 2 == 0]
    fine = [ray for ray in rays if ray not in coarse]
    zigzag = "M" + "L".join(
        f"{x} {y}" for i in range(sectors + 1) for x, y in [(round(20 + 60 * i / sectors, 2), 30 if i % 2 else 40)]
    )
    return [
        half,
        FoldStep(
            f"Fold the half to {sectors // 2} equal sectors, all creases to the same side.",
            _sector(0, 180),
            creases=(_ACROSS,),
            dashes=tuple(coarse),
        ),
        FoldStep(
            f"Fold each sector back in its middle, to the other side: {sectors} narrow ones, like a fan.",
            _sector(0, 180),
            creases=tuple(coarse),
            dashes=tuple(fine),
        ),
        FoldStep(
            f"Open the fan: {pleats} pleats, none of them flat at the two ends; turn the tip inside out once.",
            f"{zigzag}L{_C} 84Z",
            layers=tuple(
                f"M{round(20 + 60 * i / sectors, 2)} {30 if i % 2 else 40}L{_C} 84" for i in range(sectors + 1)
            ),
        ),
    ]


@dataclass(frozen=True, slots=True)
class Outline:
    """A circle to print at 1 : 1: what it is, and its diameter, mm."""

    name: str
    diameter: float


def outlines(plates: Sequence[float], papers: Sequence[float]) -> list[Outline]:
    """Cutting outlines for flat plates (Paper 3) and discs for cones, largest first."""
    cut = [Outline(f"for a plate of {plate:g} mm", disc_for_plate(plate)) for plate in plates]
    whole = [Outline(f"paper of {paper:g} mm", cone_of(paper).diameter) for paper in papers]
    return sorted([*cut, *whole], key=lambda outline: -outline.diameter)
