"""House rules: where practitioners differ, the instructor chooses, and why the default is the default.

A school of practice changes the instructions shown, the checks made and, where it
enters, the calculation. All of it is common practice, no source.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field


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


QUESTIONS: tuple[Question, ...] = (
    _q(
        "constant-mass", "Constant mass", "Weighing and drying",
        ("two-weighings", "two weighings within tolerance", "two numbers that agree are evidence"),
        ("overnight", "overnight once", "saves a meeting; weaker evidence"),
        ("minutes", "minutes of air", "fast; only for a rough yield"),
    ),
    _q(
        "constant-mass-limit", "Within tolerance means", "Weighing and drying",
        ("readability", "2 × the balance's readability", "what a teaching balance can tell"),
        ("pharmacopoeia", "0.50 mg per g after a further hour", "the strict rule; needs a 0.1 mg balance"),
    ),
    _q(
        "drying-solid", "Drying the solid", "Weighing and drying",
        ("by-product", "by product: bare on a dish, or on the tared paper", "what melts into paper is lost"),
        ("bare", "bare on a dish", "what melts comes back"),
        ("on-paper", "on the tared paper", "no transfer, nothing left behind"),
    ),
    _q(
        "drying-place", "Drying place", "Weighing and drying",
        ("oven", "low oven", "gives evidence of dryness"),
        ("air", "air on the bench", "nothing can melt or scorch"),
        ("suction", "suction only", "fast, for a rough yield"),
    ),
    _q(
        "stopping-vacuum", "Stopping the vacuum", "Filtering",
        ("air-first", "air in first, then source off", "prevents suck-back"),
        ("source-first", "source off, then break the seal; only with a trap", "spares the aspirator's valve"),
    ),
    _q(
        "aspirator", "Aspirator", "Filtering",
        ("full", "full flow", "less suck-back"),
        ("gentle", "gentle flow", "saves water"),
    ),
    _q(
        "filling-cone", "Filling the cone", "Filtering",
        ("half", "to half", "when every grain counts"),
        ("rim", "to 1 cm below the edge", "faster"),
    ),
    _q(
        "folding", "Folding the paper", "Filtering",
        ("quarter", "quarter cone", "seals well"),
        ("torn", "corner torn", "sits closer to the glass"),
        ("twisted", "twisted cone", "even layers all round"),
        ("fluted", "fluted", "fastest"),
    ),
    _q(
        "pouring", "Pouring", "Filtering",
        ("rod", "along a rod", "no splash"),
        ("swirl", "directly with a swirl", "nothing stays on the rod"),
    ),
    _q(
        "wetting-paper", "Wetting the paper", "Filtering",
        ("own-solvent", "with the mixture's own solvent", "does not block or dilute"),
        ("water", "always water", "one bottle for all"),
    ),
    _q(
        "cloudy-filtrate", "Cloudy filtrate", "Filtering",
        ("again", "pass it again", "the yield counts"),
        ("accept", "accept and discuss as loss", "the time counts"),
    ),
    _q(
        "chamber", "Chamber", "Plates",
        ("lined", "lined and saturated", "reproducible Rf"),
        ("unlined", "unlined", "quicker to set up"),
    ),
    _q(
        "putting-on", "Putting on the sample", "Plates",
        ("dots", "capillary dots", "small even spots"),
        ("line", "pen line or box", "inks without a solvent"),
        ("swab", "swab", "plant juice, skin"),
    ),
    _q(
        "stopping-front", "Stopping the front", "Plates",
        ("below-top", "10 mm below the top", "spots spread with length"),
        ("set-time", "at a set time", "a class stops together"),
        ("separated", "earlier, when separated", "short spots, less time"),
    ),
    _q(
        "measuring-spot", "Measuring a spot", "Plates",
        ("densest", "centre of the densest part", "everyone gets the same number"),
        ("leading", "leading edge", "sharp on tailing spots"),
        ("outline", "middle of the outline", "easy on pencilled spots"),
    ),
    _q(
        "mixing-funnel", "Mixing in the funnel", "Extraction",
        ("shake", "invert, vent, shake", "quick equilibrium"),
        ("swirl", "swirl on the side and vent", "gentler, fewer emulsions"),
    ),
    _q(
        "funnel-fill", "Funnel fill", "Extraction",
        ("two-thirds", "two thirds", "room to mix and vent"),
        ("three-quarters", "three quarters", "fewer portions; never more"),
    ),
    _q(
        "boundary", "Cutting the boundary", "Extraction",
        ("sharp", "sharp", "neither layer is favoured"),
        ("leave-some", "leave some of the wanted layer", "dry rather than complete"),
        ("rag-apart", "rag apart", "decide later"),
    ),
    _q(
        "top-layer", "Taking out the top layer", "Extraction",
        ("neck", "by the neck", "no contamination from the stem"),
        ("tap", "through the tap", "no spill at the neck"),
    ),
    _q(
        "drying-agent", "Drying agent", "Extraction",
        ("sodium-sulfate", "sodium sulfate", "coarse, settles, easy to decant"),
        ("magnesium-sulfate", "magnesium sulfate", "fast and fine; is filtered off"),
    ),
    _q(
        "off-drying-agent", "Taking off the drying agent", "Extraction",
        ("decant", "decant", "coarse grains settle"),
        ("filter", "gravity filter", "fine grains do not settle"),
    ),
    _q(
        "water-wash", "Water wash after base", "Extraction",
        ("into-extracts", "into the extracts", "it holds product"),
        ("waste", "to waste", "smaller volume to acidify"),
    ),
    _q(
        "throwing-layers", "Throwing layers away", "Waste",
        ("keep", "keep all until weighed", "there is no way back"),
        ("discard", "discard at once", "less glass on the bench"),
    ),
    _q(
        "portions", "Number of portions", "Extraction",
        ("three", "three", "a fourth gains little"),
        ("two", "two", "less solvent"),
        ("calculated", "by calculation", "fits the distribution"),
        ("until-clear", "until nothing more comes out", "evidence rather than a number"),
    ),
    _q(
        "fractions", "Fractions", "Column",
        ("equal", "equal tubes", "works without colour"),
        ("colour", "by colour", "few tubes"),
        ("small", "small volumes around a band", "clean cuts"),
    ),
    _q(
        "adding-precipitant", "Adding the precipitant", "Precipitation",
        ("slowly", "slowly, swirling", "larger particles"),
        ("at-once", "all at once", "quick"),
    ),
    _q(
        "sublimate", "What sublimes", "Solid mixtures",
        ("hood", "off into the hood, found by loss", "quick; only little of it, where the site allows it"),
        ("caught", "caught on a cold glass and weighed", "nothing goes into the air, and it is seen what it was"),
    ),
    _q(
        "precipitant-excess", "Precipitant excess", "Precipitation",
        ("twice", "twice", "complete; washing takes the rest"),
        ("ten-percent", "10 %", "less to wash out"),
        ("stoichiometric", "stoichiometric", "nothing to wash out"),
    ),
    _q(
        "condenser-water", "Condenser water", "Reflux",
        ("before-heat", "on before heat", "no vapour escapes"),
        ("when-boiling", "when it boils, under what does not burn", "saves water; never for a flammable solvent"),
    ),
)  # fmt: skip

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
    def stop_below_top_mm(self) -> float:
        """How far below the top edge a plate is taken out, mm; further up spots spread and the front is lost."""
        return 10.0


def known_choices(chosen: Mapping[str, str]) -> dict[str, str]:
    """Only the questions and schools that there are.

    >>> known_choices({"pouring": "swirl", "pouring-tea": "milk-first"})
    {'pouring': 'swirl'}
    """
    return {key: school for key, school in chosen.items() if key in QUESTION and QUESTION[key].school(school)}
