"""Acetanilide made clean: how much water, charcoal, a hot filter, cooling, washing, drying.

Crude: 93 % acetanilide, 5 % of something brown that dissolves, 2 % dirt that does not. Its solubility in water is that
of the procedure (5.55 g in 100 mL at 100 °C, 0.56 at 25 °C).
"""

from __future__ import annotations

from collections.abc import Generator

from helvor.core.laws.crystallization.solubility import Curve, Point
from helvor.core.laws.filtration.wash import left_after
from helvor.core.practice.rehearsal import Bench, Decision, Product, Scene, Story, Telling
from helvor.core.practice.rehearsals.parts import decide, weigh_dry, weighings
from helvor.core.practice.virtual_crystals import HOLDS, Grown, cool, dissolve, melts, on_hot_paper, wash
from helvor.core.practice.virtual_filter import dried
from helvor.core.quantities.reading import round_to

CURVE = Curve((Point(25, 0.56), Point(80, 3.45), Point(100, 5.55)))
PURE, BROWN, DIRT, COAL, WATER = "acetanilide", "brown impurity", "dirt", "charcoal", "water"
WETS = 1.5
"""mL that a fluted paper holds. Common practice."""
MELTS, FUSION = 114.3, 21.7
"""°C and kJ/mol, of acetanilide; from memory."""
OILS = 83.0
"""°C at which acetanilide melts under water. From memory."""
CHARCOAL_TAKES = 0.75
"""Part of the brown that 1 to 2 % charcoal take. Common practice."""
PRODUCT = Product("the dish", PURE, "acetanilide, dry")
FLASK, ADSORBED, PAPER, LIQUOR, CAKE = "the flask", "on the charcoal", "the hot paper", "the mother liquor", "the cake"


def _flask(bench: Bench, looks: str, volume: float, celsius: float, crystals: float = 0.0) -> None:
    bench.scene = Scene(
        "flask",
        {"volume": volume, "celsius": celsius, "crystals": crystals, "brown": bench.at(FLASK, BROWN)},
        {"looks": looks},
    )


def tell(bench: Bench) -> Telling:
    """A morning with acetanilide, as :class:`helvor.core.practice.rehearsal.Story` asks for it."""
    tare = _begin(bench)
    volume = yield from _dissolve(bench)
    volume = yield from _charcoal(bench, volume)
    volume = yield from _hot_filter(bench, volume)
    along = yield from _cool(bench, volume)
    yield from _collect(bench)
    yield from _wash(bench, along)
    yield from _dry(bench, tare)


Stage = Generator[Decision, str, float]


def _begin(bench: Bench) -> float:
    tare = bench.scattered("dish", 28.4, 0.02)
    taken = round(bench.scattered("taken", 2.0), 3)
    bench.bring(FLASK, PURE, 0.93 * taken)
    bench.bring(FLASK, BROWN, 0.05 * taken)
    bench.bring(FLASK, DIRT, 0.02 * taken)
    bench.type(f"1: dish {bench.weigh('dish', tare)}", "done 1", f"2: take crude acetanilide {taken:.3f} g", "done 2")
    low, high = melts(MELTS, FUSION, 0.05)
    bench.type(f"3: melts crude {low:.1f}-{high:.1f} 1/min", "done 3")
    bench.say("note", f"{taken:.3f} g of brownish grains; they melt from {low:.1f} to {high:.1f} °C.")
    bench.minutes = 16
    _flask(bench, "solid", 0, 22)
    return tare


def _dissolve(bench: Bench) -> Stage:
    choice = yield decide(
        "water",
        4,
        "How much boiling water do you add to the grains?",
        "least",
        little="20 mL, and no more",
        least="in portions, each boiled, until it is just clear",
        plenty="90 mL at once, to be safe",
    )
    least = 100 * bench.at(FLASK, PURE) / CURVE.at(100)
    volume = {"little": 20.0, "least": 1.06 * least, "plenty": 90.0}[choice]
    portions = {"little": [20.0], "least": [20.0, volume - 20.0], "plenty": [90.0]}[choice]
    bench.bring(FLASK, WATER, volume)
    hot = dissolve(bench.at(FLASK, PURE), volume, CURVE, 100)
    bench.type("4: check all", *(f"4: solvent {ml:.0f} mL" for ml in portions))
    bench.minutes += 10
    if hot.solid > 0.01:
        bench.say(
            "caution",
            f"{hot.solid:.2f} g stay undissolved, however long you boil it.",
            f"5.55 g in 100 mL × {volume:.0f} mL = {hot.dissolved:.2f} g",
        )
    elif choice == "plenty":
        bench.say(
            "note",
            "Clear at once, with more than twice the water needed.",
            f"least: {bench.at(FLASK, PURE):.2f} g ÷ 5.55 g × 100 mL = {least:.0f} mL",
        )
    else:
        bench.say("good", f"Just clear, with {volume:.0f} mL.")
    _flask(bench, "brown", volume, 100)
    return volume


def _charcoal(bench: Bench, volume: float) -> Stage:
    choice = yield decide(
        "charcoal",
        4,
        "The solution is brown. Charcoal?",
        "cooler",
        none="none",
        cooler="a little, off the heat and somewhat cooler, then boil again",
        boiling="a little, into the boiling liquid",
    )
    if choice == "none":
        bench.say("note", "It stays brown.")
    else:
        bench.bring(FLASK, COAL, 0.03)
        bench.move(FLASK, ADSORBED, BROWN, CHARCOAL_TAKES * bench.at(FLASK, BROWN))
        bench.move(FLASK, ADSORBED, PURE, 0.01)
        bench.type("4: take charcoal 0.03 g")
        bench.minutes += 5
    if choice == "boiling":
        bench.share(FLASK, "boiled over", 0.22)
        volume *= 0.78
        bench.danger("It foamed over, boiling, onto the hotplate: a fifth is lost, and somebody could be scalded.")
    elif choice == "cooler":
        bench.say("good", "It is black now; it will be pale once the charcoal is filtered off.")
    bench.type("done 4")
    return volume


def _hot_filter(bench: Bench, volume: float) -> Stage:
    choice = yield decide(
        "hot",
        5,
        "Hot filtration: how?",
        "warm",
        warm="a fifth more water, boil; fluted paper, warm stemless funnel; rinse with a little boiling water",
        bare="through a cold funnel, as it is",
        skip="not at all",
    )
    rinse = 0.0
    if choice == "warm":
        extra, rinse = 0.2 * volume, 4.0
        bench.bring(FLASK, WATER, extra + rinse)
        bench.type(f"4: solvent {extra:.0f} mL extra", "4: solvent 4 mL rinse")
        volume += extra
    hot = dissolve(bench.at(FLASK, PURE), volume, CURVE, 100)
    if choice == "skip":
        bench.type("skip 5 not filtered hot")
        coal = " The charcoal stays too." if bench.at(FLASK, COAL) else ""
        bench.say("caution", f"The insoluble dirt stays with the crystals.{coal}")
    else:
        came = on_hot_paper(hot, CURVE, 98, "warm" if choice == "warm" else "cold")
        bench.move(FLASK, PAPER, PURE, hot.solid + came * (0.4 if rinse else 1.0))
        for one in (DIRT, COAL):
            bench.move(FLASK, PAPER, one, bench.at(FLASK, one))
        bench.share(ADSORBED, PAPER, 1.0)
        # What wets the paper stays there; rinsed, it is mostly taken along.
        wet = left_after(1, rinse, WETS) if rinse else 1.0
        bench.share(FLASK, PAPER, WETS / volume * wet)
        bench.type("5: check all", "done 5")
        lost = bench.at(PAPER, PURE)
        clogged = " The stem clogged with needles." if choice == "bare" and came > 0.05 else ""
        level = "caution" if lost > 0.1 else "good"
        bench.say(level, f"{1000 * lost:.0f} mg of acetanilide are on the paper.{clogged}")
    bench.minutes += 11
    volume += rinse
    _flask(bench, "clear" if choice != "skip" else "brown", volume, 92)
    return volume


def _cool(bench: Bench, volume: float) -> Stage:
    choice = yield decide(
        "cool",
        6,
        "The solution is hot. How do you cool it?",
        "slowly",
        slowly="covered, left alone until lukewarm, then into ice with water",
        at_once="into ice at once",
        room="left on the bench, no ice",
    )
    cold = 22.0 if choice == "room" else 2.0
    bench.minutes += {"slowly": 45, "at-once": 12, "room": 50}[choice]
    bench.type(
        "6: check all",
        *{
            "slowly": ("6: temp 60", "6: temp 25 into ice", "6: temp 2"),
            "at-once": ("6: temp 90 into ice", "6: temp 2"),
            "room": ("6: temp 22",),
        }[choice],
    )
    hot = dissolve(bench.at(FLASK, PURE), volume, CURVE, 100)
    grown = cool(hot.dissolved, volume, CURVE, cold, fast=choice == "at-once", oils_above=OILS)
    if grown.how == "oil":
        _flask(bench, "oil", volume, cold, grown.crystals)
        grown = yield from _oil(bench, volume, grown)
    elif grown.crystals < 0.02:
        bench.type("6: crystals no")
        bench.say("caution", "Almost no crystals: there is too much water.")
    else:
        bench.type("6: crystals yes")
        words = "Long needles" if grown.how == "slow" else "A fine powder at once"
        bench.say(
            "good" if grown.how == "slow" else "note",
            f"{words}: {grown.crystals:.2f} g crystallized.",
            f"{round_to(CURVE.at(cold), 2)} g in 100 mL stay × {volume:.0f} mL = {grown.liquor:.2f} g",
        )
    bench.type("done 6")
    bench.move(FLASK, CAKE, PURE, hot.solid + grown.crystals)
    bench.move(FLASK, CAKE, BROWN, grown.along * bench.at(FLASK, BROWN))
    for one in (DIRT, COAL):
        bench.move(FLASK, CAKE, one, bench.at(FLASK, one))
    bench.share(ADSORBED, CAKE, 1.0)  # where nothing was filtered hot, the charcoal goes on with what it holds
    _flask(bench, "oil" if grown.how == "oil" else "crystals", volume, cold, grown.crystals)
    return bench.at(CAKE, BROWN)


def _oil(bench: Bench, volume: float, oil: Grown) -> Generator[Decision, str, Grown]:
    bench.say("caution", "Milky, then drops on the bottom: it separated above 83 °C, where it melts under water.")
    choice = yield decide(
        "oil",
        6,
        "An oil formed. What now?",
        "again",
        again="warm until clear, cool slowly, seed with a few grains",
        go_on="let it set in the ice and filter it",
    )
    bench.type("6: crystals oil")
    if choice == "go-on":
        bench.say("caution", "A brown cake, with the impurity in it.")
        return oil
    bench.type("6: crystals yes")
    bench.minutes += 45
    bench.say("good", "Long clear needles.")
    return cool(oil.crystals + oil.liquor, volume, CURVE, 2.0, fast=False, oils_above=OILS)


def _collect(bench: Bench) -> Telling:
    choice = yield decide(
        "collect",
        7,
        "Crystals stick in the flask when you pour. What do you rinse it with?",
        "liquor",
        liquor="with its own cold mother liquor, poured back",
        water="with 25 mL of water from the tap",
        nothing="with nothing",
    )
    if choice == "nothing":
        stuck = 0.07 * bench.at(CAKE, PURE)
        bench.move(CAKE, "stuck in the flask", PURE, stuck)
        bench.say("caution", f"{1000 * stuck:.0f} mg stay in the flask.")
    elif choice == "water":
        gone = min(CURVE.at(18) * 25 / 100, bench.at(CAKE, PURE))
        bench.move(CAKE, LIQUOR, PURE, gone)
        bench.bring(FLASK, WATER, 25.0)
        working = f"{round_to(CURVE.at(18), 2)} g in 100 mL × 25 mL"
        bench.say("caution", f"The tap water dissolved {1000 * gone:.0f} mg.", working)
    else:
        bench.say("good", "All of it is on the paper.")
    clings = min(HOLDS * bench.at(CAKE, PURE) / max(bench.at(FLASK, WATER), 1.0), 1.0)
    bench.share(FLASK, LIQUOR, 1 - clings)
    bench.share(FLASK, CAKE, 1.0)  # what clings to the cake is liquor, too
    bench.type("7: check all", "done 7")
    bench.minutes += 12
    bench.scene = Scene("cake", {"grams": bench.at(CAKE, PURE), "liquor": bench.at(LIQUOR, WATER)}, {})


def _wash(bench: Bench, enclosed: float) -> Telling:
    choice = yield decide(
        "wash",
        8,
        "The cake is on the funnel. Wash it?",
        "cold",
        none="not at all",
        cold="twice, with 2.5 mL ice-cold water, vacuum off",
        much="with 30 mL at room temperature",
    )
    times, each, celsius = {"none": (0, 0.0, 2.0), "cold": (2, 2.5, 2.0), "much": (1, 30.0, 22.0)}[choice]
    rinsed = wash(bench.at(CAKE, PURE), times, each, CURVE.at(celsius))
    bench.move(CAKE, LIQUOR, PURE, rinsed.dissolved)
    bench.move(CAKE, LIQUOR, BROWN, (bench.at(CAKE, BROWN) - enclosed) * (1 - rinsed.clinging))
    if times:
        bench.bring(LIQUOR, WATER, times * each)
        bench.type(f"8: wash ice-cold water {times} x {each:g} mL{' cold' if choice == 'cold' else ''}", "done 8")
    else:
        bench.type("skip 8 not washed")
        bench.say("caution", "Brown mother liquor stays between the crystals.")
    if choice == "much":
        working = f"{round_to(CURVE.at(22), 2)} g in 100 mL × 30 mL"
        bench.say("caution", f"The wash dissolved {1000 * rinsed.dissolved:.0f} mg of the product.", working)
    elif choice == "cold":
        bench.say("good", f"The cake is pale; the washes took {1000 * rinsed.dissolved:.0f} mg.")
    bench.share(CAKE, PRODUCT.place, 0.985)
    bench.share(CAKE, "paper and spatula", 1.0)
    bench.type("done 9")
    _dish(bench)


def _dish(bench: Bench) -> None:
    bench.scene = Scene("dish", {"grams": bench.at(PRODUCT.place), "water": bench.at(PRODUCT.place, WATER)}, {})


def _dry(bench: Bench, tare: float) -> Telling:
    choice = yield decide(
        "dry",
        10,
        "How do you dry the wet crystals on the tared dish?",
        "oven",
        oven="in the oven at 60 °C, 30 minutes",
        air="ten minutes on the bench",
        hot="in the oven at 130 °C, to be quick",
    )
    wet = bench.at(PRODUCT.place, WATER)
    left = {"oven": dried(wet, "oven 60", 30), "air": dried(wet, "air", 10), "hot": 0.0}[choice]
    bench.move(PRODUCT.place, "the air", WATER, wet - left)
    bench.type("done 10" if choice != "air" else "skip 10 dried in air", "done 11")
    bench.minutes += {"oven": 30, "air": 10, "hot": 30}[choice]
    if choice == "hot":
        bench.share(PRODUCT.place, "stuck in the oven", 0.12)
        bench.danger("130 °C is above its melting point: it melted, crept over the rim and gave off fumes.")
    _dish(bench)

    how = yield weighings("weigh", 12, "it")
    weigh_dry(bench, PRODUCT, 12, "dish", tare, how)
    whole = bench.at(PRODUCT.place)
    other = bench.at(PRODUCT.place, BROWN) + 0.5 * bench.at(PRODUCT.place, WATER)
    low, high = melts(MELTS, FUSION, min(other / whole, 0.3) if whole > 0 else 0.0)
    bench.type("13: check all", f"13: melts acetanilide, dry {low:.1f}-{high:.1f} 1/min", "done 13")
    bench.minutes += 10
    level = "good" if high - low < 2 and high > MELTS - 1.5 else "caution"
    bench.say(level, f"It melts from {low:.1f} to {high:.1f} °C; acetanilide at 114 °C.")
    _dish(bench)


CRYSTALS = Story(
    "crystals",
    "acetanilide-made-clean",
    "Acetanilide made clean",
    "recrystallization, hot filtration, drying",
    "Turn two grams of crude brown acetanilide into white needles.",
    tell,
    (PRODUCT,),
    (WATER,),
)
