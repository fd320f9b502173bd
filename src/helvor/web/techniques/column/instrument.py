"""The instruments of a column: bed to scale with its bands, rack, fraction plate under it, pools, elution."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from markupsafe import Markup

from helvor.core.engine.run.record import Run
from helvor.core.laws.column.model import place, width_at
from helvor.core.laws.column.pools import STRENGTHS, Pool, cost_of, estimated
from helvor.core.quantities.reading import digits, round_to
from helvor.core.record.procedure import same
from helvor.core.record.step_kinds import WASTE
from helvor.core.techniques.column.rack import (
    ELUTE,
    MOST_TUBES,
    SILICA_WASTE,
    Column,
    column_of,
    predicted_tubes,
    waste_of,
)
from helvor.core.techniques.column.technique import LOW_HEAD
from helvor.web.rendering import drawn_once, fragment
from helvor.web.run.at_step import AtStep
from helvor.web.techniques.extraction.drawing import Axis
from helvor.web.techniques.filtration.instrument import Mark, marks_of

LEFT, WIDE = 112.0, 550.0
"""Where the first tube begins and how wide all are, in drawing units; left of them stand the compounds' names."""
BED_TOP, BED_FOOT = 104.0, 372.0
"""The drawn bed of silica."""
RADII = {1: 2.6, 2: 3.8, 3: 5.2, 4: 6.6}
"""Drawn radius of a spot by its strength."""
FEWEST = 12
"""Tubes that a rack is drawn with at least."""


@dataclass(frozen=True, slots=True)
class TubeShown:
    """A tube: its middle and half-width, height of its liquid, words, and whether it stands out.

    ``spots`` are the number of a compound, how far down the plate it is drawn, and its radius.
    """

    number: int
    x: float
    half: float
    fill: float
    tint: int
    state: str
    label: bool
    spots: tuple[tuple[int, float, float], ...]
    says: str
    first: bool


@dataclass(frozen=True, slots=True)
class BracketShown:
    """Tubes that go together: from where to where, words under it, what kind.

    ``form`` is the id of the form that its ends go into, with the tubes that they stand at.
    """

    x1: float
    x2: float
    words: str
    kind: str
    first: int
    last: int
    form: str


@dataclass(frozen=True, slots=True)
class BandShown:
    """A compound: y of its band in the bed (None where it is not there), its curves over the tubes, its lane's y.

    ``path`` is predicted, ``found`` what the strengths of its spots add up to; empty where nothing is known.
    """

    name: str
    y: float | None
    half: float
    path: str
    found: str
    rf: str
    lane: float


@dataclass(frozen=True, slots=True)
class PoolRow:
    """A proposed pool: its tubes, what it holds, its estimated mass and purity, what taking mixed tubes costs."""

    pool: Pool
    words: str
    holds: str
    mass: str
    purity: str
    cost: str
    name: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnStep:
    """The instrument of a column's steps."""

    at: AtStep
    column: Column
    bands: list[BandShown]
    head_y: float
    head_words: str
    refill: str
    tubes: list[Markup]
    first_x: float
    pitch: float
    count: int
    steps: list[tuple[float, str]]
    brackets: list[BracketShown]
    most: str
    rows: list[PoolRow]
    compounds: list[str]
    strengths: dict[int, str]
    next_tube: int
    eluents: list[str]
    eluent: str
    names: list[str]
    decided: list[tuple[str, str]]
    waste: str
    plates: list[tuple[str, str, str, str]]
    silica: str
    low: bool
    marks: list[Mark]


def _x(number: float, count: int) -> float:
    """Middle of a tube among *count*."""
    return round(LEFT + WIDE * (number - 0.5) / count, 1)


def _lane(index: int, compounds: int) -> float:
    """How far down the plate a compound's spots are drawn; three have room, more move together."""
    return round(128 + 44 * index / max(2, compounds - 1), 1)


def _compounds(at: AtStep, column: Column) -> list[str]:
    named = [component.name for component in at.sheet.run.procedure.components]
    seen = [name for tube in column.tubes for name in (tube.seen or {})]
    return list(dict.fromkeys([*named, *seen]))


def _tubes(column: Column, compounds: Sequence[str], count: int) -> list[TubeShown]:
    half = min(9.0, 0.38 * WIDE / count)
    most = max((tube.volume or 0.0 for tube in column.tubes), default=column.fraction) or column.fraction
    every = 1 if count <= 24 else 2 if count <= 48 else 4
    shown: list[TubeShown] = []
    for tube in column.tubes:
        seen = tube.seen or {}
        strongest = max(seen, key=lambda name: seen[name], default="")
        tint = compounds.index(strongest) if strongest and seen[strongest] else -1
        spots = tuple(
            (compounds.index(name), _lane(compounds.index(name), len(compounds)), RADII[strength])
            for name, strength in seen.items()
            if strength
        )
        words = [f"tube {tube.number}", f"{digits(tube.volume or 0, 2)} mL" if tube.volume else tube.state]
        words += [f"{name} {STRENGTHS[strength]}" for name, strength in seen.items() if strength]
        if tube.seen is not None and not tube.holds:
            words.append("nothing seen")
        shown.append(
            TubeShown(
                tube.number,
                _x(tube.number, count),
                half,
                round(56 * (tube.volume or 0.0) / most, 1),
                tint,
                tube.state,
                tube.number % every == 0 or every == 1,
                spots,
                ", ".join(words),
                first=not shown,
            )
        )
    return shown


@lru_cache(maxsize=4096)
def draw_tube(tube: TubeShown) -> Markup:
    """One tube drawn; as long as nothing about it changes it is drawn once."""
    return fragment("techniques/column/tube.html", tube)


@dataclass(frozen=True, slots=True)
class _Curves:
    """mg a tube as paths over the rack, by compound: predicted, and found by the spots; the highest of both."""

    predicted: dict[str, str]
    found: dict[str, str]
    most: float


def _curves(column: Column, count: int) -> _Curves:
    predicted = predicted_tubes(column, count)
    # Without the masses the spots give parts of a whole, which have no scale beside milligrams.
    spotted = estimated(column.tubes, column.masses) if column.masses else {}
    found = {
        name: [spotted.get(tube.number, {}).get(name, 0.0) for tube in column.tubes]
        for name in column.masses
        if any(name in each for each in spotted.values())
    }
    most = max((max(values) for values in (*predicted.values(), *found.values()) if values), default=0.0)
    if most <= 0:
        return _Curves({}, {}, 0.0)
    y, half = Axis(0, most * 1.08, 330, 250), round(WIDE / count / 2, 1)

    def line(values: Sequence[float]) -> str:
        return "M" + "L".join(f"{_x(i + 1, count)} {y.at(mg)}" for i, mg in enumerate(values[:count]))

    def steps(values: Sequence[float]) -> str:
        path = f"M{_x(1, count) - half:.1f} {y.at(0)}"
        for i, mg in enumerate(values[:count]):
            path += f"V{y.at(mg)}H{_x(i + 1, count) + half:.1f}"
        return f"{path}V{y.at(0)}"

    return _Curves(
        {name: line(values) for name, values in predicted.items()},
        {name: steps(values) for name, values in found.items()},
        most,
    )


def _bands(column: Column, curves: _Curves, compounds: Sequence[str]) -> list[BandShown]:
    shown: list[BandShown] = []
    bed = Axis(0, 1, BED_TOP, BED_FOOT)
    for name in compounds:
        known = next((one for one in column.compounds if same(one.name, name)), None)
        band = next((one for one in column.predicted if same(one.name, name)), None)
        y, half = None, 0.0
        if known is not None and band is not None:
            at = place(column.passed, [ml for _, ml in column.programme], known.rf, column.volume)
            if at < 1:
                y, half = bed.at(at), max(3.0, (BED_FOOT - BED_TOP) * width_at(at))
        rf = ", ".join(round_to(value, 2) for value in known.rf) if known is not None else ""
        lane = _lane(len(shown), len(compounds))
        shown.append(BandShown(name, y, half, curves.predicted.get(name, ""), curves.found.get(name, ""), rf, lane))
    return shown


def _pool_rows(at: AtStep, column: Column, names: Sequence[str]) -> list[PoolRow]:
    costs = cost_of(column.pools, column.tubes, column.masses)
    known = bool(column.masses)
    free = [name for name in names if not any(same(name, taken) for taken, _, _ in column.decided)]
    rows: list[PoolRow] = []
    named: dict[str, str] = {}
    for pool in column.pools:
        if pool.kind == "empty":
            continue
        mass = ", ".join(f"{digits(mg, 2)} mg {name}" for name, mg in pool.mass.items()) if known else ""
        here = [cost for cost in costs if cost.tube in pool.tubes]
        cost = "; ".join(
            f"tube {c.tube} would add {digits(c.gains, 2)} mg {c.compound}; the pool would be "
            f"{digits(100 * c.purity, 3)} %"
            for c in here
        )
        taken = next((name for name, numbers, _ in column.decided if set(pool.tubes) & set(numbers)), "")
        if not taken and pool.kind == "pure" and pool.compounds[0] not in named and free:
            named[pool.compounds[0]] = free.pop(0)
        # What is of one compound goes into one pool, wherever it came.
        name = taken or (named.get(pool.compounds[0], "") if pool.kind == "pure" else "")
        purity = f"{digits(100 * pool.purity, 3)} %" if pool.purity is not None and pool.kind == "mixed" else ""
        rows.append(PoolRow(pool, pool.words, ", ".join(pool.compounds), mass, purity, cost, name))
    return rows


def _waste(run: Run, column: Column) -> str:
    """What the column leaves to throw away, by stream: what came through, evaporated or not, and its silica."""
    streams = [
        f"{digits(amount, 3)} {'g' if stream == SILICA_WASTE else 'mL'} {WASTE.get(stream, stream)}"
        for stream, amount in waste_of(column, run.procedure).items()
    ]
    return ", ".join(streams)


def _eluent_starts(column: Column, count: int) -> list[tuple[float, str]]:
    """Where over the rack each further eluent enters, and which."""
    ends, starts = column.ends(count), []
    for entered, following in column.changes:
        after = next((i for i, end in enumerate(ends) if end >= entered - 1e-9), None)
        if after is not None:
            starts.append((_x(after + 1.5, count), following))
    return starts


def _brackets(column: Column, count: int) -> list[BracketShown]:
    """Brackets under the rack: pools that were decided, then those that are proposed for the other tubes."""
    decided = {number for _, numbers, _ in column.decided for number in numbers}
    half = WIDE / count / 2

    def bracket(first: int, last: int, words: str, kind: str, key: str) -> BracketShown:
        return BracketShown(_x(first, count) - half + 2, _x(last, count) + half - 2, words, kind, first, last, key)

    made = [
        bracket(numbers[0], numbers[-1], name, "decided", "pool-other")
        for name, numbers, _ in column.decided
        if numbers
    ]
    proposed = [
        bracket(
            pool.first,
            pool.last,
            "mixed" if pool.kind == "mixed" else pool.compounds[0],
            pool.kind,
            f"pool-{pool.first}",
        )
        for pool in column.pools
        if pool.kind != "empty" and not set(pool.tubes) & decided
    ]
    return [*made, *proposed]


def _came_through(column: Column) -> list[tuple[str, str, str, str]]:
    """Each compound: mL at which its band was expected, at which it came, and theoretical plates from its width."""
    found = []
    for band in column.predicted:
        seen = column.found(band.name)
        came = f"{digits(band.volume, 3)} mL" if band.volume is not None else "never"
        plates = f"{digits(seen[1], 2)}" if seen is not None and seen[1] else ""
        found.append((band.name, came, f"{digits(seen[0], 3)} mL" if seen is not None else "", plates))
    return found


@drawn_once(64, ink=lambda at: at.sheet, about=lambda at: (at.page.id, at.seen.step.id, at.view, at.csrf))
def column_instrument(at: AtStep) -> Markup:
    """Any step of a column: the bed, the rack with its plate, the pools."""
    run, step = at.sheet.run, at.seen.step
    eluting = step if step.kind == ELUTE else next((s for s in run.procedure.steps if s.kind == ELUTE), step)
    column = column_of(run, at.sheet.ledger, eluting)
    compounds = _compounds(at, column)
    planned = max((len(values) for values in predicted_tubes(column).values()), default=0)
    count = min(MOST_TUBES * 2, max(len(column.tubes), planned, FEWEST))
    curves = _curves(column, count)
    pool_step = next((s for s in run.procedure.steps if s.kind == "pool"), None)
    names = list(pool_step.gives) if pool_step is not None else ["pool A", "pool B"]
    above = column.above
    return fragment(
        "techniques/column/column.html",
        ColumnStep(
            at=at,
            column=column,
            bands=_bands(column, curves, compounds),
            head_y=round(BED_TOP - 16 - min(above if above is not None else 45.0, 70.0) * 0.8, 1),
            head_words=f"{above:g} mm above" if above is not None else "",
            refill=f"refill within {digits(column.refill_in, 2)} min" if column.refill_in is not None else "",
            tubes=[draw_tube(tube) for tube in _tubes(column, compounds, count)],
            first_x=_x(1, count),
            pitch=WIDE / count,
            count=count,
            steps=_eluent_starts(column, count),
            brackets=_brackets(column, count),
            most=f"{digits(curves.most, 2)} mg a tube" if curves.most else "",
            rows=_pool_rows(at, column, names),
            compounds=compounds,
            strengths=STRENGTHS,
            next_tube=len(column.tubes) + 1,
            eluents=list(dict.fromkeys(name for name, _ in column.programme)),
            eluent=column.running,
            names=names,
            decided=[(name, Pool("", numbers, (), {}).words) for name, numbers, _ in column.decided if numbers],
            waste=_waste(run, column),
            plates=_came_through(column),
            silica=digits(column.silica, 2),
            low=above is not None and above < LOW_HEAD,
            marks=marks_of(at.seen),
        ),
    )


INSTRUMENTS = {
    "pack column": column_instrument,
    "load column": column_instrument,
    ELUTE: column_instrument,
    "fraction plate": column_instrument,
    "pool": column_instrument,
}
