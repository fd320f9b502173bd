"""Colours of iron: packing, loading, stepping the eluent, the head, pooling, evaporating.

100 mg each of ferrocene and acetylferrocene on 13 g of silica; Rf in both eluents as in the procedure.
"""

from __future__ import annotations

from collections.abc import Generator, Mapping

from helvor.core.laws.column.model import Compound
from helvor.core.laws.column.pools import ranges
from helvor.core.practice.rehearsal import Bench, Decision, Product, Scene, Story, Telling
from helvor.core.practice.rehearsals.parts import decide, weigh_dry, weighings
from helvor.core.practice.virtual_column import Run, run
from helvor.core.quantities.reading import round_to

FIRST, SECOND, ELUENT = "ferrocene", "acetylferrocene", "eluent"
RF = {FIRST: (0.55, 0.85), SECOND: (0.02, 0.30)}
WEAK, STRONG = "heptane", "heptane : ethyl acetate 4 : 1"
A, B = Product("flask A", FIRST, "ferrocene, dry"), Product("flask B", SECOND, "acetylferrocene, dry")
COLUMN = "the column"
GOES_OFF = 0.004
"""Part of dry ferrocene that goes off each minute on a bath at 50 °C in the hood. Common practice."""


def tell(bench: Bench) -> Telling:
    """Colours of iron, as :class:`helvor.core.practice.rehearsal.Story` asks for it."""
    flasks = {"A": bench.scattered("flask A", 48.2, 0.01), "B": bench.scattered("flask B", 50.1, 0.01)}
    taken = {name: round(bench.scattered(f"taken {name}", 0.100, 0.02), 3) for name in RF}
    for name, grams in taken.items():
        bench.bring(COLUMN, name, grams)
    for step, (label, grams) in enumerate(flasks.items(), 1):
        bench.type(f"{step}: flask {label} {bench.weigh(f'flask {label}', grams)}", f"done {step}")
    bench.type(*(f"3: take {name} {grams:.3f} g" for name, grams in taken.items()), "done 3")
    bench.say("note", "A tenth of a gram of each, orange and red, dissolved in half a millilitre.")
    bench.minutes = 14
    _column(bench, None)
    packed, sample = yield from _pack(bench)
    ran = yield from _elute(bench, packed, sample)
    yield from _pool(bench, ran)
    yield from _weigh(bench, flasks)


def _column(bench: Bench, ran: Run | None, looks: str = "packed") -> None:
    tubes = tuple((tube[FIRST], tube[SECOND]) for tube in ran.tubes) if ran else ()
    bench.scene = Scene("rack", {"tubes": float(len(tubes))}, {"looks": looks}, tubes)


def _pack(bench: Bench) -> Generator[Decision, str, tuple[str, float]]:
    packed = yield decide(
        "pack",
        4,
        "How do you fill the column with 13 g of silica?",
        "slurry",
        slurry="as a slurry in heptane, tapped, the bubbles pressed out, liquid always over it",
        bubbles="dry, heptane poured on after it",
    )
    bench.type("4: column 15 mm 150 mm", "4: check all", "done 4")
    bench.minutes += 20 if packed == "slurry" else 10
    if packed == "slurry":
        bench.say("good", "An even bed.")
    else:
        bench.say("caution", "The bed has bubbles and channels: bands will be uneven.")
    loaded = yield decide(
        "load",
        5,
        "How do you load the sample?",
        "narrow",
        narrow="liquid down to the silica, sample by pipette on it, down again, then sand and eluent",
        wide="with the column full: into the 6 mL of heptane that stand on it",
    )
    bench.type("5: check all", "done 5")
    bench.minutes += 8
    if loaded == "wide":
        bench.say("caution", "It spread through the liquid on top: the bands start 6 mL wide.")
    else:
        bench.say("good", "A narrow orange band at the top.")
    _column(bench, None, packed)
    return packed, 6.0 if loaded == "wide" else 0.5


def _elute(bench: Bench, packed: str, sample: float) -> Generator[Decision, str, Run]:
    choice = yield decide(
        "eluent",
        6,
        "You collect thirty tubes of 5 mL. Which eluent?",
        "step",
        step="heptane until ferrocene is out, ten tubes; then the 4 : 1 mixture",
        strong="the 4 : 1 mixture from the beginning",
        weak="heptane throughout",
    )
    head = yield decide(
        "head",
        6,
        "The liquid above the bed sinks while you write. What do you do?",
        "refill",
        refill="refill in time",
        dry="keep writing",
    )
    volumes, order = {
        "step": ((50.0, 100.0), (0, 1)),
        "strong": ((150.0,), (1,)),
        "weak": ((150.0,), (0,)),
    }[choice]
    compounds = [Compound(name, 1000 * bench.at(COLUMN, name), tuple(rf[n] for n in order)) for name, rf in RF.items()]
    ran = run(compounds, volumes, bore=15, bed=150, packed="dry" if head == "dry" else packed, sample_ml=sample)
    for number, tube in enumerate(ran.tubes, 1):
        for name, mg in tube.items():
            bench.move(COLUMN, f"tube {number}", name, mg / 1000)
    bench.type(
        "6: check all",
        *{
            "step": (f"6: tubes 1-10 5 mL {WEAK}", f"6: tubes 11-30 5 mL {STRONG}"),
            "strong": (f"6: tubes 1-30 5 mL {STRONG}",),
            "weak": (f"6: tubes 1-30 5 mL {WEAK}",),
        }[choice],
        *(("6: head dry",) if head == "dry" else ()),
        "done 6",
        "7: spots 1-30",
    )
    for number, spots in enumerate(ran.seen, 1):
        bench.type(*(f"7: spots {number} {name} {one}" for name, one in spots.items() if one))
    bench.type("done 7")
    bench.minutes += 60
    if head == "dry":
        bench.say("stop", "Air got into the bed and it cracked: the later bands are uneven and late.")
    for name in RF:
        on = bench.at(COLUMN, name)
        level = "good" if on < 0.05 * bench.brought[name] else "caution"
        strong = [n for n, spots in enumerate(ran.seen, 1) if spots[name]]
        where = f"in tubes {strong[0]} to {strong[-1]}" if strong else "in no tube"
        bench.say(level, f"{name.capitalize()} is {where}; {1000 * on:.0f} mg are on the silica.")
    _column(bench, ran, "dry" if head == "dry" else packed)
    return ran


def _pools(ran: Run, how: str) -> dict[str, list[int]]:
    """Tubes of each pool: *apart* those with the single spot, *rich* of these the clear ones, *all* by the stronger."""
    if how == "all":
        main = [max(spots, key=lambda name: spots[name]) if any(spots.values()) else "" for spots in ran.seen]
        return {name: [n for n, one in enumerate(main, 1) if one == name] for name in RF}
    least = 3 if how == "rich" else 1
    return {name: [n for n in ran.pure(name) if ran.seen[n - 1][name] >= least] for name in RF}


def _pool(bench: Bench, ran: Run) -> Telling:
    choice = yield decide(
        "pool",
        8,
        "The plate of the tubes is dry. Which tubes do you pool?",
        "apart",
        apart="tubes with the same single spot; mixed ones stay apart",
        all="each tube by its stronger spot, so that nothing is lost",
        rich="only tubes with a clear or strong single spot",
    )
    pools = _pools(ran, choice)
    for product, label in ((A, "pool A"), (B, "pool B")):
        numbers = pools[product.component]
        for number in numbers:
            bench.share(f"tube {number}", product.place, 0.995)
        for first, last in ranges(numbers):
            bench.type(f"8: pool {first}-{last} {label}" if last > first else f"8: pool {first} {label}")
    bench.type("done 8")
    bench.minutes += 8
    for number in range(1, len(ran.tubes) + 1):
        bench.share(f"tube {number}", "the other tubes", 1.0)
    for product in (A, B):
        there = bench.at(product.place)
        if there < 1e-6:
            bench.say("caution", f"{product.place.replace('flask', 'Flask')} stays empty.")
            continue
        pure = bench.at(product.place, product.component) / there
        says = f"{1000 * there:.0f} mg, {round_to(100 * pure, 1)} % {product.component}"
        bench.say("good" if pure > 0.98 else "caution", f"{product.place.replace('flask', 'Flask')}: {says}.")
    bench.scene = Scene("rack", bench.scene.numbers, {"looks": "pooled"}, bench.scene.series)


def _weigh(bench: Bench, flasks: Mapping[str, float]) -> Telling:
    choice = yield decide(
        "evaporate",
        9,
        "The pools are evaporated in the hood, bath at 50 °C. When do you stop?",
        "dry",
        dry="when they are dry",
        long="half an hour later, to be safe",
    )
    if choice == "long":
        gone = bench.at(A.place, FIRST) * min(30 * GOES_OFF, 1)
        bench.move(A.place, "the air", FIRST, gone)
        bench.say("caution", f"Ferrocene is lost with the vapour: {1000 * gone:.0f} mg.")
    for product in (A, B):
        bench.bring(product.place, ELUENT, 0.03 if bench.at(product.place) > 1e-6 else 0.0)
        bench.move(
            product.place, "the air", ELUENT, bench.at(product.place, ELUENT) * (0.97 if choice == "long" else 0.8)
        )
    bench.type("done 9", "done 10", "done 11", "done 12")
    bench.minutes += 26 + (30 if choice == "long" else 0)
    how = yield weighings("weigh", 13, "the flasks")
    for product, step, label in ((A, 13, "A"), (B, 14, "B")):
        if bench.at(product.place, product.component) > 1e-6:
            weigh_dry(bench, product, step, f"flask {label}", flasks[label], how, ELUENT)
    bench.scene = Scene("dish", {"grams": bench.at(A.place), "water": 0.0}, {})


IRON = Story(
    "iron",
    "colours-of-iron",
    "Colours of iron",
    "column chromatography, pooling, evaporating",
    "Separate orange ferrocene and red acetylferrocene on one column.",
    tell,
    (A, B),
    (ELUENT,),
)
