"""Calculators of solutions: concentrations, dilution in steps, buffers, standardization; hydrates and formulas."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from helvor.core.laws.extraction.solutions import is_known, molar_density, solution_density
from helvor.core.laws.precipitation import hydrate as hydrates
from helvor.core.laws.solutions import buffer as buffers
from helvor.core.laws.solutions import concentration as concentrations
from helvor.core.laws.solutions import titration
from helvor.core.quantities.asked import Asked, Formula, NotNegative, Positive
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable, parse_number
from helvor.core.quantities.reading import parse as parse_reading


class ConcentrationIn(Asked):
    """A concentration in a unit, of a formula; g/mL of the solution, or nothing: from the table, else as water."""

    value: Positive
    unit: concentrations.Unit
    formula: Formula
    density: Annotated[float | None, Field(gt=0.3, le=4)] = None


class ConcentrationOut(BaseModel):
    """The same solution in mol/L, g/L, mass fraction (0 to 1), g in 100 mL, mg/kg, mol/kg of solvent; its g/mL.

    *assumed* says where the density came from: *entered*, *table*, or *water*.
    """

    molar: float
    g_per_l: float
    fraction: float
    g_in_100_ml: float
    ppm: float
    molality: float | None
    density: float
    assumed: Literal["entered", "table", "water"]
    g_per_mol: float


def _by_table(asked: ConcentrationIn, mass: float) -> float:
    """Density of the solution by the correlation, g/mL, found for whatever unit was given."""
    if asked.unit in ("% w/w", "ppm"):
        return solution_density(asked.formula, asked.value / (100 if asked.unit == "% w/w" else 1e6))
    grams = {"mol/L": asked.value * mass, "g/L": asked.value, "% w/v": 10 * asked.value, "mg/L": asked.value / 1000}
    return molar_density(asked.formula, grams[asked.unit] / mass)


def concentration(asked: ConcentrationIn) -> ConcentrationOut:
    """A concentration in every unit."""
    mass = molar_mass(asked.formula)
    density, assumed = asked.density, "entered"
    if density is None and is_known(asked.formula):
        try:
            density, assumed = _by_table(asked, mass), "table"
        except Unreadable as beyond:
            raise Unreadable(f"{beyond} Or enter the density on its bottle.") from beyond
    if density is None:
        density, assumed = 1.0, "water"
    found = concentrations.concentration(asked.value, asked.unit, mass, density)
    return ConcentrationOut(
        molar=found.molar,
        g_per_l=found.mass,
        fraction=found.fraction,
        g_in_100_ml=found.in_100_ml,
        ppm=found.ppm,
        molality=found.molality if found.molality != float("inf") else None,
        density=density,
        assumed=assumed,
        g_per_mol=mass,
    )


class SeriesIn(Asked):
    """A stock, how many times weaker each step is, how many steps, mL of each."""

    stock: Positive
    factor: float = Field(10.0, gt=1, le=1e6)
    steps: int = Field(4, ge=1, le=concentrations.MOST_STEPS)
    ml: Positive


class DilutionStepOut(BaseModel):
    """One step: concentration in the unit of the stock, mL of the one before, mL of solvent."""

    number: int
    concentration: float
    taken_ml: float
    solvent_ml: float


def dilution_series(asked: SeriesIn) -> list[DilutionStepOut]:
    """A dilution series."""
    return [
        DilutionStepOut(number=d.number, concentration=d.concentration, taken_ml=d.taken, solvent_ml=d.solvent)
        for d in concentrations.series(asked.stock, asked.factor, asked.steps, asked.ml)
    ]


class BufferIn(Asked):
    """A buffer's pKa, pH, mol/L (acid and base together), mL; mol/L of the strong base or acid that it is made with."""

    pka: float = Field(ge=-2, le=16)
    ph: float = Field(ge=0, le=14)
    molar: Positive
    ml: Positive
    strong_molar: Positive = 1.0
    added_mmol: float = Field(0.0, ge=-1e6, le=1e6)


class BufferOut(BaseModel):
    """Base over acid; mmol of each; mL of strong base if all begins as the acid, of strong acid if as the base;
    capacity, mmol for a litre and one pH; whether the pH is within reach; pH after what was added."""

    ratio: float
    acid_mmol: float
    base_mmol: float
    strong_base_ml: float
    strong_acid_ml: float
    capacity: float
    reaches: bool
    ph_after: float | None


def buffer(asked: BufferIn) -> BufferOut:
    """A buffer to make, and what it stands."""
    made = buffers.buffer(asked.pka, asked.ph, asked.molar, asked.ml)
    after = buffers.after_adding(asked.pka, made, asked.added_mmol / 1000) if asked.added_mmol else None
    return BufferOut(
        ratio=made.ratio,
        acid_mmol=1000 * made.acid,
        base_mmol=1000 * made.base,
        strong_base_ml=1000 * made.base / asked.strong_molar,
        strong_acid_ml=1000 * made.acid / asked.strong_molar,
        capacity=1000 * made.capacity,
        reaches=made.reaches,
        ph_after=after,
    )


class StandardizeIn(Asked):
    """Titrations, a line each: ``0.5105 g 24.95 mL``; the standard, mol of titrant for one of it, purity (0 to 1),
    mL of the blank."""

    trials: list[Annotated[str, Field(max_length=60)]] = Field(min_length=1, max_length=20)
    standard: Formula
    ratio: Positive = 1.0
    purity: float = Field(1.0, gt=0, le=1)
    blank_ml: NotNegative = 0.0


class StandardizeOut(BaseModel):
    """mol/L of each titration, the mean with its standard uncertainty, spread over mean, and whether they agree."""

    each: list[float]
    molar: float
    u: float
    spread: float
    agree: bool


_TRIAL = re.compile(r"(?P<mass>[\d.,]+\s*(?:m?g)?)[\s;,:]+(?P<volume>[\d.,]+\s*(?:mL|ml)?)", re.IGNORECASE)


def read_trials(lines: list[str]) -> list[titration.Trial]:
    """Lines such as ``0.5105 g 24.95 mL``; bare numbers are g and mL.

    Raises:
        Unreadable: with the line that is not clear.
    """
    found = []
    for line in filter(str.strip, lines):
        match = _TRIAL.fullmatch(line.strip())
        if match is None:
            raise Unreadable(f"“{line.strip()[:30]}” is not clear: enter mass and volume, such as 0.5105 g 24.95 mL.")
        mass = parse_reading(match["mass"].strip(), "mass", field_unit="g")
        volume = parse_reading(match["volume"].strip(), "volume", field_unit="mL")
        found.append(titration.Trial(mass.value, volume.value, mass.resolution, volume.resolution))
    return found


def standardization(asked: StandardizeIn) -> StandardizeOut:
    """The concentration of a titrant from weighed standards."""
    trials, mass = read_trials(list(asked.trials)), molar_mass(asked.standard)
    found = titration.standardize(trials, mass, asked.ratio, asked.purity, asked.blank_ml)
    return StandardizeOut(each=list(found.each), molar=found.molar, u=found.u, spread=found.spread, agree=found.agree)


class HydrateIn(Asked):
    """The anhydrous salt, g before and after heating, without the crucible."""

    anhydrous: Formula
    before_g: Positive
    after_g: Positive


class HydrateOut(BaseModel):
    """mol of water for one mol of salt, the whole number near it, water found and by that formula (0 to 1)."""

    waters: float
    whole: int
    fits: bool
    found: float
    theoretical: float


def hydrate(asked: HydrateIn) -> HydrateOut:
    """The water of a hydrate from its loss on heating."""
    found = hydrates.hydrate(asked.anhydrous, asked.before_g, asked.after_g)
    return HydrateOut(
        waters=found.waters, whole=found.whole, fits=found.fits, found=found.found, theoretical=found.theoretical
    )


class CompositionIn(Asked):
    """A formula for its percentages, or elements with percentages, ``C 40.0, H 6.7, O 53.3``, for a formula."""

    text: str = Field(min_length=1, max_length=200)


class CompositionOut(BaseModel):
    """The formula, g/mol, the mass fraction of each element, and for percentages the mol ratios behind it."""

    formula: str
    g_per_mol: float
    fractions: dict[str, float]
    ratios: dict[str, float]


_PART = re.compile(r"(?P<element>[A-Z][a-z]?)\s*[:=]?\s*(?P<part>\d[\d.,]*)\s*%?")


def composition(asked: CompositionIn) -> CompositionOut:
    """Percent composition of a formula, or the empirical formula of percentages."""
    pieces = [piece for piece in re.split(r"[;\n]\s*|,\s+|,(?=[A-Z])|\s+(?=[A-Z])", asked.text.strip()) if piece]
    parts = [_PART.fullmatch(piece.strip()) for piece in pieces]
    if len(parts) > 1 and all(parts):
        read = {part["element"]: parse_number(part["part"])[0] for part in parts if part is not None}
        found = hydrates.empirical(read)
        return CompositionOut(
            formula=found.formula,
            g_per_mol=molar_mass(found.formula),
            fractions=hydrates.composition(found.formula),
            ratios=dict(found.ratios),
        )
    formula = asked.text.strip()
    return CompositionOut(
        formula=formula, g_per_mol=molar_mass(formula), fractions=hydrates.composition(formula), ratios={}
    )
