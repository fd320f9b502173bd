"""House rules: where practitioners differ, the instructor chooses, and why the default is the default.

A school of practice changes the instructions shown, the checks made and, where it
enters, the calculation. All of it is common practice, no source.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from helvor.core.quantities.reading import Unreadable
from helvor.core.record.house_words import HouseWords
from helvor.core.record.vocabulary import OWN_WORDS, own_rows


@dataclass(frozen=True, slots=True)
class School:
    """One way of doing it: its key, its words, and its reason in one line."""

    key: str
    words: str
    why: str


@dataclass(frozen=True, slots=True)
class Question:
    """Something that is done differently in different houses; the first school is the default."""

    key: str
    words: str
    group: str
    schools: tuple[School, ...]

    @property
    def default(self) -> School:
        return self.schools[0]

    def school(self, key: str) -> School | None:
        return next((school for school in self.schools if school.key == key), None)


def _q(key: str, words: str, group: str, *schools: tuple[str, str, str]) -> Question:
    return Question(key, words, group, tuple(School(*school) for school in schools))


WORDS_AND_NUMBERS = "Words and numbers"

QUESTIONS: tuple[Question, ...] = (
    _q(
        "constant-mass",
        "Constant mass",
        "Weighing and drying",
        ("two-weighings", "two weighings within tolerance", "two masses that agree are evidence"),
        ("overnight", "overnight once", "saves a meeting, but is weaker evidence"),
        ("minutes", "minutes of air", "fast; only for a rough yield"),
    ),
    _q(
        "constant-mass-limit",
        "Within tolerance means",
        "Weighing and drying",
        ("readability", "2 × the balance's readability", "the limit of a teaching balance"),
        ("pharmacopoeia", "0.50 mg per g after a further hour", "the strict rule; needs a 0.1 mg balance"),
    ),
    _q(
        "drying-solid",
        "Drying the solid",
        "Weighing and drying",
        ("by-product", "by product: bare on a dish, or on the tared paper", "a solid that melts into paper is lost"),
        ("bare", "bare on a dish", "a solid that melts can be recovered"),
        ("on-paper", "on the tared paper", "no transfer, nothing left behind"),
    ),
    _q(
        "drying-place",
        "Drying place",
        "Weighing and drying",
        ("oven", "low oven", "gives evidence of dryness"),
        ("air", "air on the bench", "nothing can melt or scorch"),
        ("suction", "vacuum only", "fast, for a rough yield"),
    ),
    _q(
        "stopping-vacuum",
        "Stopping the vacuum",
        "Filtering",
        ("air-first", "let air in, then turn off the vacuum", "prevents suck-back"),
        ("source-first", "turn off the vacuum, then break the seal; only with a trap", "spares the aspirator's valve"),
    ),
    _q(
        "aspirator",
        "Aspirator",
        "Filtering",
        ("full", "full flow", "less suck-back"),
        ("gentle", "gentle flow", "saves water"),
    ),
    _q(
        "filling-cone",
        "Filling the cone",
        "Filtering",
        ("half", "to half", "when every grain counts"),
        ("rim", "to 1 cm below the edge", "faster"),
    ),
    _q(
        "folding",
        "Folding the paper",
        "Filtering",
        ("quarter", "quarter cone", "seals well"),
        ("torn", "corner torn", "sits closer to the glass"),
        ("twisted", "twisted cone", "even layers all round"),
        ("fluted", "fluted", "fastest"),
    ),
    _q(
        "pouring",
        "Pouring",
        "Filtering",
        ("rod", "along a rod", "no splash"),
        ("swirl", "directly with a swirl", "no solid stays on the rod"),
    ),
    _q(
        "wetting-paper",
        "Wetting the paper",
        "Filtering",
        ("own-solvent", "with the mixture's own solvent", "the paper does not block, the filtrate is not diluted"),
        ("water", "with water; organic liquids with their own solvent", "one bottle for all that is aqueous"),
    ),
    _q(
        "cloudy-filtrate",
        "Cloudy filtrate",
        "Filtering",
        ("again", "refilter", "the yield counts"),
        ("accept", "accept and discuss it as a loss", "the time counts"),
    ),
    _q(
        "chamber",
        "Chamber",
        "Plates",
        ("lined", "lined and saturated", "reproducible Rf"),
        ("unlined", "unlined", "quicker to set up"),
    ),
    _q(
        "putting-on",
        "Putting on the sample",
        "Plates",
        ("dots", "capillary dots", "small even spots"),
        ("line", "pen line or box", "inks, which need no solvent"),
        ("swab", "swab", "plant juice, skin swabs"),
    ),
    _q(
        "stopping-front",
        "Stopping the front",
        "Plates",
        ("below-top", "10 mm below the top", "spots spread with length"),
        ("set-time", "at a set time", "the whole class stops together"),
        ("separated", "earlier, once separated", "short spots, less time"),
    ),
    _q(
        "measuring-spot",
        "Measuring a spot",
        "Plates",
        ("densest", "centre of the densest part", "everyone gets the same value"),
        ("leading", "leading edge", "sharp on tailing spots"),
        ("outline", "middle of the outline", "easy on pencilled spots"),
    ),
    _q(
        "mixing-funnel",
        "Mixing in the funnel",
        "Extraction",
        ("shake", "invert, vent, shake", "quick equilibrium"),
        ("swirl", "swirl on the side and vent", "gentler, fewer emulsions"),
    ),
    _q(
        "funnel-fill",
        "Funnel fill",
        "Extraction",
        ("two-thirds", "two thirds", "room to mix and vent"),
        ("three-quarters", "three quarters", "fewer portions; never more"),
    ),
    _q(
        "boundary",
        "Cutting the boundary",
        "Extraction",
        ("sharp", "sharp", "neither layer is favoured"),
        ("leave-some", "leave some of the wanted layer", "dry rather than complete"),
        ("rag-apart", "keep the emulsion apart", "decide later"),
    ),
    _q(
        "top-layer",
        "Removing the upper layer",
        "Extraction",
        ("neck", "through the neck", "no contamination from the stem"),
        ("tap", "through the tap", "no spill at the neck"),
    ),
    _q(
        "drying-agent",
        "Drying agent",
        "Extraction",
        ("sodium-sulfate", "sodium sulfate", "coarse; settles; easy to decant"),
        ("magnesium-sulfate", "magnesium sulfate", "fast and fine; filter it off"),
    ),
    _q(
        "off-drying-agent",
        "Removing the drying agent",
        "Extraction",
        ("decant", "decant", "coarse grains settle"),
        ("filter", "gravity filter", "fine grains do not settle"),
    ),
    _q(
        "water-wash",
        "Water wash after base",
        "Extraction",
        ("into-extracts", "into the extracts", "it holds product"),
        ("waste", "to waste", "smaller volume to acidify"),
    ),
    _q(
        "throwing-layers",
        "Discarding layers",
        "Waste",
        ("keep", "keep all until weighed", "a discarded layer cannot be recovered"),
        ("discard", "discard at once", "less glass on the bench"),
    ),
    _q(
        "portions",
        "Number of portions",
        "Extraction",
        ("three", "three", "a fourth portion gains little"),
        ("two", "two", "less solvent"),
        ("calculated", "by calculation", "fits the distribution"),
        ("until-clear", "until no more is extracted", "evidence instead of a fixed number"),
    ),
    _q(
        "fractions",
        "Fractions",
        "Column",
        ("equal", "equal tubes", "works without colour"),
        ("colour", "by colour", "few tubes"),
        ("small", "small volumes around a band", "clean cuts"),
    ),
    _q(
        "adding-precipitant",
        "Adding the precipitant",
        "Precipitation",
        ("slowly", "slowly, swirling", "larger particles"),
        ("at-once", "all at once", "quick"),
    ),
    _q(
        "sublimate",
        "Sublimed solid",
        "Solid mixtures",
        ("hood", "into the hood, determined by difference", "quick; small amounts only, where the site allows it"),
        ("caught", "caught on a cold glass and weighed", "no vapour in the air, and the solid can be examined"),
    ),
    _q(
        "precipitant-excess",
        "Precipitant excess",
        "Precipitation",
        ("twice", "twice", "complete; washing removes the excess"),
        ("ten-percent", "10 %", "less to wash out"),
        ("stoichiometric", "stoichiometric", "nothing to wash out"),
    ),
    _q(
        "condenser-water",
        "Condenser water",
        "Reflux",
        ("before-heat", "on before any heat", "no vapour escapes"),
        (
            "when-boiling",
            "when it boils, for liquids that are not flammable",
            "saves water; never for a flammable solvent",
        ),
    ),
    _q(
        "trade-words",
        "Trade words",
        WORDS_AND_NUMBERS,
        ("british", "British", "fume cupboard, separating funnel, colour"),
        ("american", "American", "hood, separatory funnel, color"),
    ),
    _q(
        "decimal-sign",
        "Decimal sign",
        WORDS_AND_NUMBERS,
        ("point", "point, as in 33.120", "as balances show it; files use it in any case"),
        ("comma", "comma, as in 33,120", "as much of Europe writes it; a point is understood as well"),
    ),
)

OF_A_PROCEDURE = tuple(question for question in QUESTIONS if question.group != WORDS_AND_NUMBERS)
"""What a procedure can have otherwise than its house."""

QUESTION = {question.key: question for question in QUESTIONS}


@dataclass(frozen=True, slots=True)
class HouseRules:
    """The chosen schools; a question that is not answered has its default.

    Attributes:
        chosen: question key → school key.
    """

    chosen: Mapping[str, str] = field(default_factory=dict)

    def __getitem__(self, question: str) -> School:
        """The school in force for a question.

        Raises:
            KeyError: there is no such question.
        """
        known = QUESTION[question]
        return known.school(self.chosen.get(question, "")) or known.default

    def over(self, more: Mapping[str, str]) -> HouseRules:
        """These rules with those of a procedure laid over them."""
        return HouseRules({**self.chosen, **more})

    def differs(self, question: str) -> bool:
        """Whether another school than the default is in force."""
        return self[question] is not QUESTION[question].default

    @property
    def own_words(self) -> tuple[tuple[str, str], ...]:
        """The house's own words for quick entry, as rows of its table; none where they cannot be read."""
        try:
            return own_rows(self.chosen.get(OWN_WORDS, ""))
        except Unreadable:
            return ()

    @property
    def house_words(self) -> HouseWords:
        """The English and the decimal sign that the house reads."""
        american, comma = self["trade-words"].key == "american", self["decimal-sign"].key == "comma"
        return HouseWords("american" if american else "british", "comma" if comma else "point")

    @property
    def stop_below_top_mm(self) -> float:
        """How far below the top edge a plate is taken out, mm; further up spots spread and the front is lost."""
        return 10.0


def known_choices(chosen: Mapping[str, str]) -> dict[str, str]:
    """Only the questions and schools that there are, and the house's own words.

    Raises:
        Unreadable: the own words cannot be read.

    >>> known_choices({"pouring": "swirl", "pouring-tea": "milk-first"})
    {'pouring': 'swirl'}
    """
    known = {key: school for key, school in chosen.items() if key in QUESTION and QUESTION[key].school(school)}
    if OWN_WORDS in chosen:
        own_rows(chosen[OWN_WORDS])
        known[OWN_WORDS] = chosen[OWN_WORDS].strip()
    return known
