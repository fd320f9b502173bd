"""The findings on a photograph: whether it is good enough to read from, and what looks odd."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from helvor.core.laws.planar.rf import resolution
from helvor.core.quantities.reading import round_to
from helvor.core.record.finding import Finding, by_severity
from helvor.core.techniques.planar.photo.proposal import SURE, Proposal
from helvor.core.techniques.planar.plate import LIGHTS

FEW_PX_PER_MM = 4.0
"""Coarser than this, a pixel is more than a ruler's half millimetre is worth. Common practice, no source."""
UNEVEN = 0.45
NARROWS = 0.22
"""An edge this much shorter than its opposite was seen at well over twenty degrees."""


ORIGIN_OFF_MM = 1.0


def check_photograph(proposal: Proposal, names: list[str], origin: float | None = None) -> list[Finding]:
    """Findings, most serious first.

    Args:
        proposal: what was read.
        names: what its spots are called, in their order.
        origin: where the set-up says that the origin line is, mm up.
    """
    found = list(_found(proposal, names))
    line = proposal.origin
    if line is not None and origin is not None and abs(line.mean - origin) > ORIGIN_OFF_MM:
        found.append(
            Finding(
                "photo-origin-elsewhere",
                "note",
                f"The origin line is {round_to(line.mean, 1)} mm up in the photograph, but {round_to(origin, 1)} mm in "
                "the set-up.",
                "Distances are measured from the line in the photograph.",
                "Check the corners; if they are right, correct the set-up.",
            )
        )
    return by_severity(found)


def _found(p: Proposal, names: list[str]) -> Iterator[Finding]:
    if p.corners_sure == 0:
        yield Finding(
            "photo-no-plate",
            "caution",
            "The plate’s edges were not found.",
            "The outline is uncertain, and so are all distances.",
            "Drag the four corners onto the plate’s corners; it is analysed again at once.",
        )
    elif p.corners_sure < SURE:
        yield Finding(
            "photo-corners", "note", "The outline is uncertain. Check that each corner is on the plate’s corner."
        )
    if p.px_per_mm < FEW_PX_PER_MM:
        yield Finding(
            "photo-coarse",
            "caution",
            f"Only {round_to(p.px_per_mm, 1)} pixels per millimetre.",
            f"One pixel is {round_to(1 / p.px_per_mm, 2)} mm: a ruler reads finer.",
            "Take it from closer, with the plate filling the picture.",
        )
    if p.narrows > NARROWS:
        yield Finding(
            "photo-steep",
            "note",
            f"It was taken from the side: one edge is {round_to(100 * p.narrows, 0)} % shorter than its opposite.",
            "The far side has fewer pixels.",
            "Hold the camera over the plate’s middle.",
        )
    if p.falls > UNEVEN:
        yield Finding(
            "photo-uneven",
            "caution",
            f"Illumination varies by {round_to(100 * p.falls, 0)} % across the plate (corrected).",
            "Faint spots on the dark side can be missed.",
            "Turn the plate under the lamp and take one more.",
        )
    if p.origin is None:
        yield Finding(
            "photo-no-origin",
            "caution",
            "No origin line was found.",
            "Distances are measured from the height in the set-up.",
            "Check that the pencil line is visible and the photograph is not upside down.",
        )
    if p.front is None:
        yield Finding(
            "photo-no-front",
            "note",
            "No marked front was found. Enter it by hand; next time mark it at once.",
        )
    yield from _spots(p, names)


def _spots(p: Proposal, names: list[str]) -> Iterator[Finding]:
    if not p.spots:
        yield Finding(
            "photo-no-spots",
            "note",
            f"No spot was found under {LIGHTS[p.light].lower()}.",
            "The load may be too small, the lamp wrong, or the spots washed into the eluent.",
            "Look at the plate yourself, and under another lamp.",
        )
    stray = [name for name, spot in zip(names, p.spots, strict=True) if spot.lane < 0]
    if stray:
        many = f"{len(stray)} spots are" if len(stray) > 1 else "One spot is"
        yield Finding("photo-stray", "note", f"{many} in no lane. Choose a lane, or untick it.")
    for (upper, a), (lower, b) in pairwise(zip(names, p.spots, strict=True)):
        if a.lane != b.lane or a.lane < 0:
            continue
        rs = resolution(a.up - b.up, a.head - a.tail, b.head - b.tail)
        if rs < 1:
            yield Finding(
                "photo-overlap",
                "note",
                f"{upper} and {lower} overlap, Rs {round_to(rs, 1)}: their areas are uncertain.",
            )
