"""Handouts as instructors write them, and what must be read from them: ``texts``, each with what it holds below ---."""

import re
from difflib import SequenceMatcher
from functools import cache
from pathlib import Path

from helvor.core.handout.read import read_handout
from helvor.core.techniques.registered import STEP_KINDS
from helvor.shelf.liquids import as_known
from helvor.shelf.shelf import shipped

TEXTS = sorted((Path(__file__).parent / "texts").glob("*.txt"))


def known(name):
    return as_known(name, shipped())


@cache
def handout(path):
    """The text, what it must hold, and what is read from it."""
    text, _, wanted = path.read_text(encoding="utf-8").partition("\n---\n")
    fields = dict(re.findall(r"^(\w+):\s*(.*)$", wanted, re.MULTILINE))
    return text, fields, read_handout(text, STEP_KINDS, known)


def listed(field):
    return [one.strip() for one in re.split(r"[;,](?=\s|$)", field) if one.strip()]


def amounts_of(path):
    """(right, wanted, missing) of the amounts: name, total, unit, and whether it is exact where that is said."""
    _, fields, read = handout(path)
    there = [one.substance for one in read.substances if one.substance.amount]
    missing = []
    wanted = [one.strip() for one in fields["amounts"].split(";") if one.strip()]
    for one in wanted:
        match = re.fullmatch(r"(.+?) ([\d.]+) (g|mL)(?: x(\d+))?(?: (exact|about))?", one)
        assert match, one
        name, value, unit, times, how = match.groups()
        total = float(value) * int(times or 1)
        found = next(
            (
                s
                for s in there
                if s.amount.unit == unit
                and abs(s.amount.value - total) < 1e-6
                and (name.casefold() in s.name.casefold() or s.name.casefold() in name.casefold())
                and (how != "exact" or s.exact)
                and (how != "about" or not s.exact)
            ),
            None,
        )
        if found is None:
            missing.append(one)
        else:
            there.remove(found)
    return len(wanted) - len(missing), len(wanted), missing


def kinds_of(path):
    """(right, wanted, wanted kinds, kinds read) in their order; what is read besides counts against it."""
    _, fields, read = handout(path)
    wanted = listed(fields["kinds"])
    got = [one.step.kind for one in read.steps]
    right = sum(block.size for block in SequenceMatcher(None, wanted, got, autojunk=False).get_matching_blocks())
    return right, max(len(wanted), len(got)), wanted, got
