"""Sulfate in garden salt: two determinations as barium sulfate, on papers that were weighed air-dry.

24.1 % of the salt is sulfate, counted as its barium sulfate, dissolved or not; all that stands beside it, as what it
weighs. What is done is done to A and B alike; what scatters, scatters for each.
"""

from __future__ import annotations

from collections.abc import Generator, Mapping
from dataclasses import dataclass

from helvor.core.laws.filtration.wash import left_after
from helvor.core.practice.rehearsal import Bench, Decision, Product, Scene, Story, Telling
from helvor.core.practice.rehearsals.parts import decide, weigh_dry, weighings
from helvor.core.practice.virtual_filter import Filtered, dried, filtered
from helvor.core.quantities.formula import molar_mass

SULFATE, BESIDE, WATER = "sulfate {}, as barium sulfate", "salts beside it", "water"
CONTENT = 0.241
PAPER, MOIST = 0.845, 0.038
"""g of an air-dry paper, and of the water that it holds. Common practice."""
WIDE = 50.0
"""Working circle of a folded paper of 110 mm, mm."""
PAPER_HOLDS = 1.2
"""mL that a wet paper and its cake keep at least. Common practice."""
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
    """Two determinations, as :class:`helvor.core.practice.rehearsal.Story` asks for them."""
    papers = yield from _papers(bench)
    volume = yield from _barium(bench)
    grains = yield from _digest(bench)
    yield from _filter(bench, grains, volume)
    yield from _wash(bench)
    yield from _dry(bench, papers)


def _papers(bench: Bench) -> Generator[Decision, str, Papers]:
    dry = {x: bench.scattered(f"paper {x}", PAPER, 0.006) - MOIST for x in (*LETTERS, "blank")}
    for step, x in enumerate(LETTERS, 1):
        bench.bring(PRODUCTS[x].place, WATER, MOIST)
        bench.type(f"{step}: paper {x} airdry {bench.weigh(f'paper {x}', dry[x] + MOIST)}", f"done {step}")
    bench.minutes = 8
    bench.say("note", "You weighed two air-dry papers: they contain some water.")
    _scene(bench, "clear")
    choice = yield decide(
        "blank",
        3,
        "The papers lose water in the oven. How will you find out how much?",
        "blank",
        blank="weigh a third paper, the blank, and treat it the same way",
        none="skip the blank: it is little",
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
        bench.bring(f"still dissolved {x}", BESIDE, (1 - CONTENT) * salt)
        bench.type(f"{step}: take garden salt {x} {bottle:.3f} to {bottle - salt:.3f}")
        bench.type(f"{step}: take water {x} 100 mL", f"{step}: take dilute acid {x} 1.0 mL", f"done {step}")
        bottle = round(bottle - salt, 3)
    bench.minutes += 22
    return Papers(dry, choice == "blank")


def _barium(bench: Bench) -> Generator[Decision, str, float]:
    """The barium chloride; mL that the beaker then holds."""
    choice = yield decide(
        "barium",
        6,
        "How do you add the 0.25 mol/L barium chloride?",
        "drops",
        drops="12 mL dropwise into the hot solution, swirling",
        cold="12 mL at once, cold",
        little="3.5 mL dropwise into the hot solution",
    )
    ml = 3.5 if choice == "little" else 12.0
    for step, x in ((6, "A"), (7, "B")):
        source = f"still dissolved {x}"
        barium = ml * MOLAR / 1000
        falls = min(bench.at(source, SULFATE.format(x)), barium * molar_mass("BaSO4"))
        bench.move(source, f"beaker {x}", SULFATE.format(x), falls)
        bound = falls / molar_mass("BaSO4") * molar_mass("Ba")
        bench.bring(source, BESIDE, barium * molar_mass("BaCl2") - bound)
        left = bench.at(source, SULFATE.format(x))
        bench.type(
            f"{step}: take barium chloride {x} {ml:.1f} mL",
            f"{step}: check all",
            f"{step}: tried {'failed' if left > 0.001 else 'no new cloud'}",
            f"done {step}",
        )
    bench.minutes += 20 if choice != "cold" else 5
    left = bench.at("still dissolved A", SULFATE.format("A"))
    working = f"{ml:g} mL × {MOLAR} mol/L = {ml * MOLAR:.2f} mmol of barium"
    if left > 0.001:
        bench.say("caution", "One more drop clouds the supernatant: sulfate is left.", working)
    else:
        bench.say("good", "One more drop into the supernatant: no new cloud.", working)
    bench.scene = Scene("beaker", {"water": 115.0, "grams": 0.3}, {"looks": "milk", "grains": choice})
    return 101 + ml


def _digest(bench: Bench) -> Generator[Decision, str, str]:
    cold = bench.scene.words.get("grains") == "cold"
    choice = yield decide(
        "digest",
        8,
        "The mixture is milky. What do you do before filtering?",
        "hot",
        hot="digest it hot and covered for an hour",
        none="filter at once",
    )
    bench.type(*(["done 8", "done 9"] if choice == "hot" else ["skip 8 no time", "skip 9 no time"]))
    bench.minutes += 60 if choice == "hot" else 0
    if choice == "none" or cold:
        bench.say("caution", "The particles are very fine: the supernatant stays milky.")
    else:
        bench.say("good", "The precipitate has settled; the supernatant is clear.")
    _scene(bench, "settled" if choice == "hot" and not cold else "milk")
    return "fine" if choice == "hot" and not cold else "gel"


def _filter(bench: Bench, grains: str, volume: float) -> Telling:
    paper = yield decide(
        "paper",
        10,
        "Which paper did you weigh?",
        "slow",
        slow="the slow one, for fine particles",
        fast="the fast one: the day is short",
    )

    def run(again: int) -> dict[str, Filtered]:
        return {
            x: filtered(
                volume + 10,
                bench.at(f"beaker {x}", SULFATE.format(x)),
                grains,
                how="gravity",
                paper=paper,
                diameter=WIDE,
                again=again,
            )
            for x in LETTERS
        }

    ran, choice = run(0), "clear"
    if max(one.passed for one in ran.values()) > 0.001:
        bench.say("caution", "The filtrate is cloudy.")
        bench.scene = Scene("beaker", {"water": volume + 10, "grams": 0.0}, {"looks": "milk"})
        choice = yield decide(
            "cloudy",
            10,
            "What do you do with the cloudy filtrate?",
            "back",
            back="refilter it through the same paper: the cake retains it now",
            accept="continue; it is little",
        )
        ran = run(1) if choice == "back" else ran
    _onto_papers(bench, ran, volume, choice)
    took, lost = max(one.minutes for one in ran.values()), max(one.passed for one in ran.values())
    bench.minutes += took + 15
    bench.say("good" if lost < 0.001 else "caution", f"{1000 * lost:.1f} mg ran through; it took {took:.0f} minutes.")
    bench.scene = Scene(
        "cake", {"grams": bench.at(PRODUCTS["A"].place, SULFATE.format("A")), "liquor": volume + 10}, {}
    )


_FILTRATE_SEEN = {
    "clear": ("filtrate clear",),
    "back": ("filtrate cloudy again", "filtrate clear"),
    "accept": ("filtrate cloudy accepted",),
}


def _onto_papers(bench: Bench, ran: dict[str, Filtered], volume: float, choice: str) -> None:
    """Move what was filtered onto its paper and into the filtrate, and write it down."""
    for step, x in ((10, "A"), (11, "B")):
        keeps = max(ran[x].keeps, PAPER_HOLDS)
        bench.move(f"beaker {x}", FILTRATE, SULFATE.format(x), ran[x].passed)
        bench.move(
            f"beaker {x}", PRODUCTS[x].place, SULFATE.format(x), 0.995 * bench.at(f"beaker {x}", SULFATE.format(x))
        )
        # What wets the cake is liquor, with its salts.
        bench.move(
            f"still dissolved {x}", PRODUCTS[x].place, BESIDE, keeps / volume * bench.at(f"still dissolved {x}", BESIDE)
        )
        bench.share(f"still dissolved {x}", FILTRATE, 1.0)
        bench.bring(PRODUCTS[x].place, WATER, keeps)
        bench.type(
            f"{step}: check all",
            f"{step}: pour {volume:.0f} mL",
            f"{step}: pour 10 mL rinse",
            *(f"{step}: {one}" for one in _FILTRATE_SEEN[choice]),
            f"done {step}",
        )


def _wash(bench: Bench) -> Telling:
    choice = yield decide(
        "wash",
        12,
        "Barium and chloride adhere to the cake. How do you wash it?",
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
        "How long do papers and blank dry at 105 °C?",
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
            "The blank is dry too. What do you do with it?",
            "weigh",
            weigh="weigh it again",
            leave="put it away: it has no sulfate on it",
        )
        corrected = again == "weigh"
    if corrected:
        bench.type(f"20: blank paper airdry {bench.weigh('blank again', papers.dry['blank'])}", "done 20")
        bench.say("good", f"The blank lost {1000 * MOIST:.0f} mg: each paper lost the same.")
    else:
        bench.type("skip 20 no blank" if not papers.blank else "skip 20 forgotten")
        for x in LETTERS:
            bench.weighed[PRODUCTS[x].portion] -= MOIST
        bench.say("caution", "Each paper lost its own water in the oven: that mass is missing from both results.")
    bench.type("done 21")


SULFATES = Story(
    "sulfate",
    "sulfate-in-garden-salt",
    "Sulfate in garden salt",
    "digesting, filtering, washing, a blank paper",
    "Determine the sulfate in garden salt, in duplicate, from half a gram each.",
    tell,
    (PRODUCTS["A"], PRODUCTS["B"]),
    (WATER,),
)
