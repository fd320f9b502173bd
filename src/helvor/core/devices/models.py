"""How made-up instruments behave: what a balance, a pH meter, a melting block show after so many seconds.

Instrument 1. A balance comes to rest as 1 − e^(−t/τ), drifts slowly by a fraction of a step, trembles by some steps
              in a draught, and shows its load rounded to its step.
Instrument 2. Something warm draws air up past the pan and seems light: by 0.3 mg for each kelvin over the room for a
              dish; it cools with a half-life of some minutes, so that the display is steady and wrong. Size: common
              practice, no source; that it seems light: M. Gläser, Metrologia 1990, 27, 95 (from memory).
Instrument 3. A pH electrode gives R·T·ln 10/F for each pH (59.16 mV at 25 °C; W. Nernst), settles in some seconds and
              has an offset and a slope of its own, which buffers take away.
Instrument 4. A sample in its capillary lags behind the block and its thermometer by so many seconds, so that on a fast
              block it melts at too high a reading.
Instrument 5. What is wet dries at a constant rate until a third of its first moisture is left, from there in
              proportion to what is left. T. K. Sherwood, Ind. Eng. Chem. 1929, 21, 12 (from memory).
Instrument 6. An evaporator takes a liquid off in proportion to how far its bath is over the boiling point at its
              pressure; far over it, the liquid bumps. Boiling points at a pressure by Clausius–Clapeyron with
              94 J/(mol·K), a little over Trouton's 88, for heats of vaporization rise below the boiling point.

The same seed gives the same trembling. Times are seconds unless said.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass

from helvor.core.quantities.constants import GAS, ZERO_C

ROOM = 22.0
"""°C."""
FARADAY = 96485.33212
"""F, C/mol."""
AIR = 1013.25
"""Pressure of the air, mbar."""
VAPORIZES = 94.0
"""Entropy of vaporization, J/(mol·K) (Instrument 6)."""
SETTLES = 0.3
"""τ of a balance (Instrument 1), s."""
LIGHT_BY = 0.3e-3
"""What something warm seems lighter by, g for each kelvin over the room (Instrument 2)."""
COOLS = 300.0
"""Half-life of its warmth on a pan, s."""
DRAUGHT_STEPS = 12.0
"""How far a draught moves a display, in steps of a balance that reads to 1 mg; others in proportion to their mass."""


def cooled(celsius: float, seconds: float, half: float = COOLS) -> float:
    """Temperature of something that has stood in the room, °C (Newton's law of cooling).

    >>> round(cooled(82.0, 300.0), 1)
    52.0
    """
    return ROOM + (celsius - ROOM) * math.exp2(-max(seconds, 0.0) / half)


@dataclass(frozen=True, slots=True)
class Balance:
    """A balance: its step and the end of its range, g, and the seed of its trembling."""

    step: float
    most: float
    seed: int = 1

    def indication(
        self, at: float, load: float, since: float, before: float = 0.0, celsius: float = ROOM, *, draught: bool = False
    ) -> float:
        """What it would show without rounding and without tare, g.

        Args:
            at: now; load: what is on the pan, g; since: how long; before: what it showed until then.
            celsius: of the load when it was put on.
        """
        settled = load + (before - load) * math.exp(-max(since, 0.0) / SETTLES)
        light = LIGHT_BY * (cooled(celsius, since) - ROOM) if load > 0 else 0.0
        phase = random.Random(self.seed).uniform(0, 2 * math.pi)  # noqa: S311  a made-up balance
        drift = 0.3 * self.step * math.sin(2 * math.pi * at / 900 + phase)
        tremble = 0.0
        if draught:
            tremble = DRAUGHT_STEPS * 1e-3 * (math.sin(4.4 * at + phase) + 0.6 * math.sin(7.9 * at)) / 2
        return settled - light + drift + tremble


def nernst(celsius: float = 25.0) -> float:
    """mV for each pH.

    >>> round(nernst(25.0), 2)
    59.16
    """
    return 1000 * GAS * (celsius + ZERO_C) * math.log(10) / FARADAY


@dataclass(frozen=True, slots=True)
class Electrode:
    """A pH electrode: what it gives at pH 7, mV, and its slope as a part of the ideal one."""

    offset: float = 8.0
    slope: float = 0.97
    settles: float = 1.2

    def millivolts(self, ph: float, since: float, before: float = 7.0, celsius: float = 25.0) -> float:
        """After so many seconds in a solution, coming from *before* (Instrument 3)."""
        here = ph + (before - ph) * math.exp(-max(since, 0.0) / self.settles)
        return self.offset - self.slope * nernst(celsius) * (here - 7.0)


@dataclass(frozen=True, slots=True)
class Calibration:
    """What a meter makes of millivolts: the offset at pH 7 and the slope, mV for each pH."""

    offset: float
    slope: float

    def ph(self, millivolts: float) -> float:
        return 7.0 - (millivolts - self.offset) / self.slope


def calibrate(first: tuple[float, float], second: tuple[float, float]) -> Calibration:
    """From two buffers, each as (pH, mV).

    Raises:
        ValueError: they are too near each other to say a slope.

    >>> calibrate((7.0, 8.0), (4.0, 180.0)).slope
    57.333333333333336
    """
    (ph_one, mv_one), (ph_two, mv_two) = first, second
    if abs(ph_one - ph_two) < 1:
        raise ValueError("calibrate with two buffers at least 1 pH unit apart")
    slope = (mv_two - mv_one) / (ph_one - ph_two)
    return Calibration(mv_one + slope * (ph_one - 7.0), slope)


LAG = 12.0
"""How far a sample is behind the block and its thermometer, s (Instrument 4). Common practice."""


@dataclass(frozen=True, slots=True)
class MeltingBlock:
    """A block that is heated evenly from a start, °C and K a minute."""

    start: float
    rate: float

    def block(self, seconds: float) -> float:
        """Of the block itself, °C."""
        return self.start + self.rate * max(seconds, 0.0) / 60

    def sample(self, seconds: float) -> float:
        """Of the sample in its capillary, which is behind the block, °C."""
        return self.start + self.rate * max(seconds - LAG, 0.0) / 60

    def looks(self, seconds: float, begins: float, ends: float) -> str:
        """How a sample of a true melting range looks: *solid*, *softening*, *melting* or *clear*."""
        now = self.sample(seconds)
        if now < begins - 1:
            return "solid"
        if now < begins:
            return "softening"
        return "melting" if now < ends else "clear"

    def seen(self, begins: float, ends: float) -> tuple[float, float]:
        """The range that is read off the block: too high by what it rises while the sample lags.

        >>> MeltingBlock(100.0, 2.0).seen(113.0, 114.5)
        (113.4, 114.9)
        """
        late = self.rate * LAG / 60
        return begins + late, ends + late


CRITICAL = 1 / 3
"""Part of the first moisture at which drying begins to slow (Instrument 5)."""


def moisture(first: float, minutes: float, rate: float) -> float:
    """What moisture is left, g, of *first* g that dries at *rate* g a minute while it is wet (Instrument 5).

    >>> round(moisture(1.2, 4.0, 0.1), 2), round(moisture(1.2, 8.0, 0.1), 3), round(moisture(1.2, 12.0, 0.1), 3)
    (0.8, 0.4, 0.147)
    """
    if first <= 0 or rate <= 0:
        return max(first, 0.0)
    critical = CRITICAL * first
    until = (first - critical) / rate
    if minutes <= until:
        return first - rate * max(minutes, 0.0)
    return critical * math.exp(-rate * (minutes - until) / critical)


def boils_at(boiling: float, millibar: float) -> float:
    """Boiling point at a pressure, °C, from the usual one (Instrument 6).

    >>> round(boils_at(77.1, 1013.25), 1), round(boils_at(77.1, 240.0), 0)
    (77.1, 38.0)
    """
    if millibar <= 0:
        raise ValueError("enter a pressure above zero")
    normal = boiling + ZERO_C
    return 1 / (1 / normal - GAS * math.log(millibar / AIR) / (VAPORIZES * normal)) - ZERO_C


def vapour(boiling: float, celsius: float) -> float:
    """Vapour pressure at a temperature, mbar, of what boils at *boiling*, °C: the same, turned round.

    >>> round(vapour(55.1, 55.1), 1), round(vapour(55.1, 25.0) / 10) * 10
    (1013.2, 320)
    """
    normal, here = boiling + ZERO_C, celsius + ZERO_C
    return AIR * math.exp(VAPORIZES * normal / GAS * (1 / normal - 1 / here))


BUMPS = 25.0
"""How far over its boiling point a bath makes a liquid bump, K. Common practice."""
ML_A_MINUTE = 0.25
"""What an evaporator takes off for each kelvin over the boiling point, mL a minute. Common practice."""


@dataclass(frozen=True, slots=True)
class Evaporator:
    """An evaporator: its bath, °C, its pressure, mbar, and the usual boiling point of what is in it."""

    bath: float
    millibar: float
    boiling: float

    @property
    def over(self) -> float:
        """How far the bath is over the boiling point at this pressure, K; below zero it does not boil."""
        return self.bath - boils_at(self.boiling, self.millibar)

    @property
    def bumps(self) -> bool:
        return self.over > BUMPS

    def left(self, volume: float, minutes: float) -> float:
        """What is left of a volume, mL."""
        return max(volume - ML_A_MINUTE * max(self.over, 0.0) * max(minutes, 0.0), 0.0)
