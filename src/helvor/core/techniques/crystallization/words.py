"""The words of the reading line for crystals."""

from __future__ import annotations

import re

from helvor.core.engine.run.names import portion_meant
from helvor.core.engine.run.record import Run
from helvor.core.laws.crystallization.melting import (
    Standard,
    correction,
    read_range,
)
from helvor.core.quantities.reading import Unreadable, parse, parse_number, round_to
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import named, same
from helvor.core.record.typed_line import NotSure, Understood, built
from helvor.core.techniques.crystallization.entries import (
    REMEDIES,
    WHY,
    Crystallized,
    MeltingSeen,
    SolventAdded,
    SolventTried,
    StandardMelted,
    TemperatureSeen,
)
from helvor.core.techniques.crystallization.record import (
    CRYSTALLIZE,
    DISSOLVE,
    MELT,
    TRY,
    published_of,
    standards_of,
)
from helvor.core.techniques.filtration.findings import step_here

_OUTCOMES = {
    "yes": "crystals",
    "crystals": "crystals",
    "none": "nothing",
    "no": "nothing",
    "nothing": "nothing",
    "oil": "oil",
    "coloured": "coloured",
    "grey": "grey",
}
_MELTS = re.compile(
    r"(?P<portion>.+?)\s+(?:mixed\s+with|with)?\s*(?P<range>\d[\d.,]*\s*(?:(?:-|–|to)\s*\d[\d.,]*)?)\s*(?:°C)?"
    r"(?:\s+(?P<rate>[\d.,]+)\s*(?:°C)?\s*/\s*min)?\s*$"
)
_TRIED = re.compile(r"\b(cold|hot|cooled)\s+(none|some|all|crystals|oil|nothing)\b")


def read_solvent(words: list[str], run: Run, step: str) -> Understood:
    """Solvent that went in: ``10 mL``, ``4 mL rinse``."""
    if not words:
        raise Unreadable("Enter the volume, for example: solvent 10 mL, or solvent 4 mL rinse.")
    here = step_here(run, step, (DISSOLVE, CRYSTALLIZE), "dissolved hot")
    text = " ".join(words)
    match = re.match(r"[\d.,]+\s*(?:mL|ml|L)?", text)
    if match is None:
        raise Unreadable("Enter the volume, for example: solvent 10 mL, or solvent 4 mL rinse.")
    rest = text[match.end() :].strip().casefold()
    why = next((key for key in WHY if rest and key.startswith(rest.split()[0])), "dissolve" if not rest else None)
    if why is None:
        raise Unreadable(f"“{rest[:20]}”: {', '.join(WHY)}?")
    dissolving = next((s.id for s in run.procedure.steps if s.kind == DISSOLVE), here)
    payload = built(
        SolventAdded, step=dissolving, volume=parse(match.group().strip(), "volume", field_unit="mL"), why=why
    )
    return Understood(payload, f"*{describe(payload)}*")


def read_temperature(words: list[str], run: Run, step: str) -> Understood:
    """What the thermometer showed: ``74``, ``74 first crystals``."""
    if not words:
        raise Unreadable("Enter the temperature, for example: temp 74, or temp 74 first crystals.")
    value = parse_number(words[0].rstrip("°C"))[0]
    payload = built(
        TemperatureSeen,
        step=step_here(run, step, (CRYSTALLIZE, DISSOLVE), "cooled"),
        celsius=value,
        seen=" ".join(words[1:]).removeprefix("°C").strip(),
    )
    return Understood(payload, f"*{describe(payload)}*")


def read_crystals(words: list[str], run: Run, step: str) -> Understood:
    """How it crystallized: one of the outcomes, with what was done."""
    first = words[0].casefold() if words else ""
    if first not in _OUTCOMES:
        raise Unreadable("Enter the result: crystals yes, crystals none, crystals oil, or crystals none scratched.")
    rest = " ".join(words[1:]).casefold()
    remedy = next((key for key in REMEDIES if key and rest and key.startswith(rest.split()[0])), "")
    payload = built(
        Crystallized,
        step=step_here(run, step, (CRYSTALLIZE, DISSOLVE), "crystallized"),
        outcome=_OUTCOMES[first],
        remedy=remedy,
    )
    return Understood(payload, f"*{describe(payload)}*")


def read_melts(words: list[str], run: Run, step: str) -> Understood:
    """A melting range: ``crude 113.2-114.1``."""
    line = re.sub(r"(?<=\d)\s*(?:-|–|\bto\b)\s*(?=\d)", "-", " ".join(words))
    if re.match(r"[\d.,]", line):
        here = run.procedure.step(step) or run.procedure.step(step_here(run, step, (MELT,), "melted"))
        if here is None or not here.on:
            names = [one.on for one in run.procedure.steps if one.kind == MELT and one.on]
            raise NotSure(f"Which melts from {line[:20]}?", [f"melts {name} {line}" for name in names[:4]])
        line = f"{here.on} {line}"
    match = _MELTS.match(line)
    if match is None:
        raise Unreadable(
            "Enter what melted and its range, for example: melts product 113.2-114.1, or melts product with "
            "acetanilide 113-114."
        )
    seen = read_range(match["range"])
    # A portion may itself be called a mixture: “mixed with urea”.
    whole = next((name for name in run.portion_names if same(name, match["portion"].strip())), "")
    portion, _, mixed = (whole, "", "") if whole else match["portion"].partition(" with ")
    known = whole or next((name for name in run.portion_names if same(name, portion.strip())), "")
    if not known:
        said, rest = portion.strip(), line[match.end("portion") :].strip()
        known = portion_meant(said, (), run, step, {}, f"melts {{}} {rest}").name
    payload = built(
        MeltingSeen,
        step=step_here(run, step, (MELT,), "melted"),
        portion=known,
        starts=seen.starts,
        ends=seen.ends,
        rate=parse_number(match["rate"])[0] if match["rate"] else None,
        mixed_with=mixed.strip(),
    )
    judged = ""
    _, published = published_of(run.procedure, known)
    if published is not None and not mixed:
        off = correction(seen.starts, standards_of(run))
        shown = f", corrected by {round_to(off, 1)} °C" if off else ""
        judged = f"{shown}; published {round_to(published, 1)} °C"
    return Understood(payload, f"*{describe(payload)}*{judged}")


def read_standard(words: list[str], run: Run, step: str) -> Understood:
    """A melting standard with its published and its read melting point."""
    match = re.fullmatch(r"(.+?)\s+([\d.,]+)\s+(?:read\s+)?([\d.,]+)", " ".join(words))
    if match is None:
        raise Unreadable(
            "Enter the standard and both temperatures, for example: standard benzoic acid 122.4 read 121.6."
        )
    published, read = parse_number(match[2])[0], parse_number(match[3])[0]
    payload = built(
        StandardMelted, step=step_here(run, step, (MELT,), "melted"), name=match[1], published=published, read=read
    )
    off = correction(read, [Standard(match[1], published, read)])
    return Understood(
        payload,
        f"*{describe(payload)}*, so this thermometer is {round_to(abs(off), 1)} °C "
        f"{'low' if off > 0 else 'high'} there",
    )


def read_try(words: list[str], run: Run, step: str) -> Understood:
    """A test tube: how much dissolved cold and hot, and what came out on cooling."""
    text = " ".join(words)
    said = dict(_TRIED.findall(text.casefold()))
    name = re.split(r"\b(?:cold|hot|cooled)\b", text, maxsplit=1, flags=re.IGNORECASE)[0].strip()
    if not name or not said:
        raise Unreadable(
            "Enter the solvent and what you saw, for example: try water cold none hot all cooled crystals."
        )
    known = named(run.procedure.substances, name)
    payload = built(
        SolventTried,
        step=step_here(run, step, (TRY, DISSOLVE), "tried"),
        solvent=known.name if known else name,
        cold=said.get("cold", ""),
        hot=said.get("hot", ""),
        cooled=said.get("cooled", ""),
    )
    return Understood(payload, f"*{describe(payload)}*")


def describe(payload: Payload) -> str:
    """An entry in bench words."""
    match payload:
        case SolventAdded() as added:
            return f"{added.volume} {WHY[added.why]}" if added.why != "dissolve" else f"{added.volume} hot solvent"
        case TemperatureSeen() as seen:
            return f"{seen.celsius:g} °C" + (f", {seen.seen}" if seen.seen else "")
        case Crystallized() as came:
            words = {
                "crystals": "crystals",
                "nothing": "no crystals",
                "oil": "an oil",
                "coloured": "coloured crystals",
                "grey": "grey crystals",
            }
            return words[came.outcome] + (f", {REMEDIES[came.remedy]}" if came.remedy else "")
        case MeltingSeen() as melting:
            mixed = f" with {melting.mixed_with}" if melting.mixed_with else ""
            rate = f", {melting.rate:g} °C/min" if melting.rate is not None else ""
            return f"{melting.portion}{mixed} melts {melting.range.shown} °C{rate}"
        case StandardMelted() as standard:
            read, known = round_to(standard.read, 1), round_to(standard.published, 1)
            return f"standard {standard.name}: {read} °C read, {known} °C known"
        case SolventTried() as tried:
            said = [
                f"{when} {how}"
                for when, how in (("cold", tried.cold), ("hot", tried.hot), ("cooled", tried.cooled))
                if how
            ]
            return f"{tried.solvent}: {', '.join(said)}"
    return ""
