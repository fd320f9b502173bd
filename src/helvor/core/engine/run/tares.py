"""What stood on a pan: empty masses, nets, and how uncertain a balance's indication is."""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

from helvor.core.engine.run.entries import widened
from helvor.core.engine.run.record import Run, WeighedOn
from helvor.core.quantities.measured import Measured, total
from helvor.core.quantities.reading import Reading


def indication_u(step: float) -> float:
    """Standard uncertainty of one balance indication, g: step ÷ √12. Source: JCGM 100:2008, F.2.2.1."""
    return step / math.sqrt(12)


def net_u(step: float) -> float:
    """The same of a net with the tare button: two indications, step ÷ √6."""
    return step / math.sqrt(6)


def net_of(gross: Reading, tares: Sequence[Reading], *, tare_button: bool = False) -> Measured:
    """A net, g: gross minus every tare, each an indication of its own; or one after the tare button.

    >>> from helvor.core.quantities.measured import shown_with_u
    >>> from helvor.core.quantities.reading import parse
    >>> shown_with_u(net_of(parse("31.820 g", "mass"), [parse("31.062 g", "mass")]))
    '0.758 ± 0.001'
    """
    u = net_u(gross.resolution) if tare_button else indication_u(gross.resolution)
    net = Measured.read(gross.value, u, "gross", gross.decimals)
    for number, tare in enumerate(tares):
        net = net - Measured.read(tare.value, indication_u(tare.resolution), f"tare {number}", tare.decimals)
    return net


@dataclass(frozen=True, slots=True)
class Tare:
    """The empty mass of what stood on a pan.

    Attributes:
        mass: g, or None where a part was never weighed.
        how: *weighed*; *spare* where identical spare papers stand in; *damp* where it was
            only weighed damp; *missing*.
        missing: labels that were never weighed empty.
        spread: highest minus lowest of repeated empty weighings, g.
        air_dry: how many of them are papers weighed air-dry; ``air_dry_g`` what those weigh, g.
        blank: how much a blank paper that went the same way gained (below zero: lost), g; None without one.
    """

    mass: Measured | None
    how: Literal["weighed", "spare", "damp", "missing"]
    missing: tuple[str, ...] = ()
    readings: tuple[WeighedOn, ...] = ()
    spread: float = 0.0
    air_dry: int = 0
    air_dry_g: float = 0.0
    blank: Measured | None = None

    @property
    def in_the_oven(self) -> Measured | None:
        """What the container weighs after drying, g: its air-dry papers changed as the blank did (Ledger 7)."""
        if self.mass is None or self.blank is None or not self.air_dry:
            return self.mass
        return self.mass + self.blank * self.air_dry


@dataclass(frozen=True)
class Net:
    """A weighing of a portion with its tare taken off.

    Attributes:
        tare: None where the tare button took the container off.
        value: g, the bare number; None without a tare.
    """

    on: WeighedOn
    tare: Tare | None
    value: float | None

    @cached_property
    def net(self) -> Measured | None:
        """The net with its uncertainty, g; None without a tare. Put together when first asked for:
        of a long drying only the last weighing is."""
        if self.value is None:
            return None
        weighed = self.on.weighed
        step_u = net_u(weighed.step_g) if weighed.way == "net" else indication_u(weighed.step_g)
        u = widened(weighed.mass, step_u, estimated=weighed.estimated)
        indication = Measured.read(weighed.mass.value, u, str(self.on.key), weighed.mass.decimals)
        tare = self.tare_used
        return indication - tare if tare is not None else indication

    @property
    def tare_used(self) -> Measured | None:
        """The tare that is taken off, g; after drying, with the blank's change put in."""
        if self.tare is None:
            return None
        return self.tare.in_the_oven if self.on.weighed.state == "dried" else self.tare.mass


class Scales:
    """Every weighing of a run, found by what stood on the pan."""

    def __init__(self, run: Run) -> None:
        self.empty: dict[frozenset[str], list[WeighedOn]] = {}
        self.damp: dict[frozenset[str], list[WeighedOn]] = {}
        self.filled: dict[str, list[WeighedOn]] = {}
        self.tares: dict[frozenset[str], Tare] = {}
        self.blank = _blank([on for on in run.weighings if is_blank(on.weighed.pan)])
        for on in run.weighings:
            weighed = on.weighed
            if weighed.state in ("empty", "empty, air-dry"):
                self.empty.setdefault(weighed.pan, []).append(on)
            elif weighed.state == "empty, damp":
                self.damp.setdefault(weighed.pan, []).append(on)
            else:
                self.filled.setdefault(weighed.portion.casefold(), []).append(on)

    def tare(self, pan: frozenset[str]) -> Tare:
        """The tare of what stood on a pan, its labels in lower case (Ledger 1)."""
        if pan not in self.tares:
            self.tares[pan] = self._with_blank(self._find(pan))
        return self.tares[pan]

    def _find(self, pan: frozenset[str]) -> Tare:
        if pan in self.empty:
            return _mean(self.empty[pan])
        # A pan may be made up of sets that were weighed empty together: the largest first.
        left, found = set(pan), list[Tare]()
        for known in sorted((k for k in self.empty if k < pan), key=lambda k: (-len(k), sorted(k))):
            if known <= left:
                left -= known
                found.append(_mean(self.empty[known]))
        how: Literal["weighed", "spare", "damp", "missing"] = "weighed"
        for label in sorted(left):
            spare = self._spare(label)
            if spare is not None:
                found.append(spare)
                how = "spare"
                left.discard(label)
            elif frozenset([label]) in self.damp:
                found.append(_mean(self.damp[frozenset([label])]))
                how = "damp"
                left.discard(label)
        if left:
            return Tare(None, "missing", tuple(sorted(left)), tuple(on for t in found for on in t.readings))
        return Tare(
            total(t.mass for t in found if t.mass),
            how,
            (),
            tuple(on for t in found for on in t.readings),
            max((t.spread for t in found), default=0.0),
        )

    def _with_blank(self, tare: Tare) -> Tare:
        """The same with what is known of the water in its papers (Ledger 7)."""
        papers = [on for on in tare.readings if on.weighed.state == "empty, air-dry"]
        if not papers or tare.how == "spare":
            return tare
        pans = {on.weighed.pan: on.weighed.mass.value for on in papers}
        # Weighed in a boat or dish, the paper's own mass is what that weighs more than without it.
        mass = sum(pans.values()) if all(_papers_only(pan) for pan in pans) else 0.0
        return replace(tare, air_dry=len(pans), air_dry_g=mass, blank=self.blank)

    def _spare(self, label: str) -> Tare | None:
        """The mean of spare papers for one that was never weighed: u = s·√(1 + 1/n), n at least 2."""
        kind = label.split(maxsplit=1)[0]
        spares = [on for pan, ons in self.empty.items() for on in ons if pan <= {*pan} and _is_spare(pan, kind)]
        if len(spares) < 2:
            return None
        masses = sorted(on.weighed.mass.value for on in spares)
        u = statistics.stdev(masses) * math.sqrt(1 + 1 / len(masses))
        step = max(on.weighed.step_g for on in spares)
        mean = Measured.read(statistics.fmean(masses), math.hypot(u, indication_u(step)), f"spare {label}")
        return Tare(mean, "spare", (), tuple(spares), masses[-1] - masses[0])


def is_blank(pan: frozenset[str]) -> bool:
    """Whether a blank paper alone stood on the pan."""
    return len(pan) == 1 and all("blank" in label.split() for label in pan)


def _papers_only(pan: frozenset[str]) -> bool:
    return all("paper" in label for label in pan)


def _blank(ons: Sequence[WeighedOn]) -> Measured | None:
    """Mean change of the blank papers from their first weighing to their last, g; None without one weighed twice."""
    by_pan: dict[frozenset[str], list[WeighedOn]] = {}
    for on in ons:
        by_pan.setdefault(on.weighed.pan, []).append(on)
    changes = []
    for pan in by_pan.values():
        first, last = (f(pan, key=lambda on: (on.entry.happened, on.key)) for f in (min, max))
        if first is not last:
            before, after = (
                Measured.read(
                    on.weighed.mass.value, indication_u(on.weighed.step_g), str(on.key), on.weighed.mass.decimals
                )
                for on in (first, last)
            )
            changes.append(after - before)
    return total(changes) * (1 / len(changes)) if changes else None


def _is_spare(pan: frozenset[str], kind: str) -> bool:
    return len(pan) == 1 and all("spare" in label and kind in label.split() for label in pan)


def _mean(ons: Sequence[WeighedOn]) -> Tare:
    """The mean of the empty weighings of a pan; where they differ, their half-range is uncertain too."""
    n = len(ons)
    masses = [on.weighed.mass.value for on in ons]
    parts = {
        str(on.key): widened(on.weighed.mass, indication_u(on.weighed.step_g), estimated=on.weighed.estimated) / n
        for on in ons
    }
    spread = max(masses) - min(masses)
    if spread > 2 * max(on.weighed.step_g for on in ons):
        parts[f"drift {min(str(on.key) for on in ons)}"] = spread / math.sqrt(12)
    decimals = max(on.weighed.mass.decimals for on in ons)
    return Tare(Measured(math.fsum(masses) / n, parts, decimals), "weighed", (), tuple(ons), spread)
