"""How bands come off a column: where, how wide, how much of each in every tube.

Model 1. A band goes on by Rf of a column's length for each column volume of eluent: V_R = V_M/Rf.
         Common practice, from V_R = V_M(1 + k) and Rf = 1/(1 + k).
Model 2. A step to another eluent acts on a band once its front has caught up with it: from there on
         the rest of the way runs at the new Rf.
Model 3. N plates make the band σ = 1/√N of the column's length wide at its end, so V_M/(Rf·√N) in volume
         at the Rf it leaves with. A sample's volume widens it by V/√12 and delays it by V/2.
Model 4. Loaded above what parts well it tails: the band is a Gaussian with an exponential behind it
         (an exponentially modified Gaussian of the same mean). Common practice, a shape and no theory.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from helvor.core.laws.column.sizing import LIQUID_PART
from helvor.core.quantities.reading import Unreadable

PLATES = 150.0
"""N of a column packed by hand. Common practice: some hundred."""
TAIL = 0.8
"""Length of the tail for each time that the load is above what parts well, as a part of σ. Common practice."""


def column_volume(bore: float, bed: float) -> float:
    """Liquid in a packed bed, mL, for bore and height in mm; 0.8 of its volume (Sizing 4).

    Raises:
        Unreadable: a size is not above 0.

    >>> round(column_volume(20.0, 150.0), 1)
    37.7
    """
    if not (bore > 0 and bed > 0):
        raise Unreadable("Enter an inside width and a bed height above 0 mm.")
    return LIQUID_PART * math.pi / 4 * bore * bore * bed / 1000


@dataclass(frozen=True, slots=True)
class Compound:
    """A compound on the column: its mass, mg, and its Rf in each eluent of the programme, in order."""

    name: str
    mass: float
    rf: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Band:
    """A compound as it leaves the column.

    Attributes:
        volume: at its mean, mL of eluent since loading; None where it never leaves.
        sigma: of its Gaussian, mL; tail: length of its exponential, mL.
    """

    name: str
    mass: float
    volume: float | None
    sigma: float
    tail: float

    @property
    def span(self) -> tuple[float, float] | None:
        """mL between which nearly all of it leaves: two σ on either side of its Gaussian, three tails behind it."""
        if self.volume is None:
            return None
        centre = self.volume - self.tail
        return centre - 2 * self.sigma, centre + 2 * self.sigma + 3 * self.tail

    def before(self, volume: float) -> float:
        """Part of it that has left by a volume, 0 to 1."""
        if self.volume is None:
            return 0.0
        return emg(volume, self.volume - self.tail, self.sigma, self.tail)


def _phi(z: float) -> float:
    return 0.5 * math.erfc(-z / math.sqrt(2))


def emg(at: float, mean: float, sigma: float, tail: float) -> float:
    """Cumulative exponentially modified Gaussian: mean and σ of the Gaussian, mean of the exponential.

    Source: closed form in common tables, from memory; checked by integration.

    >>> round(emg(10.0, 10.0, 1.0, 0.0), 3)
    0.5
    """
    z = (at - mean) / sigma
    if z < -8:
        return 0.0
    if tail < 0.05 * sigma:
        return _phi(z)
    ratio = sigma / tail
    power = ratio * ratio / 2 - z * ratio
    return max(0.0, _phi(z) - math.exp(min(power, 700.0)) * _phi(z - ratio))


def _legs(volumes: Sequence[float], rfs: Sequence[float], v_m: float) -> list[tuple[float, float, float]]:
    """Stretches of a band's way: mL at their start, part of the length there, Rf from there on (Model 1, 2)."""
    if not volumes or len(volumes) != len(rfs):
        raise Unreadable("Enter a volume for each eluent, and an Rf in it for each compound.")
    if any(not 0 <= rf <= 1 for rf in rfs):
        raise Unreadable("Enter an Rf between 0 and 1.")
    if any(not volume > 0 for volume in volumes) or not v_m > 0:
        raise Unreadable("Enter volumes above 0 mL.")
    legs = [(0.0, 0.0, rfs[0])]
    for number in range(1, len(rfs)):
        at, place, rf = legs[-1]
        entered = sum(volumes[:number])
        if rf >= 1:
            break  # it runs with the front: no eluent behind it ever catches up
        # The front of the next eluent goes a length in a column volume; the band is ahead of it by that much.
        ahead = place + (entered - at) / v_m * rf
        caught = entered + ahead * v_m / (1 - rf)
        legs.append((caught, place + (caught - at) / v_m * rf, rfs[number]))
    return legs


def elution(volumes: Sequence[float], rfs: Sequence[float], v_m: float) -> tuple[float | None, float]:
    """Where a band leaves, and the Rf it leaves with (Model 1, 2).

    Args:
        volumes: mL of each eluent, in order; the last one goes on for ever.
        rfs: the band's Rf in each of them.
        v_m: column volume, mL.

    Returns:
        Volume since loading, mL (None where it never leaves), and Rf at the end.

    Raises:
        Unreadable: no eluent, an Rf outside 0 to 1, or a volume that is not above 0.
    """
    legs = _legs(volumes, rfs, v_m)
    for number, (at, place, rf) in enumerate(legs):
        out = at + (1 - place) * v_m / rf if rf > 0 else math.inf
        if number == len(legs) - 1 or out <= legs[number + 1][0]:
            return (out if math.isfinite(out) else None), rf
    raise AssertionError("the last leg returns")  # pragma: no cover


def place(after: float, volumes: Sequence[float], rfs: Sequence[float], v_m: float) -> float:
    """How far down a band is after so many mL, as a part of the column's length; above 1 it has left.

    Raises:
        Unreadable: as :func:`elution`.
    """
    here = 0.0
    for at, start, rf in _legs(volumes, rfs, v_m):
        if after >= at:
            here = start + (after - at) / v_m * rf
    return here


def width_at(part: float, plates: float = PLATES) -> float:
    """σ of a band that is a part of the way down, as a part of the column's length: √(part/N) (Model 3)."""
    return math.sqrt(max(part, 0.0) / plates)


def bands(
    compounds: Sequence[Compound],
    volumes: Sequence[float],
    v_m: float,
    *,
    plates: float = PLATES,
    sample_ml: float = 0.0,
    capacity: float | None = None,
) -> list[Band]:
    """Every compound as it leaves.

    Args:
        compounds: with an Rf for each eluent.
        volumes: mL of each eluent; v_m: column volume, mL.
        plates: N; sample_ml: volume that the sample was loaded in.
        capacity: mg that the column parts well; None where that is not known.

    Raises:
        Unreadable: as :func:`elution`; N below 4; a mass or sample volume below 0.
    """
    if not plates >= 4:
        raise Unreadable("Enter a plate number N of 4 or more.")
    if sample_ml < 0 or any(one.mass < 0 for one in compounds):
        raise Unreadable("The load cannot be negative: enter 0 mg or more.")
    load = sum(one.mass for one in compounds) / capacity if capacity else 0.0
    found = []
    for one in compounds:
        volume, rf = elution(volumes, one.rf, v_m)
        if volume is None:
            found.append(Band(one.name, one.mass, None, 0.0, 0.0))
            continue
        sigma = math.hypot(v_m / (max(rf, 1e-6) * math.sqrt(plates)), sample_ml / math.sqrt(12))
        tail = TAIL * sigma * max(0.0, load - 1)
        found.append(Band(one.name, one.mass, volume + sample_ml / 2, sigma, tail))
    return found


def in_tubes(band: Band, ends: Sequence[float]) -> list[float]:
    """mg of a band in each tube; *ends* are the volumes, mL since loading, at which each is full."""
    parts, before = [], 0.0
    for end in ends:
        now = band.before(end)
        parts.append(band.mass * max(0.0, now - before))
        before = max(before, now)
    return parts


def resolution(first: Band, second: Band) -> float | None:
    """Rs of two bands, None where one never leaves."""
    if first.volume is None or second.volume is None:
        return None
    return resolution_of((first.volume, first.sigma), (second.volume, second.sigma))


def resolution_of(first: tuple[float, float], second: tuple[float, float]) -> float:
    """Rs = ΔV ÷ 2(σ₁ + σ₂) of two peaks, each its volume and σ, mL. Source: its definition for Gaussians.

    >>> resolution_of((50, 5), (70, 5))
    1.0
    """
    return abs(second[0] - first[0]) / (2 * (first[1] + second[1]))


@dataclass(frozen=True, slots=True)
class Found:
    """A band as it was found: mean and σ, mL, and the apparent N, mean² ÷ σ²; None where one tube holds it all."""

    mean: float
    sigma: float
    plates: float | None


def found_band(ends: Sequence[float], weights: Sequence[float]) -> Found | None:
    """Moments of what was found in tubes (Sheppard: a tube's own width is taken off). None where nothing was."""
    whole = sum(weights)
    if whole <= 0:
        return None
    starts = [0.0, *ends[:-1]]
    middles = [(a + b) / 2 for a, b in zip(starts, ends, strict=True)]
    mean = sum(w * m for w, m in zip(weights, middles, strict=True)) / whole
    wide = sum(w * (m - mean) ** 2 for w, m in zip(weights, middles, strict=True)) / whole
    tube = sum(w * (b - a) ** 2 for w, a, b in zip(weights, starts, ends, strict=True)) / whole / 12
    variance = wide - tube
    if variance <= 0:
        return Found(mean, 0.0, None)
    return Found(mean, math.sqrt(variance), mean * mean / variance)
