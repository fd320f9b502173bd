"""What is known of a substance that can hurt: by its name as people write it, its formula, or what the procedure says.

Care 1. A name means a substance whole (``ether``), with words around it (``ice-cold diethyl ether``) or as a part of
        a mixture (``heptane : ethyl acetate 4 : 1``). Of names inside each other the longest counts.
Care 2. What mixes with water and is mostly water there does not burn: a solution in mol/L, or under a fifth. The
        number has to stand right beside its name: ``1 M acid in ethanol`` is ethanol. What else it does, it does.
Care 3. What a procedure says of a substance counts beside what is known: it can add a danger, never take one away.
Care 4. Of a metal that is poisonous in all its soluble salts the formula alone says so.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cache

from helvor.core.hazards.table import HAZARDS, ROWS, Row
from helvor.core.quantities.formula import atoms
from helvor.core.quantities.reading import Unreadable

NOTHING_LISTED = "nothing listed; see the safety data sheet"
"""What stands where no hazard is known: that nothing is known is no promise."""
WEAK = 20.0
"""Per cent of a liquid in water below which the mixture counts as water. Common practice."""
UNSURE_ALONE = frozenset({"alcohol", "chromate", "carbon", "lye", "ipa", "tea"})
"""Names that mean something only when they stand alone: there are other alcohols, and tea is also a leaf."""
POISONOUS = {
    "Ba": "toxic if swallowed",
    "Pb": "may harm fertility or the unborn",
    "Hg": "toxic",
    "Cd": "may cause cancer",
    "Co": "may cause cancer",
    "Ni": "may cause cancer",
    "Cr": "may cause cancer",
    "As": "toxic",
    "Tl": "toxic",
    "Be": "may cause cancer",
}
"""Element → what its salts are taken for while nothing else is known (Care 4). From memory; the sheet decides."""
HEAVY = frozenset({*POISONOUS, "Cu", "Zn", "Mn", "Ag", "Sn", "Sb", "Bi", "Mo", "V"})
"""Elements whose solutions go into the heavy metal bottle. Common practice; local rules decide."""


@dataclass(frozen=True, slots=True)
class Care:
    """What the rules ask of a substance.

    Attributes:
        name: as the shelf has it; said: as it is written where it was found.
        liquid: it is a solvent of the shelf, or the procedure has it as a liquid.
        boils, flash, ignites: °C; None where it is not known.
        mixes: with water in all proportions; None where it is not known.
        hazards: in the words of a label; waste: its stream; first: what comes before it goes there.
    """

    name: str
    said: str = ""
    formula: str = ""
    liquid: bool = False
    boils: float | None = None
    flash: float | None = None
    ignites: float | None = None
    mixes: bool | None = None
    hazards: tuple[str, ...] = ()
    waste: str = ""
    first: str = ""

    @property
    def shown(self) -> str:
        """As it is written where it was found, else by its name."""
        return self.said or self.name

    @property
    def burns(self) -> bool:
        """A liquid with a flash point that a flame or a spark finds."""
        return self.liquid and any(hazard.endswith("flammable") for hazard in self.hazards)

    @property
    def burns_solid(self) -> bool:
        """A solid that melts or sublimes into something that burns; charcoal and metal powder under water do not."""
        return "flammable solid" in self.hazards

    @property
    def peroxides(self) -> bool:
        return "forms peroxides" in self.hazards

    @property
    def halogenated(self) -> bool:
        return self.waste == "halogenated"

    @property
    def oxidizing(self) -> bool:
        return "oxidizing" in self.hazards

    @property
    def organic(self) -> bool:
        """A liquid for one of the two bottles of organic solvent."""
        return self.liquid and self.waste in ("solvents", "halogenated")


def _care(row: Row) -> Care:
    kind, name, _, formula, boils, flash, ignites, mixes, hazards, waste, first = row
    mix = None if not mixes else mixes == "yes"
    return Care(name, "", formula, kind == "solvent", boils, flash, ignites, mix, hazards, waste, first)


@cache
def _by_name() -> dict[str, Care]:
    found: dict[str, Care] = {}
    for row in ROWS:
        for name in (row[1], *row[2]):
            found.setdefault(name.casefold(), _care(row))
    return found


@cache
def _by_formula() -> dict[frozenset[tuple[str, float]], Care]:
    found: dict[frozenset[tuple[str, float]], Care] = {}
    for row in ROWS:
        # Isomers share a formula: of a carbon compound the formula alone says nothing.
        if row[3] and not (row[0] == "solvent" and row[1] != "water"):
            counted = atoms(row[3])
            if "C" not in counted or "H" not in counted:
                found.setdefault(frozenset(counted.items()), _care(row))
    return found


@cache
def _names() -> re.Pattern[str]:
    """Every name as a whole word, the longest first (Care 1)."""
    known = sorted((name for name in _by_name() if name not in UNSURE_ALONE), key=len, reverse=True)
    return re.compile(rf"(?<![\w-])(?:{'|'.join(re.escape(name) for name in known)})(?!\w)", re.IGNORECASE)


def plain(name: str) -> str:
    """A name for looking up: one space between words, no capitals."""
    return " ".join(name.split()).casefold()


@cache
def named(text: str) -> tuple[Care, ...]:
    """Every substance that a text names, in the order of the text (Care 1); each once.

    >>> [care.name for care in named("Wash with ice-cold diethyl ether, then water")]
    ['diethyl ether', 'water']
    >>> [care.name for care in named("tert-butyl methyl ether")]
    ['tert-butyl methyl ether']
    """
    whole = _by_name().get(plain(text))
    if whole is not None:
        return (_said(whole, text.strip()),)
    found: dict[str, Care] = {}
    for match in _names().finditer(text):
        care = _by_name()[match.group().casefold()]
        weak = _weak(text[: match.start()], text[match.end() :], care)
        found.setdefault(care.name, _said(_thinned(care) if weak else care, match.group()))
    return tuple(found.values())


def _said(care: Care, said: str) -> Care:
    return replace(care, said=said)


_BEFORE = re.compile(
    r"(?:(?P<percent>\d+(?:[.,]\d+)?)\s*(?:%|per\s*cent|percent)(?:\s*[vw]/[vw])?|\d\s*(?:M|mol/[Ll]|N)|\bdiluted?)"
    r"\s+(?:aqueous\s+)?$",
    re.IGNORECASE,
)
_AFTER = re.compile(
    r"^\s*,?\s*\(?(?P<percent>\d+(?:[.,]\d+)?)\s*(?:%|per\s*cent|percent)(?:\s*[vw]/[vw])?\s*"
    r"(?:\)|in water|aqueous|$)",
    re.IGNORECASE,
)


def _weak(before: str, after: str, care: Care) -> bool:
    """Whether a liquid that mixes with water is mostly water where it is named (Care 2)."""
    if not care.liquid or not care.mixes or care.name == "water":
        return False
    match = _BEFORE.search(before) or _AFTER.search(after)
    if match is None:
        return False
    percent = match["percent"]
    return percent is None or float(percent.replace(",", ".")) < WEAK


def _thinned(care: Care) -> Care:
    """Mostly water: it does not burn, what bites irritates, and it goes where water goes; a poison stays one."""
    hazards = tuple("irritant" if h == "corrosive" else h for h in care.hazards if not h.endswith("flammable"))
    return replace(care, liquid=False, boils=None, hazards=hazards, waste="aqueous")


_OF_WATER = frozenset(
    {
        "water",
        "more",
        "hot",
        "warm",
        "cold",
        "ice",
        "icecold",
        "boiling",
        "wash",
        "washing",
        "rinsing",
        "rinse",
        "distilled",
        "deionized",
        "deionised",
        "tap",
        "pure",
        "plain",
    }
)


def is_only_water(name: str) -> bool:
    """Whether a name means water and nothing in it; only of that is it said that there is no hazard.

    >>> is_only_water("hot wash water A"), is_only_water("0.5 M acid in water"), is_only_water("soda water")
    (True, False, False)
    """
    words = plain(name).replace("-", "").replace(",", " ").split()
    return "water" in words and all(word in _OF_WATER or len(word) == 1 or word.isdecimal() for word in words)


def of_formula(formula: str) -> Care | None:
    """What is known of a salt, acid or base by its formula, or of its metal (Care 4); None where nothing is."""
    if not formula:
        return None
    try:
        counted = atoms(formula)
    except Unreadable:
        return None
    known = _by_formula().get(frozenset(counted.items()))
    if known is not None:
        return known
    metal = next((element for element in counted if element in POISONOUS), None)
    heavy = next((element for element in counted if element in HEAVY), None)
    if metal is None and heavy is None:
        return None
    return Care(formula, formula=formula, hazards=(POISONOUS[metal],) if metal else (), waste="heavy metal")


def merged(name: str, cares: Iterable[Care]) -> Care | None:
    """Several as one, with every danger of each: for what goes under one name."""
    cares = list(cares)
    if not cares:
        return None
    worst = min(cares, key=lambda care: (not care.burns, care.boils if care.boils is not None else 1e9))
    waste = next((care.waste for stream in STREAM_ORDER for care in cares if care.waste == stream), "")
    return Care(
        worst.name,
        name,
        worst.formula,
        any(care.liquid for care in cares),
        worst.boils,
        worst.flash,
        min((care.ignites for care in cares if care.ignites is not None), default=None),
        worst.mixes,
        tuple(dict.fromkeys(hazard for care in cares for hazard in care.hazards)),
        waste,
        worst.first,
    )


STREAM_ORDER = ("oxidizing", "heavy metal", "halogenated", "solvents", "aqueous", "solids", "silica", "sink", "bin", "")
"""Of several streams the one that decides, most particular first. Common practice; local rules decide."""


@cache
def _worded() -> tuple[tuple[str, str, str], ...]:
    return tuple((words, *HAZARDS[words]) for words in sorted(HAZARDS, key=len, reverse=True))


def signal(hazards: Iterable[str]) -> str:
    """The signal word of a label for hazards as they are worded: *Danger*, *Warning*, or none.

    >>> signal(["irritates eyes", "highly flammable"]), signal(["irritant"]), signal([])
    ('Danger', 'Warning', '')
    """
    words = {word for hazard in hazards for start, word, _ in _worded() if plain(hazard).startswith(start)}
    return "Danger" if "danger" in words else "Warning" if "warning" in words else ""


def split(hazards: str) -> tuple[str, ...]:
    """Hazards as one line of a procedure gives them: ``highly flammable; irritates eyes``."""
    said = (part.strip() for part in hazards.split(";"))
    return tuple(part for part in said if part and part.casefold() not in ("none", "none known", "none named"))
