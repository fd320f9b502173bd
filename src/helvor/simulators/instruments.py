"""Made-up instruments with a state: what stands on the pan, what the electrode dips into, how hot the block is.

Each answers the words of ``docs/devices.md``: what a real one has (``zero``, ``tare``, ``calibrate``), and ``set`` for
what a hand would do to it (put something on, open a window). Values follow :mod:`helvor.core.devices.models`.
"""

from __future__ import annotations

import base64
import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from typing import ClassVar

from helvor.core.devices import models
from helvor.core.devices.line import digits
from helvor.core.laws.extraction.acid_base import PAPERS
from helvor.core.practice.virtual_plate import Setting, develop
from helvor.simulators.camera import photograph

Clock = Callable[[], float]


class No(ValueError):
    """What an instrument cannot do; the message is one sentence."""


def number(text: str, low: float, high: float) -> float:
    """A number within bounds.

    Raises:
        No: it is none, or outside.
    """
    try:
        value = float(text)
    except ValueError:
        raise No(f"{text[:20]} is not a number.") from None
    if not low <= value <= high:
        raise No(f"{text[:20]} is not between {low:g} and {high:g}.")
    return value


class Instrument(ABC):
    """An instrument: how it names itself, what it shows, what can be done to it."""

    kind = ""
    unit = ""
    sets: ClassVar[Mapping[str, tuple[float, float]]] = {}
    """What a hand can set, and within which bounds."""
    acts: tuple[str, ...] = ()
    """Words that a real one has, too."""

    def __init__(self, name: str, step: float, most: float, clock: Clock, seed: int = 1) -> None:
        self.name, self.step, self.most, self.clock, self.seed = name, step, most, clock, seed
        self._recent: list[tuple[float, float]] = []

    @property
    def says(self) -> str:
        return f"device {self.name} {self.kind.replace(' ', '-')} {self.unit} {self.step:g} {self.most:g}"

    @abstractmethod
    def value(self) -> float:
        """What it would show now without rounding, in its unit."""

    def state(self, value: float) -> str:
        """*steady* where it moved by less than a step within the last second, by what it showed then."""
        return "steady"

    def shows(self) -> tuple[str, str]:
        """The digits and the state."""
        value = self.value()
        return digits(value, self.step), self.state(value)

    def put(self, key: str, text: str) -> None:
        """Set something by hand.

        Raises:
            No: it has no such thing, or not with this value.
        """
        if key not in self.sets:
            raise No(f"A {self.kind} has no {key[:20]} to set.")
        self.set(key, number(text, *self.sets[key]))

    def set(self, key: str, value: float) -> None:
        raise NotImplementedError

    def act(self, word: str, rest: list[str]) -> str:
        """Do what a button does; an answer, or empty for *done*.

        Raises:
            No: it has no such button, or cannot.
        """
        raise No(f"A {self.kind} does not know {word[:20]}.")


class BalanceStandIn(Instrument):
    """A balance: zero, tare; a load, its warmth, a draught."""

    kind, unit = "balance", "g"
    sets: ClassVar = {"load": (0, 10_000), "celsius": (-20, 400), "draught": (0, 1)}
    acts = ("zero", "tare")

    def __init__(self, name: str, step: float, most: float, clock: Clock, seed: int = 1) -> None:
        super().__init__(name, step, most, clock, seed)
        self.model = models.Balance(step, most, seed)
        self.load, self.celsius, self.draught, self.off = 0.0, models.ROOM, False, 0.0
        self.since, self.before = clock() - 60, 0.0

    def _gross(self, back: float = 0.0) -> float:
        now = self.clock() - back
        return self.model.indication(now, self.load, now - self.since, self.before, self.celsius, draught=self.draught)

    def value(self) -> float:
        return self._gross() - self.off

    def state(self, value: float) -> str:
        if self._gross() > self.most:
            return "over"
        last = [self._gross(back) for back in (0.0, 0.25, 0.5, 0.75, 1.0) if self.clock() - back >= self.since]
        young = self.clock() - self.since < 1.0
        return "moving" if young or max(last) - min(last) > self.step else "steady"

    def shows(self) -> tuple[str, str]:
        value = self.value()
        state = self.state(value)
        return digits(self.most if state == "over" else value, self.step), state

    def set(self, key: str, value: float) -> None:
        if key == "load":
            self.before, self.load, self.since = self._gross(), value, self.clock()
        elif key == "celsius":
            self.celsius, self.since, self.before = value, self.clock(), self._gross()
        else:
            self.draught = bool(value)

    def act(self, word: str, rest: list[str]) -> str:
        if word not in self.acts:
            return super().act(word, rest)
        if self.state(self.value()) != "steady":
            raise No("It does not come to rest: a display that moves is not taken off.")
        if word == "zero" and self.load:
            raise No("Something is on the pan: zero it empty, or use tare.")
        self.off = self._gross()
        return ""


class PhMeterStandIn(Instrument):
    """A pH meter: it is calibrated by two buffers before it shows anything that counts."""

    kind, unit = "ph meter", "pH"
    sets: ClassVar = {"ph": (0, 14)}
    acts = ("calibrate",)

    def __init__(self, name: str, step: float, most: float, clock: Clock, seed: int = 1) -> None:
        super().__init__(name, step, most, clock, seed)
        self.electrode = models.Electrode(offset=4.0 + seed % 9, slope=0.94 + 0.005 * (seed % 10))
        self.ph, self.before, self.since = 7.0, 7.0, clock() - 60
        self.buffers: list[tuple[float, float]] = []
        self.made: models.Calibration | None = None

    def _millivolts(self, back: float = 0.0) -> float:
        return self.electrode.millivolts(self.ph, self.clock() - back - self.since, self.before)

    def value(self) -> float:
        ideal = models.Calibration(0.0, models.nernst())
        return (self.made or ideal).ph(self._millivolts())

    def state(self, value: float) -> str:
        if self.made is None:
            return "unset"
        moved = abs(self._millivolts() - self._millivolts(1.0)) / self.made.slope
        return "moving" if self.clock() - self.since < 1 or moved > self.step / 2 else "steady"

    def set(self, key: str, value: float) -> None:
        self.before = self.ph + (self.before - self.ph) * math.exp(
            -(self.clock() - self.since) / self.electrode.settles
        )
        self.ph, self.since = value, self.clock()

    def act(self, word: str, rest: list[str]) -> str:
        if word != "calibrate" or len(rest) != 1:
            return super().act(word, rest)
        wanted = number(rest[0], 1, 13)
        if abs(self._millivolts() - self._millivolts(1.0)) > 0.3 or self.clock() - self.since < 1:
            raise No("Wait until it rests in the buffer.")
        if abs(self.ph - wanted) > 0.3:
            raise No(f"It does not stand in a buffer of pH {wanted:g}.")
        self.buffers = [*(one for one in self.buffers if abs(one[0] - wanted) >= 1), (wanted, self._millivolts())][-2:]
        if len(self.buffers) == 2:
            self.made = models.calibrate(*self.buffers)
        return ""


class PaperStandIn(Instrument):
    """A strip of pH paper, dipped and held against its scale: ``look PAPER`` gives the colour."""

    kind, unit = "ph paper", "pH"
    sets: ClassVar = {"ph": (0, 14)}
    acts = ("look",)

    def __init__(self, name: str, step: float, most: float, clock: Clock, seed: int = 1) -> None:
        super().__init__(name, step, most, clock, seed)
        self.ph = 7.0

    def value(self) -> float:
        return self.ph

    def set(self, key: str, value: float) -> None:
        self.ph = value

    def act(self, word: str, rest: list[str]) -> str:
        paper = " ".join(rest) or "universal"
        if word != "look":
            return super().act(word, rest)
        if paper not in PAPERS:
            raise No(f"Which paper? {', '.join(PAPERS)}.")
        return f"colour {next(c.word for c in PAPERS[paper] if self.ph < c.high)}"


class MeltingBlockStandIn(Instrument):
    """A melting block with its thermometer: it is heated at a rate, and the sample is looked at."""

    kind, unit = "melting block", "C"
    sets: ClassVar = {"rate": (0, 30), "begins": (20, 300), "ends": (20, 300), "celsius": (15, 350)}
    acts = ("look",)

    def __init__(self, name: str, step: float, most: float, clock: Clock, seed: int = 1) -> None:
        super().__init__(name, step, most, clock, seed)
        self.block, self.since = models.MeltingBlock(models.ROOM, 0.0), clock()
        self.begins, self.ends = 113.5, 114.5

    def value(self) -> float:
        return min(self.block.block(self.clock() - self.since), self.most)

    def state(self, value: float) -> str:
        return "over" if value >= self.most else "steady"

    def set(self, key: str, value: float) -> None:
        if key in ("begins", "ends"):
            setattr(self, key, value)
            return
        start = value if key == "celsius" else self.value()
        rate = value if key == "rate" else self.block.rate
        self.block, self.since = models.MeltingBlock(start, rate), self.clock()

    def act(self, word: str, rest: list[str]) -> str:
        if word != "look":
            return super().act(word, rest)
        return f"sample {self.block.looks(self.clock() - self.since, self.begins, max(self.begins, self.ends))}"


class OvenStandIn(Instrument):
    """An oven: it goes towards what it is set to, and its door lets a third of its warmth out."""

    kind, unit = "oven", "C"
    sets: ClassVar = {"wanted": (20, 250)}
    acts = ("open",)
    HALF = 240.0

    def __init__(self, name: str, step: float, most: float, clock: Clock, seed: int = 1) -> None:
        super().__init__(name, step, most, clock, seed)
        self.wanted, self.start, self.since = 80.0, 80.0, clock()

    def _at(self, back: float = 0.0) -> float:
        passed = max(self.clock() - back - self.since, 0.0)
        return float(self.wanted + (self.start - self.wanted) * 0.5 ** (passed / self.HALF))

    def value(self) -> float:
        return self._at()

    def state(self, value: float) -> str:
        return "moving" if abs(self._at() - self.wanted) > 1.5 else "steady"

    def set(self, key: str, value: float) -> None:
        self.start, self.wanted, self.since = self._at(), value, self.clock()

    def act(self, word: str, rest: list[str]) -> str:
        if word != "open":
            return super().act(word, rest)
        self.start, self.since = self._at() - (self._at() - models.ROOM) / 3, self.clock()
        return ""


class StopwatchStandIn(Instrument):
    """A stopwatch: start, stop, back to nought."""

    kind, unit = "stopwatch", "s"
    acts = ("start", "stop", "back")

    def __init__(self, name: str, step: float, most: float, clock: Clock, seed: int = 1) -> None:
        super().__init__(name, step, most, clock, seed)
        self.ran, self.since = 0.0, None

    ran: float
    since: float | None

    def value(self) -> float:
        return self.ran + (self.clock() - self.since if self.since is not None else 0.0)

    def state(self, value: float) -> str:
        return "moving" if self.since is not None else "steady"

    def act(self, word: str, rest: list[str]) -> str:
        if word == "start" and self.since is None:
            self.since = self.clock()
        elif word == "stop" and self.since is not None:
            self.ran, self.since = self.value(), None
        elif word == "back":
            self.ran, self.since = 0.0, None if self.since is None else self.clock()
        elif word not in self.acts:
            return super().act(word, rest)
        return ""


class EvaporatorStandIn(Instrument):
    """An evaporator: its bath and its pressure; ``look`` says how much is left, or that it bumped."""

    kind, unit = "evaporator", "mbar"
    sets: ClassVar = {"bath": (15, 95), "pressure": (10, 1013), "volume": (0, 500), "boiling": (30, 150)}
    acts = ("look",)

    def __init__(self, name: str, step: float, most: float, clock: Clock, seed: int = 1) -> None:
        super().__init__(name, step, most, clock, seed)
        self.bath, self.pressure, self.boiling, self.volume, self.since = 40.0, 1013.0, 77.1, 0.0, clock()
        self.bumped = False

    @property
    def _now(self) -> models.Evaporator:
        return models.Evaporator(self.bath, self.pressure, self.boiling)

    def _left(self) -> float:
        return self._now.left(self.volume, (self.clock() - self.since) / 60)

    def value(self) -> float:
        return self.pressure

    def set(self, key: str, value: float) -> None:
        left = self._left()
        setattr(self, key, value)
        if key != "volume":
            self.volume = left
        else:
            self.bumped = False
        self.since = self.clock()
        self.bumped = self.bumped or (self.volume > 0 and self._now.bumps)

    def act(self, word: str, rest: list[str]) -> str:
        if word != "look":
            return super().act(word, rest)
        if self.bumped:
            return "bumped over"
        return f"left {self._left():.1f} mL"


class CabinetStandIn(Instrument):
    """A UV cabinet with a camera: ``picture STRONG ACID LEVEL MINUTES SEED COMPOUNDS`` photographs a plate of known
    truth (:mod:`helvor.core.practice.virtual_plate`), under 254 nm, as JPEG in base 64."""

    kind, unit = "uv cabinet", "nm"
    acts = ("picture",)

    def value(self) -> float:
        return 254.0

    def act(self, word: str, rest: list[str]) -> str:
        if word != "picture" or len(rest) != 6:
            return super().act(word, rest)
        strong, acid, level, minutes = (
            number(text, 0, high) for text, high in zip(rest[:4], (100, 10, 40, 1440), strict=True)
        )
        setting = Setting(
            tuple(rest[5].replace("_", " ").split(",")), strong, acid, level, seed=int(number(rest[4], 0, 10**9))
        )
        try:
            plate = develop(setting, minutes)
        except ValueError as refused:
            raise No(str(refused)) from None
        return f"picture {base64.b64encode(photograph(plate)).decode()}"


KINDS: tuple[type[Instrument], ...] = (
    BalanceStandIn,
    PhMeterStandIn,
    PaperStandIn,
    MeltingBlockStandIn,
    OvenStandIn,
    StopwatchStandIn,
    EvaporatorStandIn,
    CabinetStandIn,
)
SET: tuple[tuple[str, type[Instrument], float, float], ...] = (
    ("balance-1", BalanceStandIn, 0.001, 220),
    ("balance-2", BalanceStandIn, 0.01, 600),
    ("balance-3", BalanceStandIn, 0.0001, 120),
    ("ph-meter", PhMeterStandIn, 0.01, 14),
    ("ph-paper", PaperStandIn, 1, 14),
    ("melting-block", MeltingBlockStandIn, 0.1, 300),
    ("oven", OvenStandIn, 1, 250),
    ("stopwatch", StopwatchStandIn, 0.1, 86400),
    ("evaporator", EvaporatorStandIn, 1, 1013),
    ("uv-cabinet", CabinetStandIn, 1, 366),
)
"""The set that ships: name, kind, step and end of its range."""
