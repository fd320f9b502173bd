"""What the shelf and the class know of the names and codes that are typed in a run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import psycopg

from helvor.core.engine.run.names import Around, Registered
from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable, digits, parse_number
from helvor.notebook import containers
from helvor.notebook.page_rows import Page
from helvor.shelf.liquids import as_known
from helvor.shelf.shelf import formula_of, known_as, shipped

_KINDS = ("solvent", "substance", "precipitate")


def around(conn: psycopg.Connection, account_id: int, page: Page) -> Around:
    """What is known around a page: the shelf, and the containers of its class."""
    return replace(
        BY_THE_SHELF,
        register=registered(conn, account_id, page),
        own=page.bench_number or 0,
        words=page.rules.own_words,
    )


def registered(conn: psycopg.Connection, account_id: int, page: Page) -> Mapping[str, Registered]:
    """The containers of the page's class by their code in lower case; none for the front bench."""
    if page.class_id is None:
        return {}
    return {
        one.now.code.casefold(): Registered(
            code=one.now.code,
            label=one.now.label,
            holds=one.now.content,
            bench=one.now.bench or 0,
        )
        for one in containers.containers_of(conn, account_id, page.class_id)
    }


def another_name(name: str, names: Sequence[str]) -> str:
    """Which of some names means the same on the shelf as another; empty for none.

    >>> another_name("EtOAc", ["hexane", "ethyl acetate"]), another_name("1 M NaOH", ["1 M sodium hydroxide"])
    ('ethyl acetate', '1 M sodium hydroxide')
    """
    said = _what(name)
    return next((other for other in names if said is not None and _what(other) == said), "")


def _what(name: str) -> tuple[str, float | None] | None:
    """What a name means: the item of the shelf or the formula of a solute, and how strong."""
    item = known_as(shipped(), name, _KINDS)
    if item is not None:
        return item.name, None
    known = as_known(name, shipped())
    return (known.formula or known.name, known.molar) if known is not None and known.molar else None


def _formula(name: str) -> str:
    found = formula_of(shipped(), name)
    return found if found != name else ""


def grams_of(mmol: str, formula: str) -> str:
    """So many mmol of a formula in g; empty where one of the two is none.

    >>> grams_of("18.0", "C7H6O2")
    '2.20'
    """
    try:
        return digits(parse_number(mmol)[0] * molar_mass(formula) / 1000, 3)
    except Unreadable:
        return ""


BY_THE_SHELF = Around(
    one_of=another_name,
    knows=lambda name: as_known(name, shipped()) is not None,
    formula=_formula,
    grams=grams_of,
)
"""What the shelf alone knows of names."""
