"""Densities of solutions in water, from what is dissolved in them.

Source: Laliberté, Cooper, J. Chem. Eng. Data 49 (2004) 1141, with the coefficients of Laliberté,
J. Chem. Eng. Data 54 (2009) 1725; the reference check reads them from an open data collection.
"""

from __future__ import annotations

import math

from helvor.core.quantities.formula import molar_mass, plain
from helvor.core.quantities.reading import Unreadable

COEFFICIENTS: dict[str, tuple[float, float, float, float, float, float]] = {
    "NaCl": (-0.00324112223655149, 0.0636354335906616, 1.01371399467365, 0.0145951015210159, 3317.34854426537, 0.266),
    "KCl": (-0.855928945959145, 6.04073571306402, 2.81787416217166, 0.0253924645877338, 2681.61723465886, 0.264),
    "NaOH": (319.020509469838, 528.592358475315, -0.102197896602724, 0.000350420706415566, 765.970470238438, 0.503),
    "KOH": (821.119043254761, 1043.20173374381, 0.112873330222752, 0.00124023636407386, 539.630388368877, 0.519),
    "NaHCO3": (
        0.0377378060615898,
        0.00710029652458366,
        0.0735733388535116,
        0.00168369765511221,
        3291.38382252025,
        0.126,
    ),
    "Na2CO3": (
        5.45486543455015e-07,
        1.72154929405038e-07,
        -0.0825850207323492,
        0.00168822949783412,
        4705.39822185746,
        0.209,
    ),
    "K2CO3": (2290.10867876218, 1038.77363895405, 0.109769327294915, 0.000497783340935823, -74.0786862142127, 0.361),
    "HCl": (0.000283872260482906, 0.00394946957169882, 2.85020047681807, -0.0157747012568046, -3766.20868665006, 0.376),
    "H2SO4": (70.8395152347122, 142.352693909248, 0.68779459618793, 0.00649299683206703, 1667.23864629522, 0.782),
    "HNO3": (0.272070788161643, -0.399605969016834, -2.33691977745914, 0.00662112384275969, -3089.01794099058, 0.701),
    "Na2SO4": (
        4.45025449497252e-06,
        9.12086519621226e-06,
        0.0840358370073922,
        0.00465767525381795,
        4349.50513887423,
        0.325,
    ),
    "MgSO4": (98.1201663080777, 59.265764731786, -0.0303404982114453, 0.000503619228557116, 1763.7594229147, 0.268),
    "CaCl2": (-9.72893747074295, 14.7005352975276, 4.19033341468332, 0.0397403624277021, 2708.12778894614, 0.513),
    "NH4Cl": (16.8882196383907, 318.560293047784, 5.08655606958672, -0.0150616503055142, -1769.12237165588, 0.4),
    "NaNO3": (22.3499264791804, 66.4478689005725, 0.989888301509443, 0.00947165097909636, 1971.5514625204, 0.489),
    "NH3": (0.0637631725924523, 0.0681799828976475, 1.23759952767397, -0.00599852493721479, -3078.57767189507, 0.522),
    "C2H4O2": (647.289243971958, -1054.58226029586, -1.74610768626879, 0.000365566432763641, -822.999507010544, 1.0),
}
"""Formula → c0 … c4 of the correlation and the mass fraction up to which it was fitted."""


def water_density(celsius: float = 20.0) -> float:
    """Density of water, g/mL, 0 to 100 °C. Source: as the module; Kell's equation.

    >>> round(water_density(20.0), 4)
    0.9982
    """
    t = celsius
    top = (((-2.8054253e-10 * t + 1.0556302e-7) * t - 4.6170461e-5) * t - 0.0079870401) * t + 16.945176
    top = top * t + 999.83952
    return top / (1 + 0.01687985 * t) / 1000


def is_known(formula: str) -> bool:
    """Whether the correlation knows a solute."""
    return plain(formula) in COEFFICIENTS


def solution_density(formula: str, fraction: float, celsius: float = 20.0) -> float:
    """Density of one solute in water, g/mL.

    Args:
        formula: of the solute, anhydrous.
        fraction: its mass fraction, 0 up to what the correlation was fitted to.
        celsius: °C.

    Raises:
        Unreadable: the solute is not known, or there is more than the correlation holds for.

    >>> round(solution_density("NaCl", 0.26), 3)
    1.197
    """
    known = COEFFICIENTS.get(plain(formula))
    if known is None:
        raise Unreadable(f"The density of {formula} in water is not known: enter it.")
    c0, c1, c2, c3, c4, most = known
    if not 0 <= fraction <= most + 1e-3:
        raise Unreadable(
            f"{formula}: the table ends at {100 * most:.0f} % by mass in water. Enter a lower concentration."
        )
    if fraction == 0:
        return water_density(celsius)
    apparent = (c0 * fraction + c1) * math.exp(1e-6 * (celsius + c4) ** 2) / (fraction + c2 + c3 * celsius) / 1000
    return 1 / ((1 - fraction) / water_density(celsius) + fraction / apparent)


def fraction_of(formula: str, molar: float, celsius: float = 20.0) -> float:
    """Mass fraction of a solution of *molar* mol/L.

    Raises:
        Unreadable: as :func:`solution_density`.
    """
    grams = molar * molar_mass(formula)  # per litre
    most = COEFFICIENTS[plain(formula)][5] if is_known(formula) else 1.0
    fraction = grams / 1000
    for _ in range(60):
        # On the way it may lie beyond what the correlation holds for, at the end it must not.
        nearer = grams / (1000 * solution_density(formula, min(fraction, most), celsius))
        if abs(nearer - fraction) < 1e-12:
            break
        fraction = nearer
    if fraction > most:
        raise Unreadable(
            f"{molar:g} mol/L of {formula}: the table ends at {100 * most:.0f} % by mass in water. Enter a lower "
            "concentration."
        )
    return fraction


def molar_density(formula: str, molar: float, celsius: float = 20.0) -> float:
    """Density of a solution given in mol/L, g/mL.

    >>> round(molar_density("NaOH", 1.0), 2)
    1.04
    """
    return solution_density(formula, fraction_of(formula, molar, celsius), celsius)
