"""Three from one: an acid, a base and a neutral substance parted in a funnel through their salts.

A gram each of cinnamic acid, benzocaine and biphenyl in 60 mL of ether; pKa, K and solubilities as in the procedure.
"""

from __future__ import annotations

from collections.abc import Generator

from helvor.core.laws.extraction.acid_base import Solute, Water, to_reach
from helvor.core.laws.extraction.layers import FILL
from helvor.core.practice.rehearsal import Bench, Decision, Product, Scene, Story, Telling
from helvor.core.practice.rehearsals.parts import decide, weigh_dry, weighings
from helvor.core.practice.virtual_filter import dried
from helvor.core.practice.virtual_funnel import SPRAYED, SPURTS, cut, pressure, room, shake
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import round_to

ACID, BASE, NEUTRAL, ETHER, WATER = "cinnamic acid", "benzocaine", "biphenyl", "ether", "water"
FORMULAS = {ACID: "C9H8O2", BASE: "C9H11NO2", NEUTRAL: "C12H10"}
SUBSTANCES = (
    Solute(ACID, "acid", 4.44, 10**2.13),
    Solute(BASE, "base", 2.5, 10**1.86),
    Solute(NEUTRAL, "neutral", None, 10**3.76),
)
SOLUBLE = {ACID: 0.4, BASE: 0.8}
"""g of the uncharged form in a litre of cold water, as in the procedure."""
FUNNEL, ACIDIC, BASIC, WASTE = "the ether", "the acid extracts", "the base extracts", "discarded"
CRYSTALS = {
    ACID: Product("dish C", ACID, "cinnamic acid crystals"),
    BASE: Product("dish B", BASE, "benzocaine crystals"),
    NEUTRAL: Product("the round flask", NEUTRAL, "biphenyl crystals"),
}
HOLDS = 125.0
"""mL that the funnel is named for."""
BOILS = 55.1
"""°C, of the ether."""


def mol(bench: Bench, place: str) -> dict[str, float]:
    """mol of each substance in a place."""
    return {name: bench.at(place, name) / molar_mass(formula) for name, formula in FORMULAS.items()}


def _scene(bench: Bench, lower: float, rag: float = 0.0, ph: float = 7.0, words: str = "") -> None:
    bench.scene = Scene(
        "funnel", {"upper": bench.at(FUNNEL, ETHER) / 0.741, "lower": lower, "rag": rag, "ph": ph}, {"lower": words}
    )


def tell(bench: Bench) -> Telling:
    """Three from one, as :class:`helvor.core.practice.rehearsal.Story` asks for it."""
    taken = {name: round(bench.scattered(f"taken {name}", 1.0, 0.004), 3) for name in FORMULAS}
    for name, grams in taken.items():
        bench.bring(FUNNEL, name, grams)
        bench.type(f"1: take {name} {grams:.3f} g")
    bench.bring(FUNNEL, ETHER, 60 * 0.741)
    bench.type("1: take tert-butyl methyl ether 60 mL", "done 1")
    bench.say("note", "One gram of each, dissolved in 60 mL of ether, is in the funnel.")
    bench.minutes = 12
    _scene(bench, 0)
    yield from _acid(bench)
    yield from _base(bench)
    yield from _wash(bench)
    yield from _fall(bench)
    yield from _ether(bench)
    yield from _dry(bench)


def _extract(
    bench: Bench,
    step: int,
    with_: tuple[str, float],
    volumes: list[float],
    names: tuple[str, str, str],
    how: str,
    *,
    vented: bool = True,
) -> Generator[Decision, str, None]:
    """Extract with portions of a liquid of so many mol/L (below 0 an acid); the lower layer goes to a beaker."""
    liquid, strong = with_
    target, extract, rest = names
    bench.noted[target] = strong * sum(volumes) / 1000
    bench.type(f"{step}: check all")
    rag = 0.0
    for number, ml in enumerate(volumes):
        water = Water(ml, strong * ml / 1000)
        shared = shake(mol(bench, FUNNEL), SUBSTANCES, bench.at(FUNNEL, ETHER) / 0.741, water, how)
        rag = shared.rag
        bench.bring("the aqueous layer", WATER, ml)
        for name, formula in FORMULAS.items():
            bench.move(FUNNEL, "the aqueous layer", name, shared.water[name] * molar_mass(formula))
        bench.type(f"{step}: take {liquid} {ml:g} mL", *([f"{step}: vent 1"] if vented else []))
        if number == 0:
            _scene(bench, ml, rag, shared.ph, extract)
            yield from _boundary(bench, step, rag)
        parted = cut(rag if bench.scene.words.get("rag") != "waited" else 0.0, "sharp")
        # What is left behind of the lower layer joins the next portion; the last of it stays in the funnel.
        behind = min(parted.behind / ml, 1.0) if number + 1 == len(volumes) else 0.0
        bench.share("the aqueous layer", target, 1 - behind)
        bench.type(
            f"{step}: drain lower {ml - 0.5 * (not number):g} mL {extract} {'beaker A' if step == 2 else 'beaker B'}"
        )
        bench.minutes += 7
        _scene(bench, ml, rag, shared.ph, extract)
        last = f"pH {shared.ph:.1f}"
    bench.share("the aqueous layer", "left in the funnel", 1.0)
    bench.type(f"{step}: drain upper {rest} funnel", f"done {step}")
    there = {name: bench.at(FUNNEL, name) for name in FORMULAS}
    wanted = BASE if step == 2 else ACID
    left = 1000 * there[wanted]
    bench.say("good" if left < 40 else "caution", f"{left:.0f} mg of {wanted} are left in the ether.", last)


def _boundary(bench: Bench, step: int, rag: float) -> Generator[Decision, str, None]:
    if rag < 4:
        return
    choice = yield decide(
        f"rag-{step}",
        step,
        f"Between the layers are {rag:.0f} mL of emulsion. What now?",
        "wait",
        wait="wait, swirl gently, a few mL of brine",
        along="drain it with the lower layer",
        throw="drain it into the waste",
    )
    if choice == "wait":
        bench.type(f"{step}: rag 3 mm wait", f"{step}: rag gone brine")
        bench.minutes += 15
        bench.scene = Scene(bench.scene.kind, bench.scene.numbers, {**bench.scene.words, "rag": "waited"})
        bench.say("good", "It cleared.")
        return
    part = 0.5 * rag / (bench.at(FUNNEL, ETHER) / 0.741)
    target = WASTE if choice == "throw" else (ACIDIC if step == 2 else BASIC)
    bench.share(FUNNEL, target, part)
    bench.minutes += 2
    bench.say("caution", f"{100 * part:.0f} % of the ether was lost with it.")


def _full(bench: Bench, ml: float) -> None:
    """A funnel that is too full to mix and vent in."""
    if ml > FILL["three-quarters"] * HOLDS:
        bench.danger(
            f"{ml:.0f} mL in a funnel of {HOLDS:g} mL: no room to mix, and it spurts when vented.",
            f"three quarters are {FILL['three-quarters'] * HOLDS:.0f} mL",
        )


def _acid(bench: Bench) -> Telling:
    choice = yield decide(
        "acid",
        2,
        "How do you extract the benzocaine with 30 mL of 3 mol/L hydrochloric acid?",
        "three",
        three="in three portions of 10 mL",
        one="all at once",
        weak="10 mL, once",
    )
    volumes = {"three": [10.0] * 3, "one": [30.0], "weak": [10.0]}[choice]
    how = yield decide(
        "mix",
        2,
        "How do you mix it?",
        "gently",
        gently="inverted some ten times; vented after the first, stem up, into the hood",
        hard="shaken hard, vented now and then",
        closed="shaken hard, opened at the end",
    )
    way = "inverted" if how == "gently" else "shaken"
    if how == "hard":
        bench.say("note", "It foams; it hisses when vented.")
    over = pressure(BOILS, 0.0, room(HOLDS, 60 + volumes[0]))
    if how == "closed":
        working = "vapour of the ether at 30 °C in the closed funnel"
        if over > SPURTS:
            bench.share(FUNNEL, "sprayed out", SPRAYED)
            bench.danger(f"It spurted at {over:.0f} mbar: acid and ether on the hands and in the air.", working)
        else:
            bench.danger(f"The pressure reached {over:.0f} mbar: this time the stopper held.", working)
    _full(bench, 60 + volumes[0])
    yield from _extract(
        bench,
        2,
        ("3 M hydrochloric acid", -3.0),
        volumes,
        (ACIDIC, "acid extracts", "ether after acid"),
        way,
        vented=how != "closed",
    )
    keep = yield decide(
        "keep",
        2,
        "The bench is full. Which of the two vessels may you discard?",
        "nothing",
        nothing="neither, until the products are weighed; label both",
        extracts="the acid extracts: only water and acid",
    )
    if keep == "extracts":
        bench.share(ACIDIC, WASTE, 1.0)
        bench.type("8: gone acid extracts beaker A emptied while clearing up")
        bench.say("stop", "The benzocaine was in it, as its salt. It cannot be recovered.")
    else:
        bench.say("good", "Labelled and set aside.")


def _base(bench: Bench) -> Telling:
    choice = yield decide(
        "base",
        3,
        "How much 1 mol/L sodium hydroxide do you use for the cinnamic acid?",
        "three",
        three="three portions of 15 mL",
        one="45 mL at once",
        little="5 mL, once",
    )
    volumes = {"three": [15.0] * 3, "one": [45.0], "little": [5.0]}[choice]
    _full(bench, bench.at(FUNNEL, ETHER) / 0.741 + volumes[0])
    yield from _extract(
        bench, 3, ("1 M sodium hydroxide", 1.0), volumes, (BASIC, "base extracts", "ether after base"), "inverted"
    )
    grams = bench.brought[ACID]
    has, needs = sum(volumes), 1000 * grams / molar_mass("C9H8O2")
    if has < needs:
        bench.say(
            "caution", "There was less base than acid.", f"{grams:.2f} g are {needs:.1f} mmol; {has:g} mL of 1 mol/L"
        )


def _wash(bench: Bench) -> Telling:
    choice = yield decide(
        "wash",
        4,
        "You wash the ether with 10 mL of water. Where does that water go?",
        "joins",
        joins="to the base extracts",
        waste="to the waste",
    )
    rest = bench.at("left in the funnel")
    share = 0.85
    bench.bring("the water wash", WATER, 10.0)
    bench.share("left in the funnel", "the water wash", share)
    held = bench.at("the water wash", ACID)
    bench.share("the water wash", BASIC if choice == "joins" else WASTE, 1.0)
    bench.type(
        "4: take water 10 mL",
        "4: vent 1",
        "4: drain lower 10 mL water wash beaker B",
        "4: drain upper ether after water funnel",
        "done 4",
    )
    bench.type("done 5" if choice == "joins" else "skip 5 thrown away")
    bench.minutes += 6
    if rest and held > 1e-4:
        bench.say(
            "note" if choice == "joins" else "caution", f"It held {1000 * held:.0f} mg of cinnamic acid, as its salt."
        )
    _scene(bench, 10, 0, 9, "water wash")


def _dissolved(name: str, ph: float, ml: float) -> float:
    """g that stay dissolved at a pH: the uncharged form's solubility, and its salt beside it."""
    solute = next(one for one in SUBSTANCES if one.name == name)
    return SOLUBLE[name] * ml / 1000 / max(1 - solute.charged(ph), 1e-9)


def _added(bench: Bench, source: str, ph: float) -> float:
    """mL of 6 mol/L acid or base that bring what is in a beaker to a pH: as much as was put in calls for."""
    water = Water(bench.at(source, WATER), bench.noted.get(source, 0.0))
    if water.volume <= 0:
        return 0.0
    there = mol(bench, source)
    solutes = [Solute(one.name, one.acts, one.pka, one.k, there[one.name]) for one in SUBSTANCES]
    return to_reach(ph, water, solutes, 6.0).volume


def _fall(bench: Bench) -> Telling:
    acid = yield decide(
        "acidify",
        6,
        "You add 6 mol/L hydrochloric acid to the base extracts, in ice. How far?",
        "red",
        red="until the paper is red, pH 2",
        yellow="until it clouds, the paper yellow, pH 5",
    )
    base = yield decide(
        "basify",
        8,
        "You add 6 mol/L sodium hydroxide to the acid extracts, in ice. How far?",
        "blue",
        blue="until the paper is blue, pH 9",
        orange="until it clouds, the paper orange, pH 3",
    )
    for name, source, step, ph, reagent in (
        (ACID, BASIC, 6, 2.0 if acid == "red" else 5.0, "6 M hydrochloric acid"),
        (BASE, ACIDIC, 8, 9.0 if base == "blue" else 3.0, "6 M sodium hydroxide"),
    ):
        added = _added(bench, source, ph)
        drops = f"{reagent} {round_to(added, 1)} mL"
        ml = bench.at(source, WATER) + added
        stays = min(_dissolved(name, ph, ml), bench.at(source, name))
        product = CRYSTALS[name]
        liquor = f"the mother liquor of the {name}"
        bench.minutes += 19
        if bench.at(source) < 1e-9:
            bench.type(f"skip {step} thrown away", f"skip {step + 1} nothing to filter")
            continue
        colour = {2.0: "red", 5.0: "yellow", 9.0: "blue", 3.0: "orange"}[ph]
        bench.type(
            f"{step}: check all",
            f"{step}: take {drops}",
            f"{step}: ph {colour}",
            f"done {step}",
            f"{step + 1}: check all",
            f"{step + 1}: filtrate clear",
            f"done {step + 1}",
        )
        bench.move(source, product.place, name, 0.985 * (bench.at(source, name) - stays))
        bench.move(source, product.place, WATER, 0.5 * bench.at(product.place, name))
        bench.share(source, liquor, 1.0)
        working = f"{SOLUBLE[name]} g/L as the neutral form, {round_to(stays, 2)} g in {ml:.0f} mL at pH {ph:g}"
        bench.say("good" if stays < 0.1 else "caution", f"{1000 * stays:.0f} mg of {name} stay dissolved.", working)
    bench.scene = Scene("cake", {"grams": bench.at("dish C", ACID), "liquor": 60.0}, {})


def _ether(bench: Bench) -> Telling:
    bench.type(
        "10: take brine 15 mL",
        "10: vent 1",
        "10: drain lower 15.5 mL spent brine beaker C",
        "10: drain upper ether after brine flask 125",
        "done 10",
    )
    bench.bring(FUNNEL, WATER, 0.6)
    agent = yield decide(
        "agent",
        11,
        "The ether is cloudy. How much sodium sulfate do you add?",
        "free",
        free="in portions, until some grains move freely; five minutes",
        pinch="a pinch",
        none="none: the water evaporates with the ether",
    )
    takes = {"free": 0.98, "pinch": 0.3, "none": 0.0}[agent]
    bench.move(FUNNEL, "the sodium sulfate", WATER, takes * bench.at(FUNNEL, WATER))
    if agent == "none":
        bench.type("skip 11 not dried")
    else:
        bench.share(FUNNEL, "the sodium sulfate", 0.02)
        bench.type("11: check all", f"11: agent {'2.5 g free' if agent == 'free' else '0.3 g caked'}", "done 11")
    bench.minutes += 18
    how = yield decide(
        "bath",
        14,
        "The ether boils at 55 °C. How hot is the bath for the evaporation?",
        "warm",
        warm="45 °C, in the hood, gently",
        hot="90 °C, to be quick",
    )
    place = CRYSTALS[NEUTRAL].place
    bench.share(FUNNEL, place, 0.97)
    bench.share(FUNNEL, "left in the funnel", 1.0)
    bench.move(place, "the air", ETHER, bench.at(place, ETHER))
    bench.move(place, "the air", WATER, 0.5 * bench.at(place, WATER))
    if how == "hot":
        bench.share(place, "bumped over", 0.2)
        bench.danger("It bumped over into the trap. Ether vapour above a hot bath: one spark is enough.")
    bench.minutes += 24 if how == "warm" else 10
    bench.scene = Scene("dish", {"grams": bench.at(place), "water": bench.at(place, WATER)}, {})


def _dry(bench: Bench) -> Telling:
    tares = {
        name: bench.scattered(f"tare {name}", mass, 0.02)
        for name, mass in ((NEUTRAL, 62.4), (ACID, 38.2), (BASE, 36.9))
    }
    bench.type(
        f"12: round flask {bench.weigh('tare round flask', tares[NEUTRAL])}", "done 12", "done 13", "done 14", "done 15"
    )
    how = yield weighings("weigh-biphenyl", 16, "the flask with the biphenyl")
    weigh_dry(bench, CRYSTALS[NEUTRAL], 16, "round flask", tares[NEUTRAL], how)
    lost = bench.at("dish B") < 1e-9
    bench.type(f"17: dish C {bench.weigh('tare C', tares[ACID])}", "done 17")
    bench.type("skip 18 no benzocaine" if lost else f"18: dish B {bench.weigh('tare B', tares[BASE])}")
    when = yield decide(
        "air",
        19,
        "The two solids are wet on their dishes. How long do you dry them?",
        "week",
        week="in air until the next meeting",
        now="weigh them now",
    )
    for name in (ACID, BASE):
        place = CRYSTALS[name].place
        wet = bench.at(place, WATER)
        bench.move(place, "the air", WATER, wet - dried(wet, "air", 10_000 if when == "week" else 10))
    bench.type("done 18" if not lost else "done 19", *(["done 19"] if not lost else []))
    way = yield weighings("weigh-solids", 20, "the dishes")
    weigh_dry(bench, CRYSTALS[ACID], 20, "dish C", tares[ACID], way)
    if lost:
        bench.type("skip 21 no benzocaine")
    else:
        weigh_dry(bench, CRYSTALS[BASE], 21, "dish B", tares[BASE], way)
    bench.scene = Scene("dish", {"grams": bench.at("dish C"), "water": bench.at("dish C", WATER)}, {})


THREE = Story(
    "three",
    "three-from-one",
    "Three from one",
    "extraction, pH, emulsions, drying agent, evaporation",
    "Separate an acid, a base and a neutral compound, one gram each, and recover all three.",
    tell,
    (CRYSTALS[ACID], CRYSTALS[BASE], CRYSTALS[NEUTRAL]),
    (WATER, ETHER),
)
