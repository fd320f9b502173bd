"""Acids, bases and neutral substances between water and an organic layer.

Acid–base 1. Only the uncharged form goes into the organic layer. D = K/(1 + 10^(pH − pKa)) for an
             acid, K/(1 + 10^(pKa − pH)) for a base with the pKa of its conjugate acid.
Acid–base 2. Two units beyond the pKa mean 99 % charged, not 99 % moved: K and the volumes come in.
Acid–base 3. A pH is worked out from the balance of charges in the water, with what sits in the
             organic layer counted; activities are taken as concentrations, so strong solutions
             are a few tenths off.
Acid–base 4. Carbonate above what water holds of carbon dioxide leaves as gas.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from helvor.core.quantities.formula import plain
from helvor.core.quantities.reading import Unreadable

Acts = Literal["neutral", "acid", "base"]

PKW = 14.0
PKA_CARBONIC = (6.35, 10.33)
"""25 °C. From memory, checked against worked pH values."""
CO2_HELD = 0.034
"""mol/L of carbon dioxide that water holds under one atmosphere of it at 25 °C. From memory."""
MOLAR_GAS = 24.0
"""L/mol at 20 °C and 1 atm."""
NEUTRALIZATION = 56.0
"""kJ for each mol of free acid and hydroxide that meet. From memory."""
LOWEST, HIGHEST = -1.5, 15.5
"""Ends of the scale on which a pH is looked for."""


def _ten(power: float) -> float:
    return float(10.0**power)


@dataclass(frozen=True, slots=True)
class Solute:
    """A weak acid, a base or a neutral substance.

    Attributes:
        acts: how it behaves in water.
        pka: of the acid, or of the base's conjugate acid; None for a neutral one.
        k: concentration of the uncharged form in the organic layer over that in water.
        mol: how much of it there is in both layers.
        further: the pKa of its other steps, where it has more than one.
        plus: charge of the form with every proton on, where it is neither 0 (an acid) nor one for each pKa (a base):
            1 for an amino acid.
    """

    name: str
    acts: Acts
    pka: float | None = None
    k: float = 0.0
    mol: float = 0.0
    further: tuple[float, ...] = ()
    plus: int | None = None

    def _forms(self, ph: float) -> tuple[list[float], int]:
        """Parts of its forms in water, from every proton on to every proton off, and the place of the uncharged one.

        αᵢ = β ᵢ h⁻ⁱ ÷ Σ β ⱼ h⁻ʲ with βᵢ = K₁ … Kᵢ: the distribution of a polyprotic acid, as every text of analytical
        chemistry has it.
        """
        pkas = sorted((self.pka or 0.0, *self.further))
        powers = [0.0]
        for pka in pkas:
            powers.append(powers[-1] + ph - pka)
        most = max(powers)
        parts = [_ten(max(power - most, -300.0)) for power in powers]
        whole = sum(parts)
        usual = 0 if self.acts == "acid" else len(pkas)
        return [part / whole for part in parts], self.plus if self.plus is not None else usual

    def charged(self, ph: float) -> float:
        """Part of what is in the water that is charged, 0 to 1."""
        if self.acts == "neutral" or self.pka is None:
            return 0.0
        parts, uncharged = self._forms(ph)
        return 1 - parts[uncharged]

    def charge(self, ph: float) -> float:
        """Mean charge of what is in the water, in units of the proton's."""
        if self.acts == "neutral" or self.pka is None:
            return 0.0
        parts, plus = self._forms(ph)
        return sum(part * (plus - off) for off, part in enumerate(parts))

    def d(self, ph: float) -> float:
        """Distribution ratio, organic over water, all forms counted (Acid–base 1)."""
        return self.k * (1 - self.charged(ph))

    def in_organic(self, ph: float, water: float, organic: float) -> float:
        """Part that is in the organic layer, 0 to 1, for volumes in mL."""
        if organic <= 0:
            return 0.0
        if water <= 0:
            return 1.0
        at_organic = self.d(ph) * organic
        return at_organic / (at_organic + water)


@dataclass(frozen=True, slots=True)
class Water:
    """A water layer.

    Attributes:
        volume: mL.
        strong: mol of strong bases' cations minus mol of strong acids' anions.
        carbonate: mol in all its forms.
        weak: weak acids and bases without a place in the organic layer.
    """

    volume: float
    strong: float = 0.0
    carbonate: float = 0.0
    weak: tuple[Solute, ...] = ()

    def __add__(self, other: Water) -> Water:
        return Water(
            self.volume + other.volume,
            self.strong + other.strong,
            self.carbonate + other.carbonate,
            (*self.weak, *other.weak),
        )

    def part(self, share: float) -> Water:
        """A part of it, 0 to 1."""
        weak = tuple(replace(one, mol=one.mol * share) for one in self.weak)
        return Water(self.volume * share, self.strong * share, self.carbonate * share, weak)


PHOSPHORIC = (2.15, 7.20, 12.35)
CITRIC = (3.13, 4.76, 6.40)
"""pKa at 25 °C. CRC Handbook; from memory."""
BROUGHT: dict[str, tuple[float, float, tuple[Acts, tuple[float, ...]] | None]] = {
    "NaOH": (1, 0, None),
    "KOH": (1, 0, None),
    "HCl": (-1, 0, None),
    "HNO3": (-1, 0, None),
    "HBr": (-1, 0, None),
    "NaHCO3": (1, 1, None),
    "Na2CO3": (2, 1, None),
    "K2CO3": (2, 1, None),
    "KHCO3": (1, 1, None),
    "H2SO4": (-1, 0, ("acid", (1.99,))),
    "NaHSO4": (0, 0, ("acid", (1.99,))),
    "NH3": (0, 0, ("base", (9.25,))),
    "NH4Cl": (-1, 0, ("base", (9.25,))),
    "C2H4O2": (0, 0, ("acid", (4.76,))),
    "C2H3NaO2": (1, 0, ("acid", (4.76,))),
    "C2H2O4": (0, 0, ("acid", (1.25, 4.27))),
    "H3PO4": (0, 0, ("acid", PHOSPHORIC)),
    "NaH2PO4": (1, 0, ("acid", PHOSPHORIC)),
    "KH2PO4": (1, 0, ("acid", PHOSPHORIC)),
    "Na2HPO4": (2, 0, ("acid", PHOSPHORIC)),
    "K2HPO4": (2, 0, ("acid", PHOSPHORIC)),
    "Na3PO4": (3, 0, ("acid", PHOSPHORIC)),
    "C6H8O7": (0, 0, ("acid", CITRIC)),
}
"""Formula of a reagent → strong charge and carbonate that a mol brings, and its weak steps. pKa from memory."""


def reagent(formula: str, mol: float, volume: float) -> Water | None:
    """The water layer that a reagent's solution makes, or None for what is neither acid nor base."""
    known = BROUGHT.get(plain(formula)) if formula else None
    if known is None:
        return None
    strong, carbonate, weak = known
    if weak is None:
        return Water(volume, strong * mol, carbonate * mol)
    acts, (pka, *further) = weak
    return Water(volume, strong * mol, carbonate * mol, (Solute(formula, acts, pka, 0.0, mol, tuple(further)),))


def _carbonate(ph: float) -> tuple[float, float]:
    """Of carbonate in all its forms, the part that is carbon dioxide, and the charge of a mol."""
    h = _ten(-ph)
    k1, k2 = (_ten(-pk) for pk in PKA_CARBONIC)
    whole = h * h + k1 * h + k1 * k2
    return h * h / whole, (k1 * h + 2 * k1 * k2) / whole


def _held(water: Water, ph: float) -> float:
    """mol of carbonate in all its forms that a water layer holds at a pH (Acid–base 4)."""
    return CO2_HELD * water.volume / 1000 / _carbonate(ph)[0]


def _imbalance(ph: float, water: Water, solutes: Iterable[Solute], organic: float) -> float:
    """Positive minus negative charges in the water, mol; falls as the pH rises."""
    litres = water.volume / 1000
    charge = water.strong + (_ten(-ph) - _ten(ph - PKW)) * litres
    if water.carbonate > 0:
        charge -= min(water.carbonate, _held(water, ph)) * _carbonate(ph)[1]
    for one in (*water.weak, *solutes):
        if one.acts == "neutral" or one.mol <= 0:
            continue
        charge += one.mol * (1 - one.in_organic(ph, water.volume, organic)) * one.charge(ph)
    return charge


def ph_of(water: Water, solutes: Sequence[Solute] = (), organic: float = 0.0) -> float:
    """The pH of a water layer with its solutes, over *organic* mL of another layer (Acid–base 3).

    Raises:
        Unreadable: there is no water.

    >>> round(ph_of(Water(100.0), [Solute("acetic acid", "acid", 4.76, 0.0, 0.01)]), 2)
    2.88
    """
    if water.volume <= 0:
        raise Unreadable("Add an aqueous layer: a pH needs water.")
    low, high = LOWEST, HIGHEST
    for _ in range(42):  # to 10⁻¹¹
        middle = (low + high) / 2
        if _imbalance(middle, water, solutes, organic) > 0:
            low = middle
        else:
            high = middle
    return (low + high) / 2


def gas_of(water: Water, ph: float) -> float:
    """mL of carbon dioxide that leave a water layer at a pH (Acid–base 4)."""
    return 1000 * MOLAR_GAS * max(0.0, water.carbonate - _held(water, ph))


def ph_to_move(acts: Acts, pka: float, k: float, organic: float, water: float, part: float = 0.99) -> float | None:
    """The pH from which at least *part* of an acid or base is in the water (Acid–base 2).

    An acid needs that pH or more, a base that or less; None where any pH does.

    Raises:
        Unreadable: a volume or K is not above 0, or the substance is neutral.

    >>> round(ph_to_move("acid", 4.44, 135, 60.0, 15.0), 2)
    9.17
    """
    if acts == "neutral":
        raise Unreadable("A neutral substance stays in the organic layer at any pH.")
    if not (k > 0 and organic > 0 and water > 0 and 0 < part < 1):
        raise Unreadable("Enter K and both volumes above 0, and a fraction between 0 and 100 %.")
    beyond = k * organic / water * part / (1 - part) - 1
    if beyond <= 0:
        return None
    return pka + math.log10(beyond) if acts == "acid" else pka - math.log10(beyond)


def two_from_pka(acts: Acts, pka: float) -> float:
    """The pH at which 99 % of an acid or base is ionized: two above its pKa, or two below.

    It is not the pH at which 99 % is extracted: for that see :func:`ph_to_move`.

    >>> two_from_pka("acid", 4.2), two_from_pka("base", 9.2)
    (6.2, 7.199999999999999)
    """
    return pka + 2 if acts == "acid" else pka - 2


@dataclass(frozen=True, slots=True)
class ToReach:
    """What brings a water layer to a pH.

    Attributes:
        mol: of strong acid (or base); volume: of its solution, mL; portions: in which it is added, mL.
        gas: mL of carbon dioxide; warmer: by how many °C at most.
    """

    ph: float
    mol: float
    volume: float
    portions: tuple[float, ...]
    gas: float
    warmer: float


def to_reach(ph: float, water: Water, solutes: Sequence[Solute], molar: float, organic: float = 0.0) -> ToReach:
    """Strong acid of *molar* mol/L that brings a water layer down to a pH; with a base, up to it.

    The last third is proposed in small portions: the paper decides, not the sum.

    Raises:
        Unreadable: the solution is too weak to get there, or there is no water.
    """
    if not (math.isfinite(molar) and molar > 0):
        raise Unreadable("Enter a concentration above 0 mol/L.")
    now = ph_of(water, solutes, organic)
    sign = -1.0 if ph < now else 1.0
    reach = -math.log10(molar) if sign < 0 else PKW + math.log10(molar)
    if (ph - reach) * sign >= 0:
        what = "acid" if sign < 0 else "base"
        raise Unreadable(f"pH {ph:g} cannot be reached with {what} of {molar:g} mol/L: its limit is pH {reach:.1f}.")
    low, high = 0.0, 1.0
    added = 0.0

    def with_(mol: float) -> Water:
        return Water(water.volume + 1000 * mol / molar, water.strong + sign * mol, water.carbonate, water.weak)

    while (ph_of(with_(high), solutes, organic) - ph) * sign < 0:
        high *= 2
        if high > 1e4:
            raise Unreadable(f"pH {ph:g} cannot be reached with {molar:g} mol/L.")
    for _ in range(70):
        added = (low + high) / 2
        if (ph_of(with_(added), solutes, organic) - ph) * sign < 0:
            low = added
        else:
            high = added
    volume = 1000 * added / molar
    after = with_(added)
    # Only free hydroxide and acid warm so much: protonating a salt hardly does, hydrogencarbonate even cools.
    free = _ten(now - PKW if sign < 0 else -now) * water.volume / 1000
    warm = NEUTRALIZATION * 1000 * min(added, free) / (4.18 * after.volume)
    return ToReach(ph, added, volume, in_portions(volume), gas_of(after, ph), warm)


def in_portions(volume: float) -> tuple[float, ...]:
    """Two thirds at first, in halves, then small ones: what brings a mixture to a pH without overshooting.

    >>> in_portions(12.0)
    (4.0, 4.0, 2.0, 1.0, 1.0)
    """
    third = volume / 3
    return tuple(round(part, 2) for part in (third, third, third / 2, third / 4, third / 4) if part >= 0.05)


def base_needed(acids: Iterable[float], margin: float = 1.2) -> float:
    """mol of base for the acids (mol of each), or of acid for bases, with a margin (1.2 = a fifth more)."""
    if margin < 1:
        raise Unreadable("Enter a factor of 1 or more: with less base than acid, some acid stays.")
    return sum(acids) * margin


def by_bicarbonate(pka: float) -> float:
    """Equilibrium constant of an acid with hydrogencarbonate: 10^(6.35 − pKa). Far above 1 it goes, far below not."""
    return float(10.0 ** (PKA_CARBONIC[0] - pka))


@dataclass(frozen=True, slots=True)
class Chosen:
    """What takes a substance out of the organic layer: reagent, usual mol/L, and why; ``fits`` whether it does."""

    reagent: str
    formula: str
    molar: float
    why: str
    fits: bool = True


ONE_PORTION = 0.7
"""Part that one portion should take at least; three of them then take 97 %. Common practice."""
STRONGEST_ACID = 6.0
"""mol/L of hydrochloric acid that is still shaken in a funnel. Common practice."""


def reagent_for(acts: Acts, pka: float | None, k: float, organic: float, portion: float) -> Chosen | None:
    """Which water solution takes a substance out; None for a neutral one.

    Carboxylic and stronger acids go to hydrogencarbonate, phenols to hydroxide, amines to acid that
    is strong enough for them. Common practice; the numbers are the equilibria's own.
    """
    if acts == "neutral" or pka is None:
        return None
    wanted = ph_to_move(acts, pka, k, organic, portion, ONE_PORTION) if k > 0 else None
    if acts == "acid":
        if by_bicarbonate(pka) >= 10:
            return Chosen(
                "sodium hydrogencarbonate",
                "NaHCO3",
                0.6,
                f"pKa {pka:g} is well below carbonic acid's {PKA_CARBONIC[0]:g}; phenols stay. It foams.",
            )
        if wanted is not None and wanted > 14:
            return Chosen(
                "sodium hydroxide", "NaOH", 2.5, f"pKa {pka:g}: even a strong base extracts only part of it.", False
            )
        return Chosen(
            "sodium hydroxide",
            "NaOH",
            1.0 if wanted is None or wanted < 13 else 2.5,
            f"pKa {pka:g} is too weak an acid for hydrogencarbonate.",
        )
    need = 10.0**-wanted if wanted is not None else 0.0
    if need > STRONGEST_ACID:
        return Chosen(
            "hydrochloric acid",
            "HCl",
            STRONGEST_ACID,
            f"A base of pKa {pka:g} would need acid of {need:.0f} mol/L.",
            False,
        )
    molar = 1.0 if need < 0.7 else 3.0 if need < 2.5 else STRONGEST_ACID
    return Chosen("hydrochloric acid", "HCl", molar, f"pKa {pka:g}: this acid is strong enough to keep it ionized.")


@dataclass(frozen=True, slots=True)
class Colour:
    """A colour of a paper and the pH that it stands for, from and up to."""

    word: str
    low: float
    high: float


PAPERS: dict[str, tuple[Colour, ...]] = {
    "universal": (
        Colour("red", -1, 2.5),
        Colour("orange", 2.5, 4.5),
        Colour("yellow", 4.5, 6.5),
        Colour("green", 6.5, 8.0),
        Colour("blue-green", 8.0, 9.5),
        Colour("blue", 9.5, 11.0),
        Colour("violet", 11.0, 15.0),
    ),
    "litmus": (Colour("red", -1, 5.0), Colour("purple", 5.0, 8.0), Colour("blue", 8.0, 15.0)),
    "congo red": (Colour("blue", -1, 3.0), Colour("violet", 3.0, 5.0), Colour("red", 5.0, 15.0)),
}
"""Indicator papers and their colours. Common practice; the strip's own scale decides."""


def read_paper(paper: str, colour: str) -> Colour:
    """What a colour of a paper means.

    Raises:
        Unreadable: the paper or its colour is not known.
    """
    if paper not in PAPERS:
        raise Unreadable(f"Choose a paper: {', '.join(PAPERS)}.")
    found = next((one for one in PAPERS[paper] if one.word == colour.strip().casefold()), None)
    if found is None:
        raise Unreadable(f"{paper.capitalize()} paper can be {', '.join(one.word for one in PAPERS[paper])}.")
    return found
