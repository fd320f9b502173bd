"""Words that people use for the same thing at the bench, and the one that the reading lines know.

Languages are English, German, French and Spanish; all rows are common usage, no source. A house can add its own.
What a page itself calls something by such a word stays: a portion named *filtrat* is *filtrat*.
"""

from __future__ import annotations

import re
from collections.abc import Container, Iterable, Mapping
from functools import lru_cache

from helvor.core.quantities.reading import Unreadable

SYNONYMS: tuple[tuple[str, str], ...] = (
    # A word of the reading lines, then what else people say, between strokes.
    (
        "front",
        "solvent front|eluent front|liquid front|sf|fließmittelfront|fliessmittelfront|laufmittelfront"
        "|front du solvant|front de solvant|frente|frente del disolvente|frente de disolvente",
    ),
    ("origin", "baseline|base line|start line|starting line|origin line|startlinie|ligne de base|línea de base"),
    ("spot", "fleck|substanzfleck|tache|mancha"),
    ("lane", "track|bahn|spur|couloir|piste|calle|carril"),
    ("level", "eluent level|eluent height|eluent depth|depth|füllhöhe|niveau|nivel"),
    ("eluent", "mobile phase|developing solvent|fließmittel|fliessmittel|laufmittel|éluant|eluant|eluyente"),
    ("dish", "schale|abdampfschale|petrischale|coupelle|cápsula|capsula"),
    ("paper", "papier|filterpapier|papier filtre|papier-filtre|papel|papel de filtro"),
    ("beaker", "becherglas|bécher|vaso|vaso de precipitados"),
    ("flask", "kolben|rundkolben|erlenmeyerkolben|erlenmeyer|fiole|ballon|matraz"),
    ("crucible", "tiegel|filtertiegel|creuset|crisol"),
    ("watch glass", "watchglass|watch-glass|uhrglas|verre de montre|vidrio de reloj"),
    ("weighing boat", "weigh boat|weighboat|wägeschiffchen|nacelle"),
    ("filtrate", "filtrat|filtrado"),
    ("residue", "rückstand|rueckstand|résidu|residu|residuo"),
    ("precipitate", "ppt|niederschlag|précipité|precipitado"),
    ("crystals", "kristalle|cristaux|cristales"),
    ("empty", "tare|tared|clean and dry|clean, dry|clean|leer|vide|vacío|vacio|tara"),
    ("wet", "moist|feucht|nass|humide|mouillé|húmedo|mojado"),
    (
        "dried",
        "after drying|after heating|heated|after the oven|oven-dried|oven dried|dried again|dry again"
        "|getrocknet|trocken|séché|seche|sec|seco|secado",
    ),
    ("damp", "moistened|wetted"),
    ("air-dry", "airdry|air dry|air-dried|air dried|lufttrocken"),
    ("take", "took|taken|weighed in|weighed out|weigh in|weigh out|added|add|used up|einwaage|prélevé|tomado"),
    ("use", "used|using"),
    ("net", "yield|obtained|net mass|ausbeute|rendement|rendimiento"),
    ("vol", "volume|volumen"),
    ("wash", "washed|washed with|wash with|rinse|rinsed|rinsed with|rinse with|gewaschen|waschen|lavé|laver|lavado"),
    ("pour", "poured|pour in|gegossen"),
    ("timer", "alarm|set timer|set a timer|start timer|countdown|wecker|minuterie|temporizador"),
    ("note", "noted|remark|comment|observation|notiz|bemerkung|remarque|nota"),
    ("temp", "temperature|temperatur|température|temperatura"),
    ("done", "finished|complete|completed|fertig|erledigt|fini|hecho"),
    ("skip", "skipped|omit|omitted"),
    ("strike", "delete|remove|cross out|strike out|cancel|erase|löschen|streichen|supprimer|borrar"),
    ("undo", "take back|oops|rückgängig|annuler|deshacer"),
    ("correct", "change|amend|fix|move"),
    ("help", "?|hilfe|aide|ayuda"),
    ("melts", "melting|melting point|melting range|mp|m.p.|melted|schmelzpunkt|smp|fusion|fusión"),
    ("drain", "drained|drained off|run off"),
    ("vent", "vented|shake|shaken|swirl|swirled"),
    ("rag", "emulsion"),
    ("rising", "front now|front is now|front rising|rising front"),
    ("water", "wasser|eau|agua"),
    ("salt", "salz|sel|sal"),
    ("sand", "sable|arena"),
)
"""The commonest words, and what they are called in the lines; the longest that stands there is taken."""

_COMMANDS = frozenset(
    (
        *("take", "vol", "wash", "pour", "timer", "note", "temp", "done", "skip", "strike", "undo"),
        *("correct", "help", "melts", "drain", "vent", "rag", "rising", "front", "level", "eluent"),
    )
)
"""Words that only begin a reading; behind the beginning theirs may belong to a name, as in *water used for rinse*."""
_NOUNS = frozenset(
    (
        *("dish", "paper", "beaker", "flask", "crucible", "watch glass", "weighing boat"),
        *("filtrate", "residue", "precipitate", "crystals", "water", "salt", "sand"),
    )
)
"""Words for things; behind a technique's own word only theirs are looked for."""
FREE = frozenset({"note", "strike", "undo", "skip"})
"""What stands behind these is somebody's own words."""


@lru_cache(maxsize=16)
def _table(more: tuple[tuple[str, str], ...]) -> Mapping[tuple[str, ...], str]:
    table: dict[tuple[str, ...], str] = {}
    for word, others in (*SYNONYMS, *more):
        for other in others.split("|"):
            table[tuple(other.casefold().split())] = word
    return table


def first_word(
    text: str, names: Iterable[str], own: Container[str] = (), more: tuple[tuple[str, str], ...] = ()
) -> str:
    """The word of the lines that a typed line begins with, in lower case."""
    return in_bench_words(text, names, own, more).split(" ", maxsplit=1)[0].casefold().rstrip(":=")


def behind_first(text: str) -> str:
    """A line without its first word, as it was typed: the words of a note stay as they are."""
    return " ".join(text.split()).partition(" ")[2]


OWN_WORDS = "own-words"
"""Where a house keeps its rows among its rules."""
MOST_OWN = 2000
"""Characters that a house's rows may have."""


def own_rows(text: str) -> tuple[tuple[str, str], ...]:
    """A house's rows from what it wrote, a line each: ``dish = Schälchen, Abdampfer``.

    Raises:
        Unreadable: with the line that is none, or a word on the left that the lines do not know.

    >>> own_rows("dish = Schälchen, Abdampfer")
    (('dish', 'Schälchen|Abdampfer'),)
    """
    if len(text) > MOST_OWN:
        raise Unreadable(f"Enter at most {MOST_OWN} characters of own words.")
    known = {word for word, _ in SYNONYMS}
    rows = []
    for line in (line.strip() for line in text.splitlines()):
        if not line:
            continue
        word, _, others = line.partition("=")
        said = [other.strip() for other in others.split(",") if other.strip()]
        if not said:
            raise Unreadable(f"“{line[:40]}” is not clear: enter a word and your own for it, such as dish = basin.")
        if word.strip().casefold() not in known:
            raise Unreadable(
                f"“{word.strip()[:20]}” is no word of quick entry: enter one of {', '.join(sorted(known))}."
            )
        rows.append((word.strip().casefold(), "|".join(said)))
    return tuple(rows)


_LONGEST = 4


def in_bench_words(
    text: str, names: Iterable[str], own: Container[str] = (), more: tuple[tuple[str, str], ...] = ()
) -> str:
    """A typed line in the words that the reading lines know.

    Args:
        names: what the page itself calls its things; these words stay.
        own: words that begin a reading of a technique; behind one of them words for things alone are looked for.
        more: a house's own rows, as in :data:`SYNONYMS`.

    >>> in_bench_words("Solvent front: 80 mm", ()), in_bench_words("Schale 3 leer 32.5", ())
    ('front 80 mm', 'dish 3 empty 32.5')
    >>> in_bench_words("note the Filtrat is dry", ()), in_bench_words("dish Filtrat 32.5", ["filtrat"])
    ('note the Filtrat is dry', 'dish Filtrat 32.5')
    """
    table = _table(more)
    known = {tuple(name.casefold().split()) for name in names}
    words = text.split()
    said: list[str] = []
    place = 0
    things = False
    while place < len(words):
        size, word = _phrase(words, place, table, known, things=things, own=own)
        said.append(word)
        place += size
        if len(said) == 1 and word.casefold() in FREE:
            return " ".join([*said, *words[place:]])
        things = things or (len(said) == 1 and word.casefold() in own)
    return " ".join(said)


def _phrase(
    words: list[str],
    place: int,
    table: Mapping[tuple[str, ...], str],
    known: set[tuple[str, ...]],
    *,
    things: bool,
    own: Container[str],
) -> tuple[int, str]:
    """How many words from a place on are one thing, and its word in the lines."""
    for size in range(min(_LONGEST, len(words) - place), 0, -1):
        here = [word.casefold() for word in words[place : place + size]]
        phrase = (*here[:-1], here[-1].rstrip(":"))
        if phrase in known:
            return size, " ".join(words[place : place + size])
        word = table.get(phrase)
        if place == 0 and size == 1 and phrase[0] in own:
            return 1, phrase[0]
        if word is not None and (place == 0 or word not in _COMMANDS) and (not things or word in _NOUNS):
            return size, word
        if size == 1 and place == 0 and phrase[0] in _COMMANDS and here[0] != phrase[0]:
            return 1, phrase[0]
    return 1, words[place]


def plain_numbers(line: str) -> str:
    """A line with each number joined to its unit, in the signs that readings know.

    >>> plain_numbers("solvent 5 cm3 , 41 MM, 20 ml"), plain_numbers("33.120 grams, 3 × 5 mL")
    ('solvent 5mL , 41mm, 20mL', '33.120g, 3 x 5mL')
    """
    line = re.sub(r"(?<=\d)x(?=\d)", " x ", line.translate(_SIGNS))
    line = re.sub(r"(?<=[^\W\d])=(?=\d)", " ", line)
    line = re.sub(r"(?<=\d)\s*(?:±|\+\s?/?\s?-)\s*(?=[.,]?\d)", "±", line)
    for pattern, unit in _UNITS:
        line = pattern.sub(rf"\g<1>{unit}", line)
    return line


_SIGNS = str.maketrans({"×": "x", "−": "-", **{chr(0xFF10 + digit): str(digit) for digit in range(10)}, "．": "."})
"""Signs that phones and other keyboards bring, with those that readings know."""
_UNITS = tuple(
    (re.compile(rf"(?<![\w])(\d[\d.,±]*)\s*(?:{words})(?![\w³])", flags), unit)
    for words, unit, flags in (
        (r"cm3|cm³|cc|ml|mls|millilit(?:er|re)s?", "mL", re.IGNORECASE),
        (r"dm3|dm³|lit(?:er|re)s?|L", "L", 0),
        (r"l", "L", 0),
        (r"µl|μl|ul|microlit(?:er|re)s?", "µL", re.IGNORECASE),
        (r"mm|millimet(?:er|re)s?", "mm", re.IGNORECASE),
        (r"cm|centimet(?:er|re)s?", "cm", re.IGNORECASE),
        (r"inch|inches|in(?=\s*(?:$|[,;]))", "in", re.IGNORECASE),  # not *41 in lane T*
        (r"mg|milligrams?", "mg", 0),
        (r"kg|kilograms?", "kg", 0),
        (r"g|G|gr|gm|grams?|gramm|grammes?", "g", 0),
        (r"mmol", "mmol", 0),
        (r"min|mins|minutes?", "min", 0),
    )
)
