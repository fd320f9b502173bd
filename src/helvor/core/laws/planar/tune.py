"""Tuning an eluent: how Rf follows the part of the stronger component, fitted and turned round.

Tune 1. Normal phase (silica, alumina): R_M = a − m·log10 φ, φ the fraction of the stronger
        component. E. Soczewiński, Anal. Chem. 1969, 41, 179; L. R. Snyder. There in mole
        fraction; by volume it is an approximation.
Tune 2. Reversed phase and paper: R_M = a − m·φ.
Tune 3. φ of 0, and Rf of 0 or 1, carry no information and are refused.
Tune 4. One plate gives only a hint, with m taken as 1; two give a and m; more give also how
        sure they are. Predictions end a little beyond the compositions that were run.
"""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from helvor.core.laws.planar.rf import r_m
from helvor.core.quantities.reading import Estimate, Unreadable, digits, parse_number

Law = Literal["log", "linear"]
USUAL_SLOPE = 1.0
"""m where nothing is known, on silica. Common practice; real slopes lie between about 0.5 and 2.5."""
BEYOND_LOG = 1.5
"""How far outside the compositions that were run predictions go: φ up to this factor (Tune 1)."""
BEYOND_LINEAR = 0.05
"""The same where R_M follows φ itself: this much of φ (Tune 2)."""
GRID = 200


@dataclass(frozen=True, slots=True)
class Point:
    """One plate: the fraction of the stronger component (0 to 1) and the Rf that it gave."""

    phi: float
    rf: Estimate


@dataclass(frozen=True, slots=True)
class Line:
    """A fitted line R_M = a − m·x, x = log10 φ or φ; variances and covariance of a and m."""

    law: Law
    a: float
    m: float
    var_a: float
    var_m: float
    cov: float
    low: float
    high: float
    points: int

    def rf_at(self, phi: float) -> Estimate:
        """Predicted Rf at a composition.

        Raises:
            Unreadable: it lies too far outside what was run.
        """
        low, high = self.reach
        if not low - 1e-12 <= phi <= high + 1e-12:
            raise Unreadable(
                f"{100 * phi:g} % is too far outside the range that was run, {100 * self.low:g} to "
                f"{100 * self.high:g} %: "
                "run a plate closer to it."
            )
        x = math.log10(phi) if self.law == "log" else phi
        u_rm = math.sqrt(max(0.0, self.var_a + x * x * self.var_m - 2 * x * self.cov))
        rf = 1 / (1 + 10 ** (self.a - self.m * x))
        return Estimate(value=rf, u=math.log(10) * rf * (1 - rf) * u_rm)

    @property
    def equation(self) -> str:
        """``R_M = 0.31 − 1.2·log₁₀ φ``"""
        x = "log₁₀ φ" if self.law == "log" else "φ"
        a = f"−{digits(-self.a)}" if self.a < 0 else digits(self.a)
        return f"R_M = {a} {'−' if self.m >= 0 else '+'} {digits(abs(self.m))}·{x}"

    @property
    def reach(self) -> tuple[float, float]:
        """Lowest and highest composition that it speaks of (Tune 4)."""
        if self.law == "log":
            return self.low / BEYOND_LOG, min(1.0, self.high * BEYOND_LOG)
        return max(0.0, self.low - BEYOND_LINEAR), min(1.0, self.high + BEYOND_LINEAR)

    def phi_for(self, rf: float) -> float:
        """The composition that gives an Rf.

        Raises:
            Unreadable: it does not depend on the composition, or lies out of reach.
        """
        if not 0 < rf < 1:
            raise Unreadable("Enter a target Rf between 0 and 1.")
        if abs(self.m) < 1e-9:
            raise Unreadable("This Rf does not depend on the composition.")
        x = (self.a - math.log10((1 - rf) / rf)) / self.m
        phi = 10**x if self.law == "log" else x
        low, high = self.reach
        if not low <= phi <= high:
            raise Unreadable(
                f"Rf {rf:g} would need {100 * phi:.3g} %, which is too far outside the range that was run."
                if 0 < phi <= 1
                else f"No composition gives Rf {rf:g}: try another strong component."
            )
        return phi


def law_for(phase: str) -> Law:
    """Which of the two laws a phase follows."""
    return "log" if phase in ("silica", "alumina") else "linear"


def fit(points: Sequence[Point], law: Law) -> Line:
    """Weighted straight line through R_M over log φ or φ (Tune 1 and 2).

    With more than two points the uncertainties are widened where they scatter more than their
    own uncertainties allow.

    Raises:
        Unreadable: fewer than two compositions, or one that carries no information (Tune 3).

    >>> line = fit([Point(0.1, Estimate(value=0.2, u=0.01)), Point(0.4, Estimate(value=0.5, u=0.01))], "log")
    >>> round(line.m, 2), round(line.rf_at(0.2).value, 2)
    (1.0, 0.33)
    """
    rows = []
    for point in points:
        if not 0 < point.phi <= 1:
            raise Unreadable(
                f"Enter a composition above 0 and up to 100 %; {100 * point.phi:g} % gives no information."
            )
        known = r_m(point.rf)
        if known is None:
            raise Unreadable(f"Rf {point.rf.value:g} gives no information: the spot is at the origin or the front.")
        x = math.log10(point.phi) if law == "log" else point.phi
        rows.append((x, known.value, 1 / max(known.u, 1e-3) ** 2))
    if len({round(x, 9) for x, _, _ in rows}) < 2:
        raise Unreadable("A fit needs plates in at least two compositions; one gives only a rough estimate.")
    s = sum(w for _, _, w in rows)
    sx, sy = sum(w * x for x, _, w in rows), sum(w * y for _, y, w in rows)
    sxx, sxy = sum(w * x * x for x, _, w in rows), sum(w * x * y for x, y, w in rows)
    det = s * sxx - sx * sx
    slope, a = (s * sxy - sx * sy) / det, (sxx * sy - sx * sxy) / det
    widened = 1.0
    if len(rows) > 2:
        chi = sum(w * (y - a - slope * x) ** 2 for x, y, w in rows) / (len(rows) - 2)
        widened = max(1.0, chi)
    phis = [point.phi for point in points]
    # R_M = a + slope·x, so m = −slope, and the covariance changes its sign.
    return Line(
        law, a, -slope, widened * sxx / det, widened * s / det, widened * sx / det, min(phis), max(phis), len(rows)
    )


def read_plates(text: str, u_rf: float = 0.02) -> dict[str, list[Point]]:
    """Plates a line each: per cent of the stronger component, then names with their Rf.

    Args:
        u_rf: standard uncertainty of an Rf that is only given as a number.

    Raises:
        Unreadable: with the line it is about.

    >>> found = read_plates("20 % P 0.35, A 0.52\\n40 % P 0.55, A 0.70")
    >>> [(point.phi, point.rf.value) for point in found["P"]]
    [(0.2, 0.35), (0.4, 0.55)]
    """
    points: dict[str, list[Point]] = {}
    for line in (line.strip() for line in text.splitlines() if line.strip()):
        match = re.match(r"([\d.,]+)\s*%\s*[:,;]?\s*(.+)", line)
        pairs = re.findall(r"([^\d\s,;=][^,;=]*?)[\s=]+(\d*[.,]\d+)", match[2]) if match else []
        if match is None or not pairs:
            raise Unreadable(f"“{line[:40]}”: enter the percentage, then names with their Rf: 20 % P 0.35, A 0.52.")
        phi = parse_number(match[1])[0] / 100
        for name, rf in pairs:
            value = parse_number(rf)[0]
            if value >= 1:
                raise Unreadable(f"“{line[:40]}”: an Rf of {value:g} is inverted or misread: enter a value below 1.")
            points.setdefault(name.strip(), []).append(Point(phi, Estimate(value=value, u=u_rf)))
    if not points:
        raise Unreadable("Enter at least one plate, such as 20 % P 0.35, A 0.52.")
    return points


def hint(rf: float, phi: float, target: float, slope: float = USUAL_SLOPE) -> float:
    """The composition that may give *target*, from one plate on silica with m taken as 1 (Tune 4).

    Raises:
        Unreadable: as :func:`fit`, or more than 100 % would be needed.

    >>> round(hint(0.5, 0.2, 0.3), 3)
    0.086
    """
    if not (0 < phi <= 1 and 0 < rf < 1 and 0 < target < 1):
        raise Unreadable("Enter a composition above 0 % and an Rf between 0 and 1.")
    needed = phi * 10 ** ((math.log10((1 - rf) / rf) - math.log10((1 - target) / target)) / slope)
    if needed > 1:
        raise Unreadable("Even the pure stronger component may be too weak: change to a stronger one.")
    return needed


@dataclass(frozen=True, slots=True)
class Best:
    """A composition, the Rf predicted there by name, and the smallest gap between neighbours."""

    phi: float
    rf: dict[str, Estimate]
    gap: float


def best_gap(lines: dict[str, Line], *, low_rf: float = 0.1, high_rf: float = 0.8) -> Best:
    """The composition with the largest smallest gap, every Rf staying between two limits.

    Raises:
        Unreadable: fewer than two compounds, or no composition keeps all of them in between.
    """
    if len(lines) < 2:
        raise Unreadable("Enter at least two compounds.")

    def value(phi: float) -> float | None:
        rfs = sorted(line.rf_at(phi).value for line in lines.values())
        if rfs[0] < low_rf or rfs[-1] > high_rf:
            return None
        return min(b - a for a, b in itertools.pairwise(rfs))

    low = max(line.reach[0] for line in lines.values())
    high = min(line.reach[1] for line in lines.values())
    phi = _best(value, low, high)
    if phi is None:
        raise Unreadable(f"No composition near those that were run keeps every Rf between {low_rf:g} and {high_rf:g}.")
    return Best(phi, {name: line.rf_at(phi) for name, line in lines.items()}, value(phi) or 0.0)


def _best(value: Callable[[float], float | None], low: float, high: float) -> float | None:
    """The highest of an even grid."""
    if low >= high:
        return None
    grid = [low + (high - low) * i / GRID for i in range(GRID + 1)]
    known = [(v, phi) for phi in grid if (v := value(phi)) is not None]
    return max(known)[1] if known else None
