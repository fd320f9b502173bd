"""The formulas of planar chromatography.

Distances are in millimetres, measured along a lane from the origin line, and come
with standard uncertainties in millimetres. The origin line is one pencil line: its
uncertainty is shared by every distance counted from it.
"""

from __future__ import annotations

import math

from helvor.core.quantities.reading import Estimate

CENTRE_U_DEFAULT = 0.3
"""Judging the densest part of a small spot, mm. Common practice, no source."""

CENTRE_U_OF_LENGTH = 0.1
"""The same for a spot whose ends were read: this part of its length. Common practice, no source."""


def centre_uncertainty(length: float | None) -> float:
    """Standard uncertainty, mm, of judging a spot's centre: a tenth of its length, or 0.3 mm."""
    return CENTRE_U_DEFAULT if length is None else CENTRE_U_OF_LENGTH * length


def ratio_on_shared_origin(near: float, far: float, u_near: float, u_far: float, u_origin: float) -> Estimate:
    """near ÷ far, both counted from the same origin line, with its uncertainty.

    With r = near/far and the origin line shared,
    u² = [u_near² + r²·u_far² + (1 − r)²·u_origin²] / far².

    Args:
        near, far: distances from the origin, mm; *far* above zero.
        u_near, u_far: standard uncertainty of the two marks, mm.
        u_origin: standard uncertainty of the origin line, mm.

    Raises:
        ValueError: *far* is not above zero.

    Source: first-order propagation, JCGM 100:2008, 5.1.2, applied to
    (s − o)/(f − o) with s, f and o independent.

    >>> round(ratio_on_shared_origin(18, 45, 0, 0, 0).value, 2)
    0.4
    """
    if far <= 0:
        raise ValueError("enter a front distance above zero")
    r = near / far
    return Estimate(value=r, u=math.sqrt(u_near**2 + (r * u_far) ** 2 + ((1 - r) * u_origin) ** 2) / far)


def r_m(rf: Estimate) -> Estimate | None:
    """R_M = log10((1 − Rf)/Rf), or None where Rf says nothing (0 or 1 and beyond).

    Source: E. C. Bate-Smith and R. G. Westall, Biochim. Biophys. Acta 1950, 4, 427.

    >>> r_m(Estimate(value=0.5, u=0.01)).value
    0.0
    """
    if not 0 < rf.value < 1:
        return None
    return Estimate(
        value=math.log10((1 - rf.value) / rf.value),
        u=rf.u / (math.log(10) * rf.value * (1 - rf.value)),
    )


def retention_factor(rf: Estimate) -> Estimate | None:
    """k = (1 − Rf)/Rf, or None where Rf says nothing.

    Source: L. S. Ettre, Pure Appl. Chem. 1993, 65, 819.

    >>> retention_factor(Estimate(value=0.25, u=0.0)).value
    3.0
    """
    if not 0 < rf.value < 1:
        return None
    return Estimate(value=(1 - rf.value) / rf.value, u=rf.u / rf.value**2)


def resolution(distance: float, length_a: float, length_b: float) -> float:
    """Rs = 2·Δd/(w₁ + w₂) of two spots in one lane; below 1 they overlap, from 1.5 they are clean.

    Args:
        distance: between the centres, mm.
        length_a, length_b: the spots' lengths along the lane, mm; above zero.

    Source: the form of peak resolution in L. S. Ettre, Pure Appl. Chem. 1993, 65, 819;
    its use on spots is common practice.

    >>> resolution(6.0, 4.0, 4.0)
    1.5
    """
    if length_a <= 0 or length_b <= 0:
        raise ValueError("enter a spot length above zero")
    return 2 * abs(distance) / (length_a + length_b)
