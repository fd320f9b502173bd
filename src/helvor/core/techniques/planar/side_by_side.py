"""Plates beside each other: the same samples in several systems, repeats of one, identity across systems.

Side by side 1. A *system* is a stationary phase with an eluent as it was mixed. Only plates of one
            system are repeats; between systems an Rf may differ as it likes.
Side by side 2. Lanes are the same sample when they are called the same. Spots of lanes with several
            are paired by their order where all plates have as many, else by nearness.
Side by side 3. An outlier is farther from the median than 3.5 times the spread that the median
            distance tells, and never nearer than 0.05: B. Iglewicz and D. C. Hoaglin, How to Detect
            and Handle Outliers, ASQC 1993 (from memory). Fewer than four values have none.
Side by side 4. The same Rf in two systems says more than in one, and is no proof either.
"""

from __future__ import annotations

import re
import statistics
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from helvor.core.laws.planar.eluent import Eluent
from helvor.core.laws.planar.identify import ACROSS_PLATES, Ranked, SpotMark, rank
from helvor.core.quantities.reading import round_to
from helvor.core.quantities.robust import FAR, SAME_ON_MANY, spread
from helvor.core.record.finding import Finding, by_severity
from helvor.core.techniques.planar.plate import PHASES
from helvor.core.techniques.planar.results import PlateWorksheet, SpotResult
from helvor.core.techniques.planar.work_out import mark_of

LEAST_OUTLYING = 0.05
LEAST_VALUES = 4


@dataclass(frozen=True, slots=True)
class OnePlate:
    """A plate of the class: what it is called, where it is, and what it gave."""

    name: str
    address: str
    sheet: PlateWorksheet
    bench: int | None = None


@dataclass(frozen=True, slots=True)
class Value:
    """One plate's Rf of one spot."""

    plate: str
    address: str
    spot: str
    rf: float
    u: float
    outlying: bool = False
    bench: int | None = None


@dataclass(frozen=True, slots=True)
class Series:
    """The repeats of one spot of one sample in one system.

    Attributes:
        sample: as its lanes are called; number: of the spot from the top, 0 where there is one only.
        mean, median: of all values; spread: their standard deviation, None for a single value.
    """

    sample: str
    number: int
    reference: bool
    values: tuple[Value, ...]

    @property
    def mean(self) -> float:
        return statistics.fmean(value.rf for value in self.values)

    @property
    def median(self) -> float:
        return statistics.median(value.rf for value in self.values)

    @property
    def spread(self) -> float | None:
        return statistics.stdev(value.rf for value in self.values) if len(self.values) > 1 else None

    @property
    def outliers(self) -> tuple[Value, ...]:
        return tuple(value for value in self.values if value.outlying)

    @property
    def title(self) -> str:
        return f"{self.sample}, spot {self.number}" if self.number else self.sample


@dataclass(frozen=True, slots=True)
class System:
    """One phase and eluent, with everything that ran in it."""

    phase: str
    eluent: Eluent
    plates: tuple[OnePlate, ...]
    series: tuple[Series, ...]

    @property
    def title(self) -> str:
        return f"{PHASES[self.phase]}, {self.eluent}"

    @property
    def samples(self) -> list[str]:
        """Samples in the order of their first lane."""
        return list(dict.fromkeys(series.sample for series in self.series))


@dataclass(frozen=True, slots=True)
class Across:
    """An unknown against a reference over all systems.

    Attributes:
        agrees: titles of the systems in which most plates find it; differs: in which they do not.
        plates: on how many of how many plates it was found.
    """

    unknown: str
    reference: str
    agrees: tuple[str, ...]
    differs: tuple[str, ...]
    plates: tuple[int, int]

    @property
    def says(self) -> str:
        """What that means, no more (Side by side 4)."""
        if self.agrees and self.differs:
            return "separated in one system: another compound, or only one of them shows it"
        if len(self.agrees) > 1:
            return f"the same in {len(self.agrees)} eluents: strong evidence, not proof"
        return "the same in one eluent: run a second one"


@dataclass(frozen=True, slots=True)
class SideBySide:
    """Everything that can be said of several plates."""

    systems: tuple[System, ...]
    across: tuple[Across, ...]
    findings: tuple[Finding, ...]
    left_out: tuple[tuple[str, str, str], ...] = field(default=())
    """Plates that give no Rf: name, address, and why."""


def side_by_side(plates: Iterable[OnePlate]) -> SideBySide:
    """Lay plates beside each other (Side by side 1 and 2)."""
    groups: dict[tuple[str, tuple[tuple[str, float], ...]], list[OnePlate]] = {}
    left_out = []
    for plate in plates:
        on = plate.sheet.plate
        why = _why_not(plate.sheet)
        if why or on.set_up is None or on.eluent is None:
            left_out.append((plate.name, plate.address, why))
            continue
        mixed = tuple(sorted((c.name.casefold(), round(c.percent, 2)) for c in on.eluent.components))
        groups.setdefault((on.set_up.phase, mixed), []).append(plate)
    systems = []
    for (phase, _), ones in groups.items():
        eluent = ones[0].sheet.plate.eluent
        assert eluent is not None
        systems.append(System(phase, eluent, tuple(ones), tuple(_series(ones))))
    systems.sort(key=lambda system: (-len(system.plates), system.title))
    return SideBySide(tuple(systems), tuple(_across(systems)), tuple(by_severity(_findings(systems))), tuple(left_out))


def _why_not(sheet: PlateWorksheet) -> str:
    """Why a plate is not laid beside others; empty when it is."""
    if sheet.plate.set_up is None:
        return "not set up yet"
    if sheet.plate.eluent is None:
        return "its eluent is not recorded"
    if not sheet.spots:
        return "no spots read yet"
    if not any(spot.rf for spot in sheet.spots):
        return "front ran off or is missing: relative values only"
    return ""


def sample_of(spot: SpotResult) -> str:
    """What a lane holds, as its lanes on other plates are found by."""
    lane = spot.on.on.lane
    return lane.substance or lane.label


def _series(plates: Sequence[OnePlate]) -> list[Series]:
    """Every sample's spots over the plates of one system."""
    lanes: dict[str, list[tuple[OnePlate, list[SpotResult]]]] = {}
    roles: dict[str, bool] = {}
    names: dict[str, str] = {}
    for plate in plates:
        mine: dict[tuple[str, str], list[SpotResult]] = {}
        for spot in plate.sheet.spots:
            if spot.rf is not None and spot.on.on.lane.role != "co-spot":
                mine.setdefault((sample_of(spot).casefold(), spot.lane), []).append(spot)
        for (key, _), spots in mine.items():
            names.setdefault(key, sample_of(spots[0]))
            roles[key] = spots[0].on.on.lane.role == "reference"
            lanes.setdefault(key, []).append((plate, spots))
    found = []
    for key, ones in lanes.items():
        groups = _paired([[(plate, spot) for spot in spots] for plate, spots in ones])
        for number, group in enumerate(groups, start=1):
            values = [
                Value(plate.name, plate.address, spot.name, spot.rf.value, spot.rf.u, bench=plate.bench)
                for plate, spot in group
                if spot.rf is not None
            ]
            series_number = number if len(groups) > 1 else 0
            found.append(Series(names[key], series_number, roles[key], tuple(_marked(values))))
    return found


Placed = tuple[OnePlate, SpotResult]


def _paired(lanes: list[list[Placed]]) -> list[list[Placed]]:
    """Spots that are the same on several plates, from the top down (Side by side 2)."""
    if len({len(lane) for lane in lanes}) == 1:
        return [[lane[number] for lane in lanes] for number in range(len(lanes[0]))]
    spots = sorted((placed for lane in lanes for placed in lane), key=lambda placed: -_rf(placed))
    groups: list[list[Placed]] = []
    for placed in spots:
        near = groups and abs(_rf(groups[-1][-1]) - _rf(placed)) <= ACROSS_PLATES
        if near and all(placed[0] is not other[0] for other in groups[-1]):
            groups[-1].append(placed)
        else:
            groups.append([placed])
    return groups


def _rf(placed: Placed) -> float:
    rf = placed[1].rf
    return rf.value if rf else 0.0


def _marked(values: list[Value]) -> list[Value]:
    """The values with those that lie apart marked (Side by side 3)."""
    if len(values) < LEAST_VALUES:
        return values
    found = spread([value.rf for value in values])
    middle, limit = found.median, max(FAR * found.sd, LEAST_OUTLYING)
    return [replace(value, outlying=abs(value.rf - middle) > limit + 1e-12) for value in values]


def _across(systems: Sequence[System]) -> list[Across]:
    """Unknowns against references, counted over plates and systems."""
    counts: dict[tuple[str, str], dict[str, list[bool]]] = {}
    names: dict[str, str] = {}
    for system in systems:
        for plate in system.plates:
            called = {lane.key: lane.lane.substance or lane.label for lane in plate.sheet.plate.lanes}
            for identity in plate.sheet.identities:
                if identity.lane is None:
                    continue
                unknown = called[identity.lane]
                names.setdefault(unknown.casefold(), unknown)
                for reference, found in [(p.name, True) for p in identity.present] + [
                    (name, False) for name in identity.absent
                ]:
                    names.setdefault(reference.casefold(), reference)
                    seen = counts.setdefault((unknown.casefold(), reference.casefold()), {})
                    seen.setdefault(system.title, []).append(found)
    result = []
    for (unknown, reference), by_system in counts.items():
        agrees = tuple(title for title, found in by_system.items() if 2 * sum(found) > len(found))
        differs = tuple(title for title in by_system if title not in agrees)
        if not agrees:
            continue
        hits = sum(sum(found) for found in by_system.values())
        total = sum(len(found) for found in by_system.values())
        result.append(Across(names[unknown], names[reference], agrees, differs, (hits, total)))
    return sorted(
        result, key=lambda one: (one.unknown, -len(one.agrees), len(one.differs), -one.plates[0], one.reference)
    )


def _findings(systems: Sequence[System]) -> list[Finding]:
    found = []
    for system in systems:
        for series in system.series:
            for value in series.outliers:
                others = [v.rf for v in series.values if v is not value]
                found.append(
                    Finding(
                        "plate-outlier",
                        "caution",
                        f"{value.plate}: {series.title} at Rf {round_to(value.rf, 2)}, the others near "
                        f"{round_to(statistics.median(others), 2)}.",
                        "It is an outlier: further away than the scatter of the others.",
                        "Check its front, its origin and what was applied.",
                        value.plate,
                    )
                )
        codes = Counter(
            (f.code, f.level)
            for plate in system.plates
            for f in {(f.code): f for f in plate.sheet.findings}.values()
            if f.level in ("stop", "caution")
        )
        for (code, _), times in codes.items():
            if times >= SAME_ON_MANY and times > len(system.plates) / 3:
                example = next(f for p in system.plates for f in p.sheet.findings if f.code == code)
                found.append(
                    Finding(
                        f"many-{code}",
                        "caution",
                        f"{times} of {len(system.plates)} plates: {example.what}",
                        "A finding on so many plates rarely comes from the benches.",
                        "Check the eluent bottle, the plates and the handout first.",
                    )
                )
    return found


def samples_in(system: System, *, but: str = "") -> dict[str, list[SpotMark]]:
    """Every sample of a system with the mean places of its spots, for ranking; *but* is left out."""
    marks: dict[str, list[SpotMark]] = {}
    for series in system.series:
        if series.sample.casefold() != but.casefold():
            u = max((value.u for value in series.values), default=0.01)
            marks.setdefault(series.sample, []).append(SpotMark(series.title, series.median, u))
    return marks


def who_made(plate: OnePlate, lane: str, samples: Mapping[str, Sequence[SpotMark]]) -> list[Ranked]:
    """Which sample made a lane of a plate that was handed out, the likeliest first."""
    marks = [mark for spot in plate.sheet.spots if spot.lane == lane and (mark := mark_of(spot)) is not None]
    return rank(marks, samples)


def reason(ranked: Ranked) -> str:
    """Why a sample stands where it does, in words."""
    parts = []
    if ranked.agree:
        parts.append(", ".join(f"{m.spot} differs by {round_to(m.apart, 2)} from {m.reference}" for m in ranked.agree))
        if any(m.colour is False for m in ranked.agree):
            parts.append("the colour differs")
    if ranked.only_here:
        parts.append(f"{', '.join(ranked.only_here)} only on the plate")
    if ranked.only_there:
        parts.append(f"{', '.join(ranked.only_there)} missing on the plate")
    return "; ".join(parts) if parts else "no spot in common"


def _plain(name: str) -> str:
    """A name that may stand in a list between commas."""
    return re.split(r"[,;=]", name)[0].strip() or name


WIDEST_PART = 0.8
"""A solvent may be the one that was varied when its part differs by this much of the widest difference."""


def _height(system: System) -> float:
    """How high a system carries its references, as the mean of their medians; 0 without any."""
    return statistics.fmean([s.median for s in system.series if s.reference] or [0.0])


def tuning_hint(sheet: PlateWorksheet, rank: Mapping[str, int]) -> tuple[str, str]:
    """One plate's references as the tuning sum reads them, and the stronger solvent; both empty where it gives no hint.

    Only on silica and alumina does one plate hint at anything; there the stronger part is the
    one later in the eluotropic series.

    Args:
        rank: solvent name (lower case) → place in the series, weakest first.
    """
    plate = sheet.plate
    if plate.set_up is None or plate.set_up.phase not in ("silica", "alumina") or plate.eluent is None:
        return "", ""
    parts = plate.eluent.main_parts
    if len(parts) < 2 or not all(part.name.casefold() in rank for part in parts):
        return "", ""
    strong = max(parts, key=lambda part: rank[part.name.casefold()])
    known = [s for s in sheet.spots if s.rf and 0 < s.rf.value < 1 and s.on.on.lane.role == "reference"]
    if not known:
        return "", ""
    rfs = ", ".join(f"{_plain(sample_of(s))} {s.rf_shown}" for s in known[:8])
    return f"{strong.percent:g} % {rfs}", strong.name


def nearest_in_lane(sheet: PlateWorksheet, spot: SpotResult) -> SpotResult | None:
    """The spot of the same lane with the nearest Rf: what a column would have to part it from."""
    if spot.rf is None:
        return None
    own = spot.rf.value
    others = [s for s in sheet.spots if s.rf is not None and s.key != spot.key and s.on.on.key == spot.on.on.key]
    return min(others, key=lambda s: abs((s.rf.value if s.rf else 0.0) - own), default=None)


def tuning_lines(systems: Sequence[System]) -> str:
    """Plates of one phase and the same solvents as the tuning sum reads them; empty when fewer than two compositions.

    The per cents are those of the stronger part: of the solvents whose parts differ most, the one with
    which the compounds rise.
    """
    for first in systems:
        kin = [
            s
            for s in systems
            if s.phase == first.phase
            and {c.name.casefold() for c in s.eluent.components} == {c.name.casefold() for c in first.eluent.components}
        ]
        if len(kin) < 2:
            continue
        parts = {
            name: [next(c.percent for c in s.eluent.components if c.name.casefold() == name) for s in kin]
            for name in (c.name.casefold() for c in first.eluent.components)
        }
        heights = [_height(system) for system in kin]
        widest = max(max(found) - min(found) for found in parts.values())
        varied = max(
            (name for name, found in parts.items() if max(found) - min(found) >= WIDEST_PART * widest),
            key=lambda name: sum(
                (percent - statistics.fmean(parts[name])) * height
                for percent, height in zip(parts[name], heights, strict=True)
            ),
        )
        lines = []
        for percent, system in sorted(zip(parts[varied], kin, strict=True), key=lambda pair: pair[0]):
            rfs = ", ".join(f"{_plain(s.sample)} {s.median:.3f}" for s in system.series if s.reference and not s.number)
            if rfs:
                lines.append(f"{percent:g} % {rfs}")
        if len(lines) > 1:
            return "\n".join(lines)
    return ""
