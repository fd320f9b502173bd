"""Boiling at another pressure, and baths that cool.

Heat 1. ln(p ÷ p₀) = −ΔHvap ÷ R · (1 ÷ T − 1 ÷ T₀) (Clausius–Clapeyron, with the mean ΔHvap between the two).
Heat 2. Where ΔHvap is not known: ΔHvap = Tb · (36.6 + 8.31 ln Tb) J/mol (Trouton's rule in the form of Kistiakowsky,
        J. Phys. Chem. 27 (1923) 65), 1.27 times that for alcohols and water, whose hydrogen bonds break. A guide.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, log

from helvor.core.quantities.constants import GAS, ZERO_C
from helvor.core.quantities.reading import Unreadable

ATMOSPHERE = 1013.25
"""mbar."""
BONDED = 1.27
"""Heat of vaporization of alcohols and water over Kistiakowsky's. From memory: water 40.7 against 32.0 kJ/mol."""
RISES = 0.0017
"""Part by which ΔHvap rises for each K below the boiling point. From memory: toluene 33.2 to 38.0 kJ/mol over 85 K."""
BATH_ABOVE = 20.0
"""K: a bath of a rotary evaporator above the boiling point there. Common practice: bath, vapour, coolant 20 K apart."""


def vaporization(boils: float, *, bonded: bool) -> float:
    """ΔHvap of a liquid from its normal boiling point, °C, in J/mol (Heat 2).

    >>> round(vaporization(80.1, bonded=False) / 1000, 1)
    30.2
    """
    kelvin = boils + ZERO_C
    return kelvin * (36.6 + 8.31 * log(kelvin)) * (BONDED if bonded else 1.0)


def _mean_heat(boils: float, celsius: float, heat: float) -> float:
    """ΔHvap between two temperatures: it rises as a liquid is colder."""
    return heat * (1 + RISES * (boils - celsius) / 2)


def boiling_at(boils: float, pressure: float, heat: float) -> float:
    """°C at which a liquid boils under *pressure*, mbar, from its normal boiling point and ΔHvap there, J/mol (Heat 1).

    Raises:
        Unreadable: the pressure is outside 0.01 to 5000 mbar.

    >>> round(boiling_at(100.0, 20.0, 40650))
    18
    """
    if not 0.01 <= pressure <= 5000 or heat <= 0:
        raise Unreadable("Enter a pressure from 0.01 to 5000 mbar.")
    low, high = -ZERO_C + 1, boils + 400
    for _ in range(200):
        middle = (low + high) / 2
        low, high = (middle, high) if pressure_for(boils, middle, heat) < pressure else (low, middle)
    return low


def pressure_for(boils: float, wanted: float, heat: float) -> float:
    """mbar at which a liquid boils at *wanted* °C; the way back of :func:`boiling_at`.

    >>> round(pressure_for(100.0, boiling_at(100.0, 150.0, 40650), 40650))
    150
    """
    if wanted <= -ZERO_C:
        raise Unreadable("Enter a temperature above −273 °C.")
    between = _mean_heat(boils, wanted, heat) / GAS
    return ATMOSPHERE * exp(-between * (1 / (wanted + ZERO_C) - 1 / (boils + ZERO_C)))


@dataclass(frozen=True, slots=True)
class Bath:
    """A bath that cools: what it is of, the °C that it reaches, how it is made, what to look out for."""

    key: str
    of: str
    celsius: float
    how: str
    care: str


_DRY_ICE = "Hood, insulated gloves, goggles, no flame. Never in a closed vessel or a small room: it displaces air."
BATHS: tuple[Bath, ...] = (
    Bath("water", "cold tap water", 12.0, "Running water, or a tub.", ""),
    Bath(
        "ice",
        "ice and water",
        0.0,
        "Crushed ice with just enough water to fill the gaps: ice alone touches little glass.",
        "",
    ),
    Bath(
        "salt",
        "ice and sodium chloride 3 : 1",
        -20.0,
        "Stir one part of salt into three of crushed ice, by mass.",
        "Below the freezing point of water: dry the outside, no wet gloves.",
    ),
    Bath(
        "calcium",
        "ice and calcium chloride hexahydrate 4 : 5",
        -40.0,
        "Cool the salt first; stir five parts of it into four of crushed ice.",
        "Insulated gloves.",
    ),
    Bath(
        "dry-acetonitrile",
        "dry ice in acetonitrile",
        -41.0,
        "Add dry ice in small pieces to the solvent in a Dewar until some stays.",
        f"Toxic vapour. {_DRY_ICE}",
    ),
    Bath("dry-ethanol", "dry ice in ethanol", -72.0, "Add dry ice in small pieces in a Dewar: it foams.", _DRY_ICE),
    Bath("dry-acetone", "dry ice in acetone", -78.0, "Add dry ice in small pieces in a Dewar: it foams.", _DRY_ICE),
)
"""From the warmest. Handbook values, from memory; a real bath is some degrees warmer."""


def bath_for(wanted: float) -> Bath:
    """The warmest bath that reaches a temperature, °C.

    Raises:
        Unreadable: none here is that cold.

    >>> bath_for(-5).key, bath_for(0).key
    ('salt', 'ice')
    """
    found = next((bath for bath in BATHS if bath.celsius <= wanted), None)
    if found is None:
        raise Unreadable(
            f"Enter a temperature from {BATHS[-1].celsius:g} °C: colder needs liquid nitrogen and training."
        )
    return found
