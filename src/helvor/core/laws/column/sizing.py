"""From a plate to a column: whether it is worth trying, and a first plan.

Sizing 1. Column volumes to a compound's peak are about 1/Rf; two part by ΔCV = 1/Rf₁ − 1/Rf₂.
          Common practice.
Sizing 2. Flash columns: W. C. Still, M. Kahn, A. Mitra, J. Org. Chem. 1978, 43, 2923, table: made
          for Rf near 0.35, a bed of 15 cm, 5 cm of flow a minute. Between its rows diameter and
          sample follow each other by their logarithms.
Sizing 3. At another Rf the eluent is counted from 1/Rf instead: the band of the slower compound is
          out by about 1.4/Rf column volumes, plus one to pack and wet. Common practice.
Sizing 4. Packed silica is about 0.5 g/mL, and about 0.8 of a slurry-packed bed is liquid. Common practice.
Sizing 5. Gravity columns take 20 to 50 g of silica for a gram of sample, up to 100 for hard ones; the
          bed is some ten times as high as it is wide. Common practice.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.laws.spare import SUM_SPARE
from helvor.core.quantities.reading import Unreadable, digits, round_to

FLASH: tuple[tuple[float, float, float, float, float], ...] = (
    (10, 100, 100, 40, 5),
    (20, 200, 400, 160, 10),
    (30, 400, 900, 360, 20),
    (40, 600, 1600, 600, 30),
    (50, 1000, 2500, 1000, 50),
)
"""Diameter mm, eluent mL, sample mg at ΔRf ≥ 0.2 and at ≥ 0.1, fraction mL (Sizing 2)."""
BED_CM = 15.0
GOOD = (0.2, 0.35)
EASY, HARD = 0.2, 0.1
MARGINAL_CV, GOOD_CV = 0.9, 1.9
"""Column volumes between two peaks, 1/Rf₂ − 1/Rf₁: about 1 is marginal, 2 good. Common practice, no source."""
SILICA_G_PER_ML, LIQUID_PART = 0.5, 0.8
TABLE_RF = (0.28, 0.42)
"""Rf near enough to the table's 0.35 to take its eluent volume."""


@dataclass(frozen=True, slots=True)
class Suitability:
    """Whether an eluent that parts two compounds on a plate suits a column.

    Attributes:
        rf_fast, rf_slow: the two, the faster first; delta: their difference.
        delta_cv: column volumes between their peaks.
        level: good, note, or caution; says: what that means and what to do.
    """

    rf_fast: float
    rf_slow: float
    delta: float
    delta_cv: float
    level: str
    says: str


def suitability(rf_a: float, rf_b: float) -> Suitability:
    """Judge two Rf for a column in the same eluent (Sizing 1).

    Raises:
        Unreadable: an Rf of 0 or 1 says nothing.

    >>> round(suitability(0.35, 0.2).delta_cv, 2)
    2.14
    """
    if not (0 < rf_a < 1 and 0 < rf_b < 1):
        raise Unreadable("An Rf of 0 or 1 gives no information for a column: change the eluent first.")
    fast, slow = max(rf_a, rf_b), min(rf_a, rf_b)
    # Two decimals in, so that 0.35 and 0.15 are 0.20 apart and not a hair less.
    delta, cv = round(fast - slow, 6), 1 / slow - 1 / fast
    if fast > GOOD[1] + 0.15:
        level, says = (
            "caution",
            "They run too fast: on a column they elute together at the start. Use a weaker eluent.",
        )
    elif cv < MARGINAL_CV:
        overlap = "they overlap on a column of this kind. Tune the eluent first."
        level, says = "caution", f"Their peaks come {cv:.1f} column volumes apart: {overlap}"
    elif slow < 0.1:
        level, says = "note", "The slower one hardly moves: change to a stronger eluent once the first is out."
    elif cv < GOOD_CV:
        level, says = "note", "It works with a small sample and small fractions."
    elif delta < HARD:
        level, says = "note", "They part well, but late: much eluent, or a stronger one once the first is out."
    else:
        level, says = "good", "Well separated: a column in this eluent should separate them."
    return Suitability(fast, slow, delta, cv, level, says)


@dataclass(frozen=True, slots=True)
class ColumnDraft:
    """A first plan of a column.

    Attributes:
        diameter: mm, of the bed inside; bed: its height, mm.
        silica: g; column_volume: mL of liquid in the bed.
        eluent: mL in all, packing too; fraction: mL each; fractions: how many.
        first, last: column volumes at which the two peaks come.
        by_table: the eluent is the table's; else it is counted from 1/Rf.
    """

    diameter: float
    bed: float
    silica: float
    column_volume: float
    eluent: float
    fraction: float
    fractions: int
    first: float
    last: float
    by_table: bool


def draft(sample: float, fit: Suitability) -> ColumnDraft:
    """A flash column for an amount of sample (Sizing 2 to 4).

    Args:
        sample: mg; fit: the two compounds that are to be parted.

    Raises:
        Unreadable: the table does not reach so far, or they lie too near.
    """
    if fit.delta < HARD:
        raise Unreadable("The Rf values are within 0.1, and the table ends there. Tune the eluent first.")
    which = 2 if fit.delta >= EASY else 3
    least, most = FLASH[0][which] / 10, FLASH[-1][which]
    if not least <= sample <= most:
        raise Unreadable(
            f"The table goes from {digits(least)} to {digits(most)} mg at this ΔRf; {digits(sample)} mg is outside it."
        )
    row = _row(sample, which)
    diameter, by_eluent, fraction = row
    volume = math.pi * (diameter / 20) ** 2 * BED_CM
    liquid = LIQUID_PART * volume
    by_table = TABLE_RF[0] <= fit.rf_slow and fit.rf_fast <= TABLE_RF[1] + 0.1
    eluent = by_eluent if by_table else liquid * (1.4 / fit.rf_slow + 1)
    return ColumnDraft(
        diameter,
        10 * BED_CM,
        SILICA_G_PER_ML * volume,
        liquid,
        eluent,
        fraction,
        math.ceil((eluent - liquid) / fraction),
        1 / fit.rf_fast,
        1 / fit.rf_slow,
        by_table,
    )


GRAVITY = (20.0, 50.0, 100.0)
"""g of silica for a g of sample: easy, usual, hard (Sizing 5)."""
SLENDER = 10.0
"""Height of a gravity bed over its width (Sizing 5)."""


@dataclass(frozen=True, slots=True)
class GravityDraft:
    """A gravity column: bore and bed, mm; silica, g; slurry and column volume, mL; eluent, mL; fractions of mL each.

    ``bore`` is the one asked for, else the one that makes the bed ten times as high as it is wide.
    """

    bore: float
    bed: float
    silica: float
    slurry: float
    column_volume: float
    eluent: float
    fraction: float
    fractions: int
    minutes: float | None


def gravity(sample: float, fit: Suitability, bores: Sequence[float] = (), flow: float | None = None) -> GravityDraft:
    """A gravity column for an amount of sample (Sizing 3 to 5).

    Args:
        sample: mg; fit: the two compounds that are to be parted.
        bores: inside widths that the stockroom has, mm; any width without.
        flow: mL a minute, for how long it takes.

    Raises:
        Unreadable: no sample, a flow or a bore that is not above 0, or they lie too near.
    """
    if fit.delta < HARD:
        raise Unreadable(
            "The Rf values are within 0.1: a column of this kind will not separate them. Tune the eluent first."
        )
    if not sample > 0 or any(not bore > 0 for bore in bores) or (flow is not None and not flow > 0):
        raise Unreadable("Enter a sample, widths and a flow above 0.")
    ratio = GRAVITY[0] if fit.delta >= 2 * EASY else GRAVITY[1] if fit.delta >= EASY else GRAVITY[2]
    silica = ratio * sample / 1000
    volume = silica / SILICA_G_PER_ML
    ideal = 10 * (4 * volume / (math.pi * SLENDER)) ** (1 / 3)
    bore = min(bores, key=lambda one: abs(math.log(one / ideal))) if bores else ideal
    bed = 10 * volume / (math.pi / 4 * (bore / 10) ** 2)
    liquid = LIQUID_PART * volume
    eluent = liquid * (1.4 / fit.rf_slow + 1)
    fraction = max(1.0, round(liquid / 4))
    count = math.ceil((eluent - liquid) / fraction)
    return GravityDraft(
        bore, bed, silica, 3 * volume, liquid, eluent, fraction, count, eluent / flow if flow is not None else None
    )


@dataclass(frozen=True, slots=True)
class ForClass:
    """What a class takes, spare included, and what is left to throw away.

    Attributes:
        silica: g, all of it waste in the end; eluent: mL, all of it waste once pools are evaporated.
        tubes: how many.
    """

    benches: int
    silica: float
    eluent: float
    tubes: int


def for_class(plan: ColumnDraft | GravityDraft, benches: int, spare: float = SUM_SPARE) -> ForClass:
    """Totals of a plan for so many benches.

    Raises:
        Unreadable: fewer than one bench, or a spare below 0.

    >>> for_class(draft(100, suitability(0.5, 0.3)), 10).eluent
    1100.0
    """
    if benches < 1 or spare < 0:
        raise Unreadable("Enter at least 1 bench and a spare of 0 % or more.")
    count = benches * (1 + spare)
    return ForClass(
        benches,
        float(digits(plan.silica * count, 3)),
        float(digits(plan.eluent * count, 3)),
        math.ceil(plan.fractions * count - 1e-9),
    )


def allowed(bore: float, delta: float | None) -> tuple[float, float]:
    """mg that a bed of a bore (mm) parts at a ΔRf, and the ΔRf from which the table's column counts (Sizing 2).

    Between the table's rows it follows the area of the bed. Where no ΔRf is known, the easier column is taken.

    >>> allowed(20, 0.25), allowed(20, 0.10), allowed(15, None)
    ((400.0, 0.2), (160.0, 0.1), (225.0, 0.2))
    """
    which = 2 if delta is None or delta >= EASY else 3
    diameter, most = FLASH[0][0], FLASH[0][which]
    return most * (bore / diameter) ** 2, EASY if which == 2 else HARD


def _row(sample: float, which: int) -> tuple[float, float, float]:
    """Diameter, eluent and fraction for an amount: straight between rows, by logarithms; below the first, the first."""
    if sample <= FLASH[0][which]:
        return FLASH[0][0], FLASH[0][1], FLASH[0][4]
    for low, high in itertools.pairwise(FLASH):
        if sample <= high[which]:
            part = math.log(sample / low[which]) / math.log(high[which] / low[which])
            diameter, eluent, fraction = (low[i] * (high[i] / low[i]) ** part for i in (0, 1, 4))
            return float(round_to(diameter, 0)), float(round_to(eluent, -1)), float(round_to(fraction, 0))
    raise AssertionError("checked before")  # pragma: no cover
