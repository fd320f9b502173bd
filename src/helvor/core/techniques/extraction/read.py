"""Liquids and components as people write them, a line each.

A liquid is a name and a volume: ``diethyl ether 50 mL``, ``3 M HCl 15 mL``. A component is a name, and
whatever differs from what is known of it: ``benzoic acid 1.00 g``, ``my amine base pKa 9.2 logP 1.5``.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import replace

from helvor.core.laws.extraction.acid_base import Acts
from helvor.core.laws.extraction.layers import Liquid, solution
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable, parse, parse_number
from helvor.core.techniques.extraction.scheme import Part

LiquidOf = Callable[[str], Liquid | None]
PartOf = Callable[[str], Part | None]
FormulaOf = Callable[[str], str]

_VOLUME = re.compile(r"(?P<name>.+?)[\s,:]+(?P<volume>[\d.,]+\s*(?:mL|ml|L|µL)?)$")
_MOLAR = re.compile(
    r"(?P<molar>[\d.,]+)\s*(?:M|mol/L)\s+(?P<of>.+)$|(?P<before>.+?)\s+(?P<behind>[\d.,]+)\s*(?:M|mol/L)$"
)
_DENSITY = re.compile(r"\s*\(?([\d.,]+)\s*g/mL\)?")


def read_liquid(line: str, known: LiquidOf, formula: FormulaOf) -> tuple[Liquid, float]:
    """A liquid and its volume, mL.

    Args:
        line: what was written.
        known: a name → the liquid, None where it is not known.
        formula: a name of a solute → its formula.

    Raises:
        Unreadable: no volume, or a liquid of which neither layer nor density is known.
    """
    text = " ".join(line.split())
    own = _DENSITY.search(text)
    match = _VOLUME.fullmatch(_DENSITY.sub("", text).strip())
    if match is None:
        raise Unreadable(f"“{text[:40]}” is not clear: enter a name and a volume, such as diethyl ether 50 mL.")
    volume = parse(match["volume"], "volume", field_unit="mL").value
    if volume <= 0:
        raise Unreadable(f"“{text[:40]}”: enter a volume above 0 mL.")
    name = match["name"].strip()
    molar = _MOLAR.fullmatch(name)
    if molar is not None:
        concentration = parse_number(molar["molar"] or molar["behind"])[0]
        of = formula((molar["of"] or molar["before"]).strip())
        molar_mass(of)
        liquid = solution(name, of, concentration)
    else:
        found = known(name)
        if found is None and own is None:
            raise Unreadable(
                f"{name} is not a liquid in the reference data: enter its density, such as {name} 0.87 g/mL 20 mL."
            )
        liquid = found or Liquid(name, "organic", 1.0)
    if own is not None:
        liquid = replace(liquid, density=parse_number(own[1])[0])
    return liquid, volume


_ACTS: dict[str, Acts] = {"acid": "acid", "base": "base", "amine": "base", "neutral": "neutral"}
_PKA = re.compile(r"\bpka\s*[=:]?\s*(-?\d+(?:[.,]\d+)?)", re.IGNORECASE)
_LOG = re.compile(r"\blog\s*[pk]\s*[=:]?\s*(-?\d+(?:[.,]\d+)?)", re.IGNORECASE)
_K = re.compile(r"\bk\s*[=:]\s*(\d+(?:[.,]\d+)?)", re.IGNORECASE)
_GRAMS = re.compile(r"(?<![\w.,])(\d+(?:[.,]\d+)?)\s*(mg|g)\b")


def _named_part(rest: str, known: PartOf) -> tuple[str, str]:
    """What the line calls the component, and the word behind it that says how it acts, where one does."""
    words = rest.split()
    last = words[-1].casefold() if words else ""
    if last in _ACTS and known(rest) is None:
        return " ".join(words[:-1]).strip(" ,:;"), last
    return rest, ""


def _checked(part: Part) -> Part:
    """The component, if all is known that a scheme needs.

    Raises:
        Unreadable: an acid or base without a pKa, a component without log P or an amount.
    """
    if part.acts != "neutral" and part.pka is None:
        raise Unreadable(f"{part.name}: enter its pKa, such as {part.name} acid pKa 4.2 logP 1.9.")
    if part.log_k is None:
        raise Unreadable(
            f"{part.name}: its log P is not in the reference data: enter it, such as {part.name} logP 2.1."
        )
    if part.grams <= 0:
        raise Unreadable(f"{part.name}: enter an amount above 0 g.")
    return part


def read_part(line: str, known: PartOf) -> Part:
    """A component of a mixture; what is not written is what is known of it, an amount of 1 g without one.

    Raises:
        Unreadable: an acid or base without a pKa, a component without log P.
    """
    text = " ".join(line.replace("−", "-").split())
    pka, log_k, k, grams = (pattern.search(text) for pattern in (_PKA, _LOG, _K, _GRAMS))
    rest = text
    for pattern in (_PKA, _LOG, _K, _GRAMS):
        rest = pattern.sub(" ", rest)
    name, said = _named_part(rest.strip(" ,:;"), known)
    if not name:
        raise Unreadable("Enter the component, such as benzoic acid 1.00 g.")
    part = known(name) or Part(name, "", 1.0, "neutral")
    if said:
        part = replace(part, acts=_ACTS[said])
    elif pka is not None and part.acts == "neutral":
        raise Unreadable(f"{name}: add the word acid, or base if the pKa is that of the conjugate acid.")
    if pka is not None:
        part = replace(part, pka=_number(pka[1]))
    if log_k is not None:
        part = replace(part, log_k=_number(log_k[1]))
    elif k is not None:
        ratio = _number(k[1])
        if ratio <= 0:
            raise Unreadable(f"{name}: enter a K above 0.")
        part = replace(part, log_k=math.log10(ratio))
    if grams is not None:
        part = replace(part, grams=_number(grams[1]) / (1000 if grams[2] == "mg" else 1))
    return _checked(part)


def _number(text: str) -> float:
    negative = text.startswith("-")
    value = parse_number(text.removeprefix("-"))[0]
    return -value if negative else value
