"""Pairs that must not meet: a table.

From memory and common practice; local rules and a qualified person decide.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, partial

from helvor.core.hazards.care import Care
from helvor.core.record.finding import Level

Is = Callable[[Care], bool]


@dataclass(frozen=True, slots=True)
class Meets:
    """Two things that come together: how to tell them, how bad it is, why, and what to do instead.

    *loses* says that nothing worse comes of it than that the other is used up: where the procedure's equation has the
    other as a reactant, that is what is wanted.
    """

    code: str
    level: Level
    one: Is
    other: Is
    because: str
    do: str
    loses: bool = False


@cache
def _is(care: Care, *, names: frozenset[str], words: str = "", formulas: frozenset[str] = frozenset()) -> bool:
    said = f"{care.name} {care.said}"
    return care.name in names or care.formula in formulas or bool(words and re.search(words, said, re.IGNORECASE))


def _named(*names: str, words: str = "", formulas: tuple[str, ...] = ()) -> Is:
    return partial(_is, names=frozenset(names), words=words, formulas=frozenset(formulas))


HYDROXIDE = _named(
    "sodium hydroxide",
    "potassium hydroxide",
    words=r"\b(?:sodium|potassium|lithium) hydroxide|caustic",
    formulas=("NaOH", "KOH", "LiOH"),
)
CHLOROFORM = _named("chloroform", formulas=("CHCl3",))
ACETONE = _named("acetone", "butan-2-one")
ESTER = _named("ethyl acetate", "methyl acetate", "butyl acetate", words=r"\b(?:ethyl|methyl|butyl) acetate")
NITRIC = _named("nitric acid", formulas=("HNO3",))
STRONG_ACID = _named(
    "hydrochloric acid",
    "sulfuric acid",
    "nitric acid",
    "phosphoric acid",
    "acetic acid",
    "formic acid",
    words=r"\b(?:hydrochloric|sulfuric|nitric|phosphoric|acetic|citric) acid|vinegar",
    formulas=("HCl", "H2SO4", "HNO3", "H3PO4"),
)
CARBONATE = _named(
    "sodium carbonate",
    "sodium bicarbonate",
    "potassium carbonate",
    "calcium carbonate",
    words=r"carbonate|(?<!caustic )\bsoda\b",
    formulas=("NaHCO3", "Na2CO3", "K2CO3", "CaCO3", "KHCO3"),
)
BLEACH = _named("sodium hypochlorite", words=r"bleach|hypochlorite", formulas=("NaOCl", "NaClO"))
AMMONIA = _named("ammonia", words=r"\bammoni", formulas=("NH3", "NH4Cl", "NH4OH"))
PERMANGANATE = _named("potassium permanganate", words="permanganate", formulas=("KMnO4",))
SULFURIC = _named("sulfuric acid", formulas=("H2SO4",))
PEROXIDE = _named("hydrogen peroxide", words=r"\bhydrogen peroxide", formulas=("H2O2",))
POISON_GAS = _named(words=r"\b(?:cyanide|sulfide|azide)\b", formulas=("NaCN", "KCN", "Na2S", "FeS", "NaN3"))
METAL = _named(
    words=r"^(?:sodium|potassium|lithium|calcium)(?: metal)?$|\b(?:sodium|lithium) metal|hydride\b",
    formulas=("Na", "K", "Li", "NaH", "LiAlH4", "CaH2", "NaBH4"),
)
WATER = _named("water")


def _solvent(care: Care) -> bool:
    return care.organic


def _alcohol_or_ketone(care: Care) -> bool:
    return care.liquid and care.name in ("acetone", "ethanol", "methanol", "propan-2-ol", "butan-2-one")


MEETINGS: tuple[Meets, ...] = (
    Meets(
        "base-and-chloroform",
        "stop",
        HYDROXIDE,
        CHLOROFORM,
        "They react, violently with a little acetone or alcohol present, and continue in a closed bottle.",
        "Use another solvent, or hydrogencarbonate; never put both in one bottle.",
    ),
    Meets(
        "chloroform-and-acetone",
        "stop",
        CHLOROFORM,
        ACETONE,
        "With a trace of base they react violently, also in the waste bottle.",
        "Keep them apart, including rinses.",
    ),
    Meets(
        "base-and-ester",
        "caution",
        HYDROXIDE,
        ESTER,
        "Hydroxide hydrolyses the ester: it warms up, the layers change, and product is lost with the salt.",
        "Use hydrogencarbonate or another solvent; otherwise work cold, dilute and fast.",
        loses=True,
    ),
    Meets(
        "base-and-acetone",
        "caution",
        HYDROXIDE,
        ACETONE,
        "With base the ketone condenses with itself: it turns yellow and warm.",
        "Use another solvent, or a weaker base.",
        loses=True,
    ),
    Meets(
        "nitric-and-solvent",
        "stop",
        NITRIC,
        _solvent,
        "They react after a delay, with red fumes, and can explode.",
        "Never in one vessel; rinse off the organic solvent with water first.",
    ),
    Meets(
        "peroxide-and-ketone",
        "stop",
        PEROXIDE,
        ACETONE,
        "With a trace of acid they form a peroxide that explodes at a touch.",
        "Never mix them, not even rinses.",
    ),
    Meets(
        "permanganate-and-solvent",
        "stop",
        PERMANGANATE,
        _alcohol_or_ketone,
        "The mixture can ignite by itself.",
        "Use water only; rinse off solvents first.",
    ),
    Meets(
        "permanganate-and-sulfuric",
        "stop",
        PERMANGANATE,
        SULFURIC,
        "With the concentrated acid it gives an oxide that explodes.",
        "Dilute the acid first, cold; a qualified person decides.",
    ),
    Meets(
        "bleach-and-acid",
        "stop",
        BLEACH,
        STRONG_ACID,
        "It gives chlorine, which is poisonous.",
        "Never mix them. If it happened: leave the room, hood on, call the person responsible.",
    ),
    Meets(
        "bleach-and-ammonia",
        "stop",
        BLEACH,
        AMMONIA,
        "It gives chloramines, which are poisonous.",
        "Never mix them. If it happened: leave the room, hood on, call the person responsible.",
    ),
    Meets(
        "bleach-and-solvent",
        "stop",
        BLEACH,
        _alcohol_or_ketone,
        "It gives chloroform and heat.",
        "Never mix them, not even rinses.",
    ),
    Meets(
        "acid-and-poison",
        "stop",
        POISON_GAS,
        STRONG_ACID,
        "They release a poisonous gas.",
        "Not in a teaching lab; call the person responsible.",
    ),
    Meets(
        "metal-and-water",
        "stop",
        METAL,
        WATER,
        "They release hydrogen, which ignites.",
        "Use dry glassware and another way to quench it, slowly, in the hood; a qualified person decides.",
    ),
    Meets(
        "metal-and-halogen",
        "stop",
        METAL,
        lambda care: care.liquid and care.halogenated,
        "It can explode, even after some time.",
        "Never mix them; keep halogenated waste away from it.",
    ),
)
"""Pairs, most serious per pair. A pair is told once a step: where the second of the two comes in."""
