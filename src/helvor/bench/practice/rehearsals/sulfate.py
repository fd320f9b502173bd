"""Sulfate in garden salt: two determinations as barium sulfate, on papers that were weighed air-dry.

24.1 % of the salt is sulfate. What is done is done to A and B alike; what scatters, scatters for each.
"""

from __future__ import annotations

from collections.abc import Generator, Mapping
from dataclasses import dataclass

from helvor.bench.filtration.wash import left_after
from helvor.bench.formula import molar_mass
from helvor.bench.practice.rehearsal import Bench, Decision, Product, Scene, Story, Telling
from helvor.bench.practice.rehearsals.parts import decide, weigh_dry, weighings
from helvor.bench.practice.virtual_filter import dried, filtered

SULFATE, BESIDE, WATER = "sulfate {}, as barium sulfate", "salts beside it", "water"
CONTENT = 0.241
PAPER, MOIST = 0.845, 0.038
"""g of an air-dry paper, and of the water that it holds. Common practice."""
WIDE = 50.0
"""Working circle of a folded paper of 110 mm, mm."""
MOLAR = 0.25
"""Of the barium chloride, mol/L."""
LETTERS = ("A", "B")
PRODUCTS = {x: Product(f"paper {x}", SULFATE.format(x), f"barium sulfate {x}") for x in LETTERS}
FILTRATE = "the filtrates"


@dataclass(frozen=True, slots=True)
class Papers:
    """True dry masses of paper A, B and of the blank, g; whether there is a blank."""

    dry: Mapping[str, float]
    blank: bool


def _scene(bench: Bench, looks: str) -> None:
    solid = bench.at(PRODUCTS["A"].place, SULFATE.format("A")) + bench.at("beaker A", SULFATE.format("A"))
    bench.scene = Scene("beaker", {"water": 60.0 if looks != "dry" else 0.0, "grams": solid}, {"looks": looks})


def tell(bench: Bench) -> Telling:
    """Two determinations, as :class:`helvor.bench.practice.rehearsal.Story` asks for them."""
    papers = yield from _papers(bench)
    yield from _barium(bench)
    grains = yield from _digest(bench)
    yield from _filter(bench, grains)
    yield from _wash(bench)
    yield from _dry(bench, papers)


def _papers(bench: Bench) -> Generator[Decision, str, Papers]:
    dry = {x: bench.scattered(f"paper {x}", PAPER, 0.006) - MOIST for x in (*LETTERS, "blank")}
    for step, x in enumerate(LETTERS, 1):
        bench.bring(PRODUCTS[x].place, WATER, MOIST)
        bench.type(f"{step}: paper {x} airdry {bench.weigh(f'paper {x}', dry[x] + MOIST)}", f"done {step}")
    bench.minutes = 8
    bench.say("note", "Two papers, weighed as they lie in the air: they hold some water of their own.")
    _scene(bench, "clear")
    choice = yield decide(
        "blank",
        3,
        "In the oven the papers lose their water. How will you know how much?",
        "blank",
        blank="weigh a third one, the blank, and let it go the same way",
        none="it is little: no blank",
    )
    if choice == "blank":
        bench.type(f"3: blank paper airdry {bench.weigh('blank', dry['blank'] + MOIST)}", "done 3")
    else:
        bench.type("skip 3 no blank")
    bottle = 12.4
    for step, x in ((4, "A"), (5, "B")):
        salt = round(bench.scattered(f"salt {x}", 0.505, 0.01), 3)
        could = salt * CONTENT / molar_mass("SO4") * molar_mass("BaSO4")
        bench.bring(f"still dissolved {x}", SULFATE.format(x), could)
        bench.bring(f"still dissolved {x}", BESIDE, salt)
        bench.type(f"{step}: take garden salt {x} {bottle:.3f} to {bottle - salt:.3f}")
        bench.type(f"{step}: take water {x} 100 mL",
                   f"{step}: take dilute acid {x} 1.0 mL", f"done {step}")  # fmt: skip
        bottle = round(bottle - salt, 3)
    bench.minutes += 22
    return Papers(dry, choice == "blank")


def _barium(bench: Bench) -> Telling:
    choice = yield decide(
        "barium",
        6,
        "Barium chloride of 0.25 mol/L goes into the solution. How?",
        "drops",
        drops="12 mL by drops into the hot solution, swirling",
        cold="12 mL at once, cold",
        little="3.5 mL by drops into the hot solution",
    )
    ml = 3.5 if choice == "little" else 12.0
    for step, x in ((6, "A"), (7, "B")):
        source = f"still dissolved {x}"
        could = bench.at(source, SULFATE.format(x))
        bench.move(source, f"beaker {x}", SULFATE.format(x), min(could, ml * MOLAR / 1000 * molar_mass("BaSO4")))
        left = bench.at(source, SULFATE.format(x))
        bench.type(f"{step}: take barium chloride {x} {ml:.1f} mL", f"{step}: check all",
                   f"{step}: tried {'failed' if left > 0.001 else 'no new cloud'}", f"done {step}")  # fmt: skip
    bench.minutes += 20 if choice != "cold" else 5
    left = bench.at("still dissolved A", SULFATE.format("A"))
    working = f"{ml:g} mL × {MOLAR} mol/L = {ml * MOLAR:.2f} mmol of barium"
    if left > 0.001:
        bench.say("caution", "One more drop clouds the clear top: there is sulfate left.", working)
    else:
        bench.say("good", "One more drop on the clear top: no new cloud.", working)
    bench.scene = Scene("beaker", {"water": 115.0, "grams": 0.3}, {"looks": "milk", "grains": choice})


def _digest(bench: Bench) -> Generator[Decision, str, str]:
    cold = bench.scene.words.get("grains") == "cold"
    choice = yield decide(
        "digest",
        8,
        "It stands there, milky. Before it is filtered?",
        "hot",
        hot="let it stand hot and covered for an hour",
        none="filter at once",
    )
    bench.type(*(["done 8", "done 9"] if choice == "hot" else ["skip 8 no time", "skip 9 no time"]))
    bench.minutes += 60 if choice == "hot" else 0
    if choice == "none" or cold:
        bench.say("caution", "The grains are as fine as smoke: the top stays milky.")
    else:
        bench.say("good", "The grains lie at the bottom, the top is clear.")
    _scene(bench, "settled" if choice == "hot" and not cold else "milk")
    return "fine" if choice == "hot" and not cold else "gel"


def _filter(bench: Bench, grains: str) -> Telling:
    choice = yield decide(
        "paper",
        10,
        "Which paper is it that you weighed?",
        "slow",
        slow="the slow one, for fine grains",
        fast="the fast one: the day is short",
    )
    passed, keeps, took = {}, {}, 0.0
    for x in LETTERS:
        there = bench.at(f"beaker {x}", SULFATE.format(x))
        ran = filtered(123, there, grains, how="gravity", paper=choice, diameter=WIDE)
        passed[x], keeps[x], took = ran.passed, max(ran.keeps, 1.2), ran.minutes
    choice = "clear"
    if max(passed.values()) > 0.001:
        bench.say("caution", "The filtrate is cloudy.")
        bench.scene = Scene("beaker", {"water": 123.0, "grams": 0.0}, {"looks": "milk"})
        choice = yield decide(
            "cloudy",
            10,
            "What do you do with the cloudy filtrate?",
            "back",
            back="pour it back onto the same paper: the cake holds it now",
            accept="go on; it is little",
        )
        took *= 2 if choice == "back" else 1
    for step, x in ((10, "A"), (11, "B")):
        through = passed[x] * (0.1 if choice == "back" else 1.0)
        bench.move(f"beaker {x}", FILTRATE, SULFATE.format(x), through)
        bench.move(
            f"beaker {x}", PRODUCTS[x].place, SULFATE.format(x), 0.995 * bench.at(f"beaker {x}", SULFATE.format(x))
        )
        # What wets the cake is liquor, with its salts.
        bench.move(
            f"still dissolved {x}", PRODUCTS[x].place, BESIDE, keeps[x] / 113 * bench.at(f"still dissolved {x}", BESIDE)
        )
        bench.share(f"still dissolved {x}", FILTRATE, 1.0)
        bench.bring(PRODUCTS[x].place, WATER, keeps[x])
        words = {
            "clear": ["filtrate clear"],
            "back": ["filtrate cloudy again", "filtrate clear"],
            "accept": ["filtrate cloudy accepted"],
        }
        bench.type(f"{step}: check all", f"{step}: pour 113 mL", f"{step}: pour 10 mL rinse",
                   *(f"{step}: {one}" for one in words[choice]), f"done {step}")  # fmt: skip
    bench.minutes += min(took, 240) + 15
    lost = max(passed.values()) * (0.1 if choice == "back" else 1.0)
    bench.say("good" if lost < 0.001 else "caution", f"{1000 * lost:.1f} mg ran through; it took {took:.0f} minutes.")
    bench.scene = Scene("cake", {"grams": bench.at(PRODUCTS["A"].place, SULFATE.format("A")), "liquor": 123.0}, {})


def _wash(bench: Bench) -> Telling:
    choice = yield decide(
        "wash",
        12,
        "Barium and chloride cling to the cake. Wash it?",
        "five",
        five="five small portions of 5 mL, hot",
        one="25 mL at once, hot",
        none="not at all",
    )
    times, each = {"five": (5, 5.0), "one": (1, 25.0), "none": (0, 0.0)}[choice]
    for step, x in ((12, "A"), (13, "B")):
        place = PRODUCTS[x].place
        behind = bench.at(place, WATER) - MOIST
        left = left_after(times, each, behind) if times else 1.0
        bench.move(place, FILTRATE, BESIDE, (1 - left) * bench.at(place, BESIDE))
        bench.move(place, FILTRATE, SULFATE.format(x), 2.5e-6 * times * each)
        if times:
            bench.bring(FILTRATE, WATER, times * each)
            bench.type(f"{step}: wash hot wash water {x} {times} x {each:g} mL hot", f"done {step}")
        else:
            bench.type(f"skip {step} not washed")
    bench.minutes += {"five": 24, "one": 8, "none": 0}[choice]
    beside = bench.at(PRODUCTS["A"].place, BESIDE)
    level = "good" if beside < 0.001 else "caution"
    bench.say(level, f"{1000 * beside:.1f} mg of other salts stay with the sulfate.")


def _dry(bench: Bench, papers: Papers) -> Telling:
    choice = yield decide(
        "dry",
        14,
        "Papers and blank go into the oven at 105 °C. How long?",
        "hour",
        hour="an hour",
        short="fifteen minutes",
    )
    time = 60.0 if choice == "hour" else 15.0
    for x in LETTERS:
        place = PRODUCTS[x].place
        bench.move(place, "the air", WATER, bench.at(place, WATER) - dried(bench.at(place, WATER), "oven 110", time))
    bench.type(*(f"done {step}" for step in range(14, 18)))
    bench.minutes += time + 15
    bench.scene = Scene(
        "dish", {"grams": bench.at(PRODUCTS["A"].place), "water": bench.at(PRODUCTS["A"].place, WATER)}, {}
    )
    how = yield weighings("weigh", 18, "paper and sulfate")
    for step, x in ((18, "A"), (19, "B")):
        weigh_dry(bench, PRODUCTS[x], step, f"paper {x}", papers.dry[x], how)
    corrected = False
    if papers.blank:
        again = yield decide(
            "again",
            20,
            "The blank comes from the oven, too.",
            "weigh",
            weigh="weigh it again, as it comes",
            leave="it has no sulfate on it: put it away",
        )
        corrected = again == "weigh"
    if corrected:
        bench.type(f"20: blank paper airdry {bench.weigh('blank again', papers.dry['blank'])}", "done 20")
        bench.say("good", f"The blank lost {1000 * MOIST:.0f} mg: so much each paper lost, too.")
    else:
        bench.type("skip 20 no blank" if not papers.blank else "skip 20 forgotten")
        for x in LETTERS:
            bench.weighed[PRODUCTS[x].portion] -= MOIST
        bench.say("caution", "Each paper lost water of its own in the oven: so much is missing from both results.")
    bench.type("done 21")


SULFATES = Story(
    "sulfate", "sulfate-in-garden-salt", "Sulfate in garden salt", "digesting, filtering, washing, a blank paper",
    "Half a gram of a garden salt, twice: how much of it is sulfate?",
    tell, (PRODUCTS["A"], PRODUCTS["B"]), (WATER,),
)  # fmt: skip
