"""A column as the run and the planner know it: steps, checks, findings, words of the reading line."""

from __future__ import annotations

import re
from collections.abc import Iterator

from helvor.core.engine.figure import Figure, figure_of, outcome
from helvor.core.engine.plan.check_plan import Advice, Plan
from helvor.core.engine.run.case import Case, join
from helvor.core.engine.run.ledger import build_ledger
from helvor.core.engine.run.record import Run
from helvor.core.engine.technique import Cause, Check, Technique
from helvor.core.laws.column.model import resolution
from helvor.core.laws.column.pools import STRENGTHS, cost_of, exchanged, odd
from helvor.core.laws.column.sizing import allowed
from helvor.core.quantities.reading import Unreadable, digits, parse
from helvor.core.record.entry import Payload
from helvor.core.record.finding import Finding
from helvor.core.record.procedure import named, same
from helvor.core.record.step_kinds import Output, StepKind
from helvor.core.record.typed_line import NotSure, Understood, built
from helvor.core.techniques.column.entries import ColumnPacked, LevelSeen, Pooled, TubesFilled, TubesSpotted
from helvor.core.techniques.column.parameters import OfAColumn, OfElution
from helvor.core.techniques.column.products import check_products, columns, silica_in_it
from helvor.core.techniques.column.rack import ELUTE, Column, column_of
from helvor.core.techniques.filtration.findings import step_here

GROUP = "Column"
EARLY = 1.3
"""Column volumes within which everything came if the eluent was too strong. Common practice."""
LATE = 1.5
"""Times its predicted volume after which a band is missing. Common practice, no source."""
NOTHING_FOR = 7
"""Column volumes after which something should have come. Common practice."""
POOR = 1.0
"""Resolution below which bands overlap much: at 1.0 two equal ones share 2 %. From its definition."""
LOW_HEAD = 10.0
"""mm of liquid above the silica below which it is refilled at once. Common practice."""

STEP_KINDS = (
    StepKind(
        "pack column",
        GROUP,
        "pack column",
        "Put in the plug and the sand, pour in the slurry, press out the bubbles and level the bed",
        15,
        5,
        kit=("column", "stand", "funnel", "hand bellows", "beaker"),
        wets=True,
        example="column 20 mm 150 mm",
        caution="Silica dust in the hood; press gently: glass under pressure bursts.",
        outputs=(Output("column", usual=False),),
        parameters=OfAColumn,
    ),
    StepKind(
        "load column",
        GROUP,
        "load",
        "Load the sample in a little solvent onto the bed, drain to the silica, add sand",
        8,
        kit=("column", "pipette"),
        wets=True,
        collects=True,
        outputs=(Output("column", usual=False),),
    ),
    StepKind(
        ELUTE,
        GROUP,
        "elute",
        "Elute into numbered tubes; refill in time, never let the bed run dry",
        25,
        10,
        kit=("column", "rack", "tubes"),
        wets=True,
        rules=("fractions",),
        example="tubes 1-6 8 mL",
        caution="Flammable eluent: hood, no flame. Never let the liquid fall below the silica.",
        outputs=(Output("fractions", "liquid"), Output("column", name="spent column")),
        parameters=OfElution,
        ordinary=0.8,
    ),
    StepKind(
        "fraction plate",
        GROUP,
        "fraction plate",
        "Spot every tube on one plate; rinse the capillary between tubes",
        12,
        8,
        kit=("plate", "capillary", "chamber"),
        example="spots 4-8 ferrocene 3",
        opens="fraction plates",
    ),
    StepKind(
        "pool",
        GROUP,
        "pool",
        "Pool tubes of the same composition",
        6,
        wets=True,
        collects=True,
        kit=("flask",),
        example="pool 4-8 pool A",
        rules=("fractions",),
        outputs=(Output("pool", "liquid", many=True, usual=False),),
        shares=True,
        works_on="liquid",
    ),
)
CHECKS: dict[str, tuple[Check, ...]] = {
    "pack column": (
        Check("plug", "cotton plug or frit, not too tight", "if it is too tight, it does not flow", on="plug"),
        Check("sand-below", "thin sand below, level", "a level bed needs a level base", on="sand"),
        Check("slurry", "silica as a slurry, in the hood", "dry dust harms the lungs", safety=True, on="bed"),
        Check("pressed", "tapped and pressed: no bubbles, no cracks", "bands run down a crack", on="bed"),
        Check("kept", "what ran through is kept for eluting", "it is clean", on="tap"),
    ),
    "load column": (
        Check(
            "level",
            "liquid exactly at the silica",
            "too much liquid dilutes the sample; too little cracks the bed",
            on="bed",
        ),
        Check(
            "little",
            "sample in the smallest volume, by pipette, close to the bed",
            "a thin band stays narrow",
            on="top",
        ),
        Check("sand-above", "thin sand on it, first eluent by pipette", "pouring stirs up the bed", on="sand"),
    ),
    ELUTE: (
        Check("numbered", "tubes numbered before", "swapped tubes cannot be identified", on="rack"),
        Check("refill", "refilled in time", "a dry bed cracks", on="top"),
    ),
}


def check_run_columns(case: Case) -> Iterator[Finding]:
    """All findings on columns in a run."""
    for number, column in columns(case):
        yield from _bed(number, column)
        yield from _tubes(number, column)
        yield from _pooled_wrongly(number, column)
        if column.tubes:
            yield from _elution(number, column)
    yield from check_products(case)


def _bed(number: int, column: Column) -> Iterator[Finding]:
    if column.dry:
        yield Finding(
            "ran-dry",
            "caution",
            f"Step {number}: the liquid fell below the silica.",
            "A dry bed cracks, and bands run down the crack.",
            "Refill slowly along the wall, and report with the result that tubes from here on are less reliable.",
            about=column.step,
        )
    elif column.above is not None and column.above < LOW_HEAD:
        soon = f", for {digits(column.refill_in, 1)} min at this flow" if column.refill_in is not None else ""
        yield Finding(
            "low-head",
            "caution",
            f"Step {number}: {column.above:g} mm of liquid above the silica{soon}.",
            "The bed is about to run dry.",
            "Refill now.",
            about=column.step,
        )
    if column.bubbles:
        yield Finding(
            "bubbles",
            "caution",
            f"Step {number}: bubbles in the bed.",
            "Bands flow around bubbles and smear.",
            "Before loading, push more eluent through under pressure; after loading, continue and expect wider bands.",
            about=column.step,
        )
    load = sum(column.masses.values())
    delta = column.delta
    most, row = allowed(column.bore, delta)
    if load > most:
        known = f" ({digits(delta, 2)} here)" if delta is not None else ""
        yield Finding(
            "overloaded",
            "caution",
            f"{digits(load, 3)} mg on a column of {column.bore:g} mm; the table allows "
            f"{digits(most, 2)} mg at most for ΔRf from {row:g} on{known}.",
            "Overloaded bands overlap.",
            "Use a wider column, or half the sample.",
            about=column.step,
        )


def _tubes(number: int, column: Column) -> Iterator[Finding]:
    for a, b in exchanged(column.tubes):
        yield Finding(
            "tubes-exchanged",
            "caution",
            f"Step {number}: tubes {a} and {b} look exchanged.",
            "If they are exchanged, each compound elutes in one block.",
            "Spot both again before you pool anything.",
            about=f"{column.step} {a}",
        )
    for tube, compound in odd(column.tubes):
        yield Finding(
            "odd-tube",
            "note",
            f"Step {number}: tube {tube} shows no {compound}, its neighbours do.",
            "The wrong tube may have been spotted, or it is in the wrong place.",
            "Spot this tube again.",
            about=f"{column.step} {tube}",
        )
    mixed = [pool for pool in column.pools if pool.kind == "mixed"]
    pure = {number for pool in column.pools if pool.kind == "pure" for number in pool.tubes}
    apart = {number for _, numbers, _ in column.decided if not pure & set(numbers) for number in numbers}
    together = {number for _, numbers, _ in column.decided if pure & set(numbers) for number in numbers}
    for pool in mixed:
        if set(pool.tubes) <= apart | (column.left_out - together):
            continue  # kept as a pool of its own, or out of them all
        taken = [number for number in pool.tubes if number in together]
        words = f"tube{'s' if len(pool.tubes) > 1 else ''} {pool.words}"
        if taken:
            costs = [cost for cost in cost_of(column.pools, column.tubes, column.masses) if cost.tube in taken]
            cost = f" The pool is then {digits(100 * costs[0].purity, 2)} % {costs[0].compound}." if costs else ""
            yield Finding(
                "mixed-taken",
                "note",
                f"Step {number}: {words} with {join(list(pool.compounds))} were pooled.{cost}",
                "One mixed tube lowers the purity of the whole pool.",
                about=f"{column.step} {pool.first}",
            )
        else:
            yield Finding(
                "mixed-tube",
                "caution",
                f"Step {number}: {words} {'show' if len(pool.tubes) > 1 else 'shows'} {join(list(pool.compounds))}.",
                "One mixed tube lowers the purity of the whole pool.",
                "Keep mixed tubes out of both pools, or run them again.",
                about=f"{column.step} {pool.first}",
            )


def _pooled_wrongly(number: int, column: Column) -> Iterator[Finding]:
    """A tube in two pools, or pools that hold tubes of two compounds."""
    by_tube: dict[int, list[str]] = {}
    for name, numbers, _ in column.decided:
        for tube in numbers:
            by_tube.setdefault(tube, []).append(name)
    twice = {tube: names for tube, names in by_tube.items() if len(names) > 1}
    if twice:
        tube, names = next(iter(twice.items()))
        yield Finding(
            "pooled-twice",
            "caution",
            f"Step {number}: tube {tube} is in {join(names)}.",
            "One tube can only be poured into one flask.",
            "Correct the pool that it is not in.",
            about=f"{column.step} {tube}",
        )
    pure = [pool for pool in column.pools if pool.kind == "pure"]
    for name, numbers, _ in column.decided:
        inside = {compound: sorted(set(pool.tubes) & set(numbers)) for pool in pure for compound in pool.compounds}
        there = {compound: tubes for compound, tubes in inside.items() if tubes}
        if len(there) > 1:
            said = join([f"{compound} (tube {tubes[0]})" for compound, tubes in there.items()])
            yield Finding(
                "pool-mixed",
                "caution",
                f"Step {number}: {name} holds tubes of {said}.",
                "What was separated is together again.",
                f"If {name} is poured together already, run a plate of it; otherwise leave the tubes of the other out.",
                about=f"{column.step} {name}",
            )


def _is_late(column: Column) -> bool:
    """Whether so much went through that the last band should have come: by the prediction, else by the bed."""
    expected = [band.volume for band in column.predicted if band.volume is not None]
    late = LATE * max(expected) if expected else NOTHING_FOR * column.volume
    return any(tube.seen is not None for tube in column.tubes) and column.passed > late


def _elution(number: int, column: Column) -> Iterator[Finding]:
    seen = {name: column.found(name) for tube in column.tubes for name in tube.holds}
    found = {name: band for name, band in seen.items() if band is not None}
    volumes = {name: mean / column.volume for name, (mean, _) in found.items()}
    if len(found) > 1 and all(volume < EARLY for volume in volumes.values()):
        yield Finding(
            "eluent-too-strong",
            "caution",
            f"Step {number}: {join(list(found))} all eluted within {digits(max(volumes.values()), 2)} column volumes.",
            "The eluent is too strong to separate them.",
            "Use a weaker eluent: aim at Rf 0.2 to 0.35 on the plate.",
            about=column.step,
        )
    if not found and _is_late(column):
        yield Finding(
            "nothing-came",
            "caution",
            f"Step {number}: nothing eluted in {digits(column.passed / column.volume, 2)} column volumes.",
            "The eluent is too weak, or the compound decomposed on the silica.",
            "Change to a stronger eluent. To test for decomposition, spot the sample on a plate, wait an "
            "hour and run it.",
            about=column.step,
        )
    for band in column.predicted:
        if band.volume is None or band.name not in found:
            continue
        mean, _ = found[band.name]
        if abs(mean - band.volume) > max(3 * band.sigma, 0.25 * band.volume):
            yield Finding(
                "off-prediction",
                "note",
                f"Step {number}: {band.name} eluted at {digits(mean, 3)} mL; {digits(band.volume, 3)} mL was "
                f"predicted.",
                "Rf, bed height or eluent differed from the record.",
                about=band.name,
            )
    for a, b in zip(column.predicted, column.predicted[1:], strict=False):
        rs = resolution(a, b)
        if rs is not None and rs < POOR:
            yield Finding(
                "predicted-overlap",
                "note",
                f"Step {number}: {a.name} and {b.name} are predicted to overlap (Rs {digits(rs, 2)}).",
                "Some tubes will contain both.",
                "Collect smaller fractions around the gap, or change eluent later.",
                about=f"{a.name} {b.name}",
            )


def stayed_on_column(case: Case) -> Iterator[Cause]:
    """What may still be on the column, or in tubes that no pool took."""
    for _, column in columns(case):
        if not column.tubes:
            continue
        decided = {number for _, numbers, _ in column.decided for number in numbers}
        left = [pool for pool in column.pools if pool.kind == "mixed" and not set(pool.tubes) & decided]
        mass = sum(sum(pool.mass.values()) for pool in left)
        if left and decided:
            words = ", ".join(pool.words for pool in left)
            yield Cause(
                "mixed-tubes",
                "loss",
                "Mixed tubes were kept out of the pools.",
                (f"tubes {words}, about {digits(mass, 2)} mg",),
                0.7,
                mass / 1000,
            )
        slow = [b.name for b in column.predicted if b.volume is None or b.volume + 2 * b.sigma > column.passed]
        if slow:
            yield Cause(
                "still-on-column",
                "loss",
                f"Some {join(slow)} may still be on the column.",
                (f"{digits(column.passed, 3)} mL passed through",),
                0.5,
            )


def check_plan_columns(plan: Plan) -> Iterator[Advice]:
    """What can be said of a column before it is packed."""
    run = Run(procedure=plan.procedure)
    if not any(step.kind == ELUTE for step in plan.procedure.steps):
        return
    ledger = build_ledger(run, plan.rules)
    for number, step in enumerate(plan.procedure.steps, 1):
        if step.kind != ELUTE:
            continue
        column = column_of(run, ledger, step)
        if column.why_not:
            yield Advice(Finding("no-prediction", "note", f"Step {number}: {column.why_not}"), step.id)
        for finding in (*_bed(number, column), *_elution(number, column)):
            yield Advice(finding, step.id)


def describe(payload: Payload) -> str:
    """An entry in bench words."""

    def tubes(first: int, last: int) -> str:
        return f"tube {first}" if first == last else f"tubes {first} to {last}"

    match payload:
        case ColumnPacked() as packed:
            return f"column {packed.bore} wide, bed {packed.bed} high"
        case TubesFilled() as filled:
            said = [tubes(filled.first, filled.last)]
            if filled.state != "full":
                said.append(filled.state)
            if filled.volume:
                said.append(f"{filled.volume} each" if filled.last > filled.first else str(filled.volume))
            return ", ".join([*said, *(word for word in (filled.eluent, filled.colour) if word)])
        case TubesSpotted() as spotted:
            what = f"{spotted.compound} {STRENGTHS[spotted.strength]}" if spotted.compound else "nothing seen"
            return f"{tubes(spotted.first, spotted.last)}: {what}"
        case Pooled() as pooled:
            out = f" without {', '.join(map(str, pooled.without))}" if pooled.without else ""
            return f"{tubes(pooled.first, pooled.last)}{out} pooled as {pooled.portion}"
        case LevelSeen() as seen:
            said = [
                *(["the bed ran dry"] if seen.dry else []),
                *(["bubbles in the bed"] if seen.bubbles else []),
                *([f"liquid {seen.above} above the silica"] if seen.above else []),
            ]
            return ", ".join(said)
    return ""


def figures(payload: Payload) -> tuple[Figure, ...]:
    """What an entry holds, for tables: the bed, the tubes, what they show, how high the liquid stands."""
    match payload:
        case ColumnPacked() as packed:
            return (*figure_of("inside width", packed.bore), *figure_of("bed height", packed.bed))
        case TubesFilled() as filled:
            words = ", ".join(word for word in (filled.eluent, filled.colour) if word)
            state = "" if filled.state == "full" else filled.state
            return tuple(
                figure
                for tube in filled.tubes
                for figure in (
                    *figure_of("fraction volume", filled.volume, f"tube {tube}", words),
                    *(
                        outcome("fraction", ", ".join(w for w in (state, words) if w) or "filled", f"tube {tube}")
                        if filled.volume is None or state
                        else ()
                    ),
                )
            )
        case TubesSpotted() as spotted:
            shows = STRENGTHS[spotted.strength] if spotted.compound else "nothing seen"
            spot = f"spot of {spotted.compound}" if spotted.compound else "spot"
            return tuple(figure for tube in spotted.tubes for figure in outcome(spot, shows, f"tube {tube}"))
        case Pooled() as pooled:
            kept = (tube for tube in pooled.tubes if tube not in pooled.without)
            return tuple(figure for tube in kept for figure in outcome("pooled as", pooled.portion, f"tube {tube}"))
        case LevelSeen() as seen:
            trouble = (("the bed ran dry", seen.dry), ("bubbles in the bed", seen.bubbles))
            return (
                *figure_of("liquid above the silica", seen.above),
                *(figure for words, so in trouble if so for figure in outcome("bed", words)),
            )
    return ()


_TUBES = re.compile(r"(\d{1,3})(?:\s*(?:-|–|to)\s*(\d{1,3}))?")


def _range(words: list[str], example: str) -> tuple[int, int, list[str]]:
    joined = re.sub(r"^tubes?\s+", "", " ".join(words), flags=re.IGNORECASE)
    joined = re.sub(r"^(\d+(?:\s*(?:-|–|to)\s*\d+)?)\s*[:=]", r"\1 ", joined)
    match = _TUBES.match(joined)
    if match is None:
        raise Unreadable(f"Enter the tubes, for example: {example}.")
    return int(match[1]), int(match[2] or match[1]), joined[match.end() :].split()


def _fill(words: list[str], run: Run, step: str) -> Understood:
    first, last, rest = _range(words, "tubes 1-6 8 mL, or tube 7 spilt")
    volume = next((parse(w, "volume") for w in rest if re.fullmatch(r"[\d.,]+(mL|ml|L)", w)), None)
    state = next((w.casefold() for w in rest if w.casefold() in ("spilt", "skipped")), "full")
    said = [w for w in rest if not re.fullmatch(r"[\d.,]+(mL|ml|L)", w) and w.casefold() not in ("spilt", "skipped")]
    text = " ".join(said)
    known = named(run.procedure.substances, text)
    payload = built(
        TubesFilled,
        step=step_here(run, step, (ELUTE,), "eluted"),
        first=first,
        last=last,
        volume=volume,
        state=state,
        eluent=known.name if known else "",
        colour="" if known else text,
    )
    return Understood(payload, f"*{describe(payload)}*")


def _spots(words: list[str], run: Run, step: str) -> Understood:
    first, last, rest = _range(words, "spots 4-8 ferrocene 3, or spots 9 none")
    strength = 3
    if rest and rest[-1] in "01234":
        strength, rest = int(rest[-1]), rest[:-1]
    elif rest and rest[-1].casefold() in STRENGTHS.values():
        strength = next(key for key, word in STRENGTHS.items() if word == rest[-1].casefold())
        rest = rest[:-1]
    text = " ".join(rest)
    known = next(
        (c.name for c in run.procedure.components if c.name.casefold().startswith(text.casefold()) and text), text
    )
    payload = built(
        TubesSpotted,
        step=step_here(run, step, ("fraction plate", ELUTE), "spotted"),
        first=first,
        last=last,
        compound=known,
        strength=strength,
    )
    return Understood(payload, f"*{describe(payload)}*")


def _pool(words: list[str], run: Run, step: str) -> Understood:
    name_first = re.fullmatch(r"(\d{1,2})\s+(\d{1,3}\s*-\s*\d{1,3})(?:\s.*)?", " ".join(words))
    if name_first is not None:
        raise NotSure(
            f"Is {name_first[2]} the tubes and {name_first[1]} the pool?",
            [f"pool {name_first[2]} pool {name_first[1]}"],
        )
    first, last, rest = _range(words, "pool 4-8 pool A")
    without: list[int] = []
    if "without" in [w.casefold() for w in rest]:
        at = [w.casefold() for w in rest].index("without")
        without = [int(n) for n in re.findall(r"\d+", " ".join(rest[at + 1 :]))]
        rest = rest[:at]
    name = " ".join(rest)
    here = step_here(run, step, ("pool",), "pooled")
    at_step = run.procedure.step(here)
    portion = next((given for given in (at_step.gives if at_step else ()) if same(given, name)), name)
    if not portion:
        raise Unreadable("Enter a name for the pool, for example: pool 4-8 pool A.")
    payload = built(Pooled, step=here, first=first, last=last, portion=portion, without=tuple(without))
    return Understood(payload, f"*{describe(payload)}*")


def _column(words: list[str], run: Run, step: str) -> Understood:
    if len(words) < 2:
        raise Unreadable("Enter the width and the height, for example: column 20 mm 150 mm.")
    bore, bed = (parse(word, "length", field_unit="mm") for word in words[:2])
    payload = built(ColumnPacked, step=step_here(run, step, ("pack column", ELUTE), "packed"), bore=bore, bed=bed)
    return Understood(payload, f"*{describe(payload)}*")


def _head(words: list[str], run: Run, step: str) -> Understood:
    said = " ".join(words).casefold()
    above = next((parse(w, "length", field_unit="mm") for w in words if re.match(r"[\d.,]", w)), None)
    payload = built(
        LevelSeen,
        step=step_here(run, step, (ELUTE, "load column", "pack column"), "eluted"),
        above=above,
        dry="dry" in said,
        bubbles="bubble" in said,
    )
    return Understood(payload, f"*{describe(payload)}*")


TECHNIQUE = Technique(
    key="column",
    title="Column",
    step_kinds=STEP_KINDS,
    payloads=(ColumnPacked, TubesFilled, TubesSpotted, Pooled, LevelSeen),
    checks=CHECKS,
    describe=describe,
    figures=figures,
    rules=(check_run_columns,),
    causes=(stayed_on_column, silica_in_it),
    plan_rules=(check_plan_columns,),
    commands={"tubes": _fill, "tube": _fill, "spots": _spots, "pool": _pool, "column": _column, "head": _head},
)
