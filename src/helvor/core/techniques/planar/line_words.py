"""Words that a typed reading of a plate may hold: colours, lamps and stains, strengths, looks, and words between.

All are common usage at the bench, no source.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from helvor.core.techniques.planar.plate import LIGHTS, SWATCHES, Light, Strength


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


COLOURS: dict[str, str] = {
    **{word: word for word in SWATCHES if word},
    "violet": "purple",
    "lilac": "purple",
    "mauve": "purple",
    "magenta": "pink",
    "rose": "pink",
    "crimson": "red",
    "turquoise": "blue",
    "cyan": "blue",
    "navy": "blue",
    "olive": "green",
    "lime": "green",
    "gold": "yellow",
    "golden": "yellow",
    "amber": "orange",
    "tan": "brown",
    "beige": "brown",
    **dict.fromkeys(("rot", "rouge", "rojo"), "red"),
    **dict.fromkeys(("gelb", "jaune", "amarillo"), "yellow"),
    **dict.fromkeys(("grün", "vert", "verde"), "green"),
    **dict.fromkeys(("blau", "bleu", "azul"), "blue"),
    **dict.fromkeys(("violett", "morado", "lila"), "purple"),
    **dict.fromkeys(("braun", "brun", "marrón"), "brown"),
    **dict.fromkeys(("schwarz", "noir", "negro"), "black"),
    "grey": "",
    "gray": "",
    "colourless": "",
    "colorless": "",
}
"""Word of a colour → the swatch that is shown beside it; empty where none is like it."""
_ISH = {"bluish": "blue", "blueish": "blue", "reddish": "red", "purplish": "purple", "greyish": "", "grayish": ""}
SHADES = frozenset({"light", "pale", "dark", "deep", "bright", "dull", "very", "slightly", "intense", "soft"})
"""Words that shade the colour behind them."""
STRENGTHS: dict[str, Strength] = {
    **dict.fromkeys(("faint", "weak", "trace"), "faint"),
    **dict.fromkeys(("clear", "medium", "normal"), "clear"),
    **dict.fromkeys(("heavy", "strong", "intense"), "heavy"),
}
LOOKS = _words(
    "tailing tailed tail streak streaked streaking smear smeared round oval double crescent ring diffuse sharp "
    "dark fluorescent fluorescing fluoresces glowing glows quenched quenching quenches broad elongated"
)
"""Words for how a spot looks besides its colour; they are kept with it."""
STAINS = _words(
    "iodine ninhydrin permanganate kmno4 anisaldehyde vanillin phosphomolybdic molybdate dinitrophenylhydrazine "
    "bromocresol sulfuric charring"
)
"""Reagents that a plate is dipped or sprayed with; their word is kept with the colour."""
_LIGHTS: dict[str, Light] = {
    **dict.fromkeys(("daylight", "daylit", "visible", "vis", "day", "eye"), "daylight"),
    **dict.fromkeys(("254", "254nm", "uv254", "uv-254", "short", "shortwave", "short-wave"), "254"),
    **dict.fromkeys(("365", "365nm", "366", "366nm", "uv365", "uv-365", "long", "longwave", "long-wave"), "365"),
    **dict.fromkeys(("stain", "stained", "dip", "dipped", "spray", "sprayed"), "stain"),
}
LAMPS = frozenset({"uv", "lamp", "ultraviolet"})
"""Words for a lamp that do not say which."""
BETWEEN = _words(
    "sample spot spots at in lane is was the a an of under seen with colour color distance from origin line above "
    "height up and it there has = : - to nm lamp light after stain reagent solution wave centre center middle on over"
)
"""Words that say nothing by themselves."""
EDGE = _words("edge bottom base rim end")
"""Words that tell that a distance was not measured from the origin."""
NOTHING = _words("nothing none no invisible missing")


@dataclass(slots=True)
class Looks:
    """What the words after a distance say of a spot; ``odd`` are those that say nothing known."""

    colour: list[str] = field(default_factory=list)
    swatch: str = ""
    strength: Strength | None = None
    seen: list[Light] = field(default_factory=list)
    lamp: bool = False
    odd: list[str] = field(default_factory=list)


def light_of(word: str) -> Light | None:
    """The light that a word means, None for no light; *UV* alone does not say which."""
    return _LIGHTS.get(word)


def colour_of(word: str) -> tuple[bool, str]:
    """Whether a word is a colour, two-part ones too, and its swatch, that of the last part.

    >>> colour_of("blue-green"), colour_of("yellowish"), colour_of("uv")
    ((True, 'green'), (True, 'yellow'), (False, ''))
    """
    parts = [part for part in re.split(r"[-/]", word) if part]
    if not parts:
        return False, ""
    swatch = ""
    for part in parts:
        stem = _ISH.get(part, part.removesuffix("ish"))
        if part in COLOURS:
            swatch = COLOURS[part]
        elif stem in COLOURS:
            swatch = COLOURS[stem]
        elif part not in SHADES:
            return False, ""
    return any(part not in SHADES for part in parts), swatch


def read_looks(words: list[str]) -> Looks:
    """Colour, strength and light among words that are no numbers.

    >>> looks = read_looks(["pale", "blue-green", "faint", "254"])
    >>> looks.colour, looks.swatch, looks.strength, looks.seen
    (['pale', 'blue-green'], 'green', 'faint', ['254'])
    """
    looks = Looks()
    for place, word in enumerate(words):
        plain = word.casefold()
        is_colour, swatch = colour_of(plain)
        light = light_of(plain)
        if is_colour:
            looks.colour.append(word)
            looks.swatch = swatch or looks.swatch
        elif plain in SHADES and _shades_a_colour(words[place + 1 :]):
            looks.colour.append(word)
        elif plain == "light" and place and (light_of(words[place - 1].casefold()) or words[place - 1] in LAMPS):
            continue
        elif light is not None:
            looks.seen.append(light)
        elif plain in LAMPS:
            looks.lamp = True
        elif plain in STAINS:
            looks.seen.append("stain")
            looks.colour.append(word)
        elif plain in STRENGTHS:
            looks.strength = STRENGTHS[plain]
        elif plain in LOOKS:
            looks.colour.append(word)
        elif plain in BETWEEN or plain in SHADES:
            continue
        else:
            looks.odd.append(word)
    looks.seen = [light for light in LIGHTS if light in looks.seen]
    return looks


def _shades_a_colour(behind: list[str]) -> bool:
    following = next((word.casefold() for word in behind if word.casefold() not in SHADES), "")
    return colour_of(following)[0]
