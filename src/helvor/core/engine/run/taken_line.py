"""An amount taken, as people type it: a substance and how much, in either order, or by difference."""

from __future__ import annotations

import re
from collections.abc import Sequence

from helvor.core.engine.run import entries as e
from helvor.core.engine.run.names import NEW, NOTHING_AROUND, Around
from helvor.core.engine.run.record import Run
from helvor.core.engine.run.slips import slips_of
from helvor.core.engine.run.weighing_line import is_number, mass_of
from helvor.core.quantities.reading import Reading, Unreadable, parse_amount
from helvor.core.record.alike import near, or_of
from helvor.core.record.known import Known
from helvor.core.record.procedure import Substance, named, same
from helvor.core.record.typed_line import NotSure, Understood, built
from helvor.core.record.vocabulary import plain_numbers

SURE = "sure"
"""Behind a line: what looks like a slip was meant."""


_STRENGTHS = ("m", "mol/l", "mm", "%", "n")
"""Words after a number that belong to the name of a solution: 1 M sodium hydroxide, 10 % sodium carbonate."""


AMOUNT = re.compile(r"[~≈]?\d[\d.,±-]*(?:mg|g|kg|mL|µL|L|mmol)")


ABOUT = frozenset(("about", "ca", "ca.", "approx", "approximately", "roughly"))


LOOSE = frozenset(("of", "the", "=", ":", "was", "is", "were", "taken", "used", "in", "weighs"))


def amount_last(words: list[str]) -> list[str]:
    """``15mL of water`` with the amount behind the name, as it is read."""
    if len(words) > 1 and AMOUNT.fullmatch(words[0]) and not is_number(words[-1]):
        return [*words[1:], words[0]]
    return words


def _named_to(words: list[str], run: Run) -> int:
    """How many of the first words are a name that begins with a number itself, such as 3 M hydrochloric acid."""
    known = [n for s in run.procedure.substances if same(" ".join(words[: (n := len(s.name.split()))]), s.name)]
    if known:
        return max(known)
    return 2 if len(words) > 3 and is_number(words[0]) and words[1].casefold() in _STRENGTHS else 0


def _by_whole_name(words: list[str], run: Run) -> tuple[str, list[str]] | None:
    """A substance of this run by its whole name, which may hold numbers and colons, and the words of its amount.

    ``heptane : acetone 9 : 1 10 mL`` and ``10 mL heptane : acetone 9 : 1``.
    """
    found: tuple[str, list[str]] | None = None
    for substance in run.procedure.substances:
        own = substance.name.split()
        if len(own) < 2 or len(own) >= len(words) or (found and len(found[0].split()) >= len(own)):
            continue
        first, last = " ".join(words[: len(own)]), " ".join(words[-len(own) :])
        behind = words[len(own) :] if same(first, substance.name) else words[: -len(own)]
        behind = [word for word in behind if word.casefold() not in LOOSE | ABOUT]
        if behind and (same(first, substance.name) or same(last, substance.name)):
            found = substance.name, behind
    return found


def read_taken(words: list[str], run: Run, step: str, around: Around, *, sure: bool) -> Understood:
    """Read an amount taken.

    Args:
        words: the line without its command; sure: what looks like a slip was meant.

    Raises:
        Unreadable: with one sentence; NotSure with lines that answer.
    """
    words, instead = _without_instead(words)
    estimated = any(word.casefold() in ABOUT for word in words) or "~" in " ".join(words)
    name, behind = _by_whole_name(words, run) or ("", [])
    if not behind:
        words = amount_last([word for word in words if word.casefold() not in LOOSE | ABOUT])
        at = _first_number(words, run)
        if not at:
            raise _no_amount(words, run)
        name, behind = " ".join(words[:at]), words[at:]
    known = named(run.procedure.substances, name) or _alias(name, run, around)
    if known is None and not sure:
        _ask_which_substance(name, behind, run, around)
    substance = known.name if known else name.removeprefix(f"{NEW} ")
    called = f" (“{name}”)" if known is not None and not same(known.name, name) else ""
    rest = _as_limits([word for word in behind if word.casefold() not in ("to", "→", "-")])
    more = {"instead": instead} if instead and not same(instead, substance) else {}
    if len(rest) == 2:
        before, after = mass_of(rest[0], "Before"), mass_of(rest[1], "After")
        by = built(e.Taken, substance=substance, before=before, after=after, step=step, **more)
        took = f"{before} to {after}, *{before.value - after.value:.3f} g*"
        return Understood(by, f"*{substance}*{called} by difference: {took}")
    if len(rest) != 1:
        raise Unreadable(f"“{' '.join(rest)[:30]}” is not an amount: enter it with its unit, such as 1.02 g.")
    amount = _amount(rest[0], substance, known, around)
    if known is not None and not sure:
        _ask_ten_times(amount, known, rest[0])
        _ask_portions(amount, known, run, step)
    payload = built(e.Taken, substance=substance, amount=amount, step=step, estimated=estimated, **more)
    return Understood(payload, f"took *{amount}* of {substance}{called}{_beside_it(payload, known)}")


def _as_limits(rest: list[str]) -> list[str]:
    """*24 to 25 mL* as the limits of one volume, for nothing is weighed by difference in mL."""
    if len(rest) == 2 and re.search(r"[^\d.,]L$", rest[1]) and re.fullmatch(r"[\d.,]+", rest[0]):
        return ["-".join(rest)]
    return rest


def _first_number(words: list[str], run: Run) -> int:
    """The place of the first number behind the substance's name; 0 where there is none."""
    named_to = _named_to(words, run)
    numbers = (i for i, word in enumerate(words) if i >= named_to and is_number(word) and re.search(r"\d", word))
    return next(numbers, 0)


def _without_instead(words: list[str]) -> tuple[list[str], str]:
    """The words before *instead*, and what stood in."""
    plain = [word.casefold() for word in words]
    if "instead" not in plain:
        return words, ""
    at = plain.index("instead")
    return words[:at], " ".join(word for word in words[at + 1 :] if word.casefold() != "of")


def _beside_it(said: e.Taken, known: Substance | None) -> str:
    """What else is written, and what was planned."""
    stood_in = f" ({said.instead} instead)" if said.instead else ""
    about = ", estimated" if said.estimated else ""
    target = f", {known.amount} planned" if known and known.amount else ""
    return f"{stood_in}{about}{target}"


def _alias(name: str, run: Run, around: Around) -> Substance | None:
    """The substance of this run that the shelf knows under this name as well."""
    other = around.one_of(name, [substance.name for substance in run.procedure.substances])
    return run.procedure.substance(other) if other else None


_AMOUNT_LAST = re.compile(r"(?P<name>.*\D)\s+(?P<amount>[\d.,]+\s*[^\W\d]+)")
_AMOUNT_FIRST = re.compile(r"(?P<amount>[\d.,]+\s*(?:mg|g|kg|mL|ml|µL|L))\s+(?:of\s+)?(?P<name>.+)")


def added_substances(text: str, run: Run, around: Around, known: Known) -> list[Substance]:
    """What a step adds, with its amounts: ``diethyl ether 15 mL, 10 mL brine``. What the run has stays as it is.

    Raises:
        Unreadable: an amount or a name is not clear; NotSure where a name is nearly one of the run's.
    """
    found: list[Substance] = []
    for piece in filter(None, re.split(r"\s*[,;]\s+|\s*;\s*", plain_numbers(text.strip()))):
        match = _AMOUNT_FIRST.fullmatch(piece) or _AMOUNT_LAST.fullmatch(piece)
        amount = parse_amount(match["amount"]) if match is not None else None
        name = substance_meant((match["name"] if match is not None else piece).strip(), run, around)
        there = run.procedure.substance(name)
        if there is not None:
            found.append(there)
        elif len(name) > 40 or not name.isprintable():
            raise Unreadable(f"“{name[:20]}” is no name: enter at most 40 characters that can be printed.")
        else:
            found.append((known(name) or Substance(name=name)).model_copy(update={"amount": amount}))
    return found


def substance_meant(name: str, run: Run, around: Around) -> str:
    """The substance that a table means: this run's under any of its names, or another that the shelf knows.

    Raises:
        NotSure: it is nearly one of the run's, or unknown.
    """
    known = named(run.procedure.substances, name) or _alias(name, run, around)
    if known is None:
        _ask_which_substance(name, (), run, around)
    return known.name if known is not None else name.removeprefix(f"{NEW} ")


def _ask_which_substance(name: str, rest: Sequence[str], run: Run, around: Around) -> None:
    """Ask about a name that is nearly one of this run's, and that the shelf does not know.

    Raises:
        NotSure: with those it may be.
    """
    if name.casefold().startswith(f"{NEW} ") or around.knows(name):
        return
    names = [substance.name for substance in run.procedure.substances]
    maybe = near(name, names)
    if not maybe and (run.is_blank or around is NOTHING_AROUND):
        return
    amount = " ".join(rest)
    answers = [*(f"take {one} {amount}" for one in maybe), f"take {NEW} {name} {amount}"]
    hint = f"Enter {or_of(maybe)}?" if maybe else f"If something else was taken, write {NEW} before it."
    raise NotSure(f"“{name[:40]}” is no substance of this run. {hint}", answers)


def _no_amount(words: list[str], run: Run) -> Unreadable:
    sentence = (
        "Enter the substance and its amount, for example: take potassium chloride 1.02 g, or take salt 15.214 to "
    )
    name = " ".join(words)
    known = named(run.procedure.substances, name)
    if known is not None and known.amount is not None:
        return NotSure(f"{sentence}14.203.", [f"take {known.name} {known.amount}"])
    return Unreadable(f"{sentence}14.203.")


def _amount(word: str, substance: str, known: Substance | None, around: Around) -> Reading:
    """An amount with its unit; moles are a mass that was weighed, or a volume that was measured, and are asked.

    Raises:
        Unreadable: it is none; NotSure with what it may be.
    """
    if word.endswith("mmol"):
        formula = (known.formula if known else "") or around.formula(substance)
        grams = around.grams(word.removesuffix("mmol"), formula) if formula else ""
        answers = [f"take {substance} {grams} g"] if grams else []
        worked = f": {word.removesuffix('mmol')} mmol are {grams} g" if grams else ""
        raise NotSure(f"Enter the mass or the volume that was measured{worked}.", answers)
    if re.fullmatch(r"[~≈]?[\d.,]+", word):
        units = [known.amount.unit] if known is not None and known.amount is not None else ["g", "mL"]
        sentence = f"“{word}” is not an amount with a unit: write 2.05 g or 25 mL."
        raise NotSure(sentence, [f"take {substance} {word} {unit}" for unit in units])
    return parse_amount(word.lstrip("~≈"))


def _ask_ten_times(amount: Reading, known: Substance, word: str) -> None:
    """Ask about an amount that is ten or a hundred times what is planned, or a tenth.

    Raises:
        NotSure: with what it may have been, and with the line as it stands.
    """
    planned = known.amount
    if planned is None or planned.unit != amount.unit or not planned.value or not amount.value:
        return
    ratio = amount.value / planned.value
    times = next((by for by in (10.0, 100.0, 0.1, 0.01) if 0.8 * by <= ratio <= 1.25 * by), None)
    if times is None:
        return
    number = re.match(r"[\d.,]+", word)
    slips = slips_of(number[0]) if number else []
    close = [slip for slip in slips if 0.75 <= float(slip) / planned.value * _unit(word) <= 1.34][:2]
    much = {10.0: "ten times", 100.0: "a hundred times", 0.1: "a tenth of", 0.01: "a hundredth of"}[times]
    unit = word.removeprefix(number[0]) if number else ""
    maybe = f"{or_of([f'{slip} {unit}' for slip in close])}?" if close else "read it again."
    raise NotSure(
        f"{amount} is {much} the {planned} planned: {maybe}",
        [*(f"take {known.name} {slip} {unit}" for slip in close), f"take {known.name} {word} {SURE}"],
    )


def _ask_portions(amount: Reading, known: Substance, run: Run, step: str) -> None:
    """Ask in how many portions the whole of a liquid went in, where its step takes several.

    Raises:
        NotSure: with the portions as planned, and with one.
    """
    here, planned = run.procedure.step(step), known.amount
    if here is None or here.times < 2 or planned is None or planned.unit != amount.unit or not planned.value:
        return
    if not any(same(name, known.name) for name in here.adds) or not 0.95 <= amount.value / planned.value <= 1.05:
        return
    if any(same(on.taken.substance, known.name) and on.taken.step == step for on in run.taken):
        return
    each = f"{amount.value / here.times:g} {amount.unit}"
    portions = ", ".join([f"take {known.name} {each}"] * here.times)
    raise NotSure(
        f"{here.times} portions are planned: did {amount} go in as {here.times} portions of {each}, or all at once?",
        [portions, f"take {known.name} {amount} {SURE}"],
    )


def _unit(word: str) -> float:
    return {"mg": 1e-3, "kg": 1e3, "L": 1e3, "µL": 1e-3}.get(re.sub(r"[\d.,]", "", word), 1.0)
