"""What institutions put on the shelf. Values are added, never changed: the newest of a property holds."""

from __future__ import annotations

from collections.abc import Sequence

import psycopg

from helvor.core.quantities.formula import molar_mass
from helvor.core.quantities.reading import Unreadable
from helvor.core.record.entry import Problem
from helvor.shelf.shelf import KINDS, PROPERTIES, Item, OwnValue, with_own
from helvor.shelf.solubilities import read_dissolves

MAX_IMPORT = 5000
LONGEST = 300
"""Characters of a value; the hazards of one substance take up to two hundred."""


def own_values(conn: psycopg.Connection, account_id: int) -> list[OwnValue]:
    """The values of the account's institution, oldest first."""
    rows = conn.execute(
        "SELECT s.kind, s.item, s.property, s.value, s.source, a.name FROM shelf_value s"
        " JOIN account a ON a.id = s.made_by"
        " WHERE s.institution_id = (SELECT institution_id FROM account WHERE id = %s) ORDER BY s.id",
        [account_id],
    ).fetchall()
    return [OwnValue(*row) for row in rows]


def shelf_of(conn: psycopg.Connection, account_id: int) -> list[Item]:
    """The shelf as the account's institution has it."""
    return with_own(own_values(conn, account_id))


def checked(kind: str, item: str, key: str, text: str, source: str) -> OwnValue:
    """A value that can be put on the shelf.

    Raises:
        Problem: with the field and one sentence.
    """
    item, text, source = (" ".join(word.split()) for word in (item, text, source))
    if kind not in KINDS:
        raise Problem("kind", f"“{kind[:30]}” is not a table of the reference data: choose {', '.join(KINDS)}.")
    if not item or len(item) > 60 or not item.isprintable():
        raise Problem("item", "Enter the item, at most 60 characters.")
    if len(source) < 2 or len(source) > 120 or not source.isprintable():
        raise Problem("source", "Enter the source of the value: a handbook, the bottle, weighed here.")
    if key == "formula":
        try:
            molar_mass(text)
        except Unreadable as unreadable:
            raise Problem("value", str(unreadable)) from unreadable
        return OwnValue(kind, item, key, text, source, "")
    known = PROPERTIES.get(key)
    if known is None:
        raise Problem("property", f"“{key[:30]}” is not a property of the reference data: choose one from the list.")
    if not text or not text.isprintable():
        raise Problem("value", "Enter the value.")
    if len(text) > LONGEST:
        raise Problem("value", f"Enter at most {LONGEST} characters.")
    if key == "dissolves":
        try:
            read_dissolves(text)
        except Unreadable as unreadable:
            raise Problem("value", str(unreadable)) from unreadable
    if known.is_number:
        plain = text.replace("−", "-").replace(",", ".")
        try:
            number = float(plain)
        except ValueError as trouble:
            raise Problem("value", f"“{text[:30]}” is not a number: enter {known.words} in {known.unit}.") from trouble
        if not known.least <= number <= known.most:
            raise Problem(
                "value", f"{text} {known.unit} is outside the possible range of {known.words}: check the digits."
            )
        text = plain
    return OwnValue(kind, item, key, text, source, "")


def put(conn: psycopg.Connection, account_id: int, values: Sequence[OwnValue]) -> int:
    """Put values on the shelf, all or none; what stands there already in the same words is left. How many were new."""
    new = 0
    with conn.transaction():
        for value in values:
            new += conn.execute(
                """
                INSERT INTO shelf_value (institution_id, kind, item, property, value, source, made_by)
                SELECT a.institution_id, %(kind)s, %(item)s, %(key)s, %(text)s, %(source)s, a.id FROM account a
                WHERE a.id = %(account)s AND NOT EXISTS (SELECT FROM (
                    SELECT value, source FROM shelf_value s WHERE s.institution_id = a.institution_id
                    AND s.kind = %(kind)s AND lower(s.item) = lower(%(item)s) AND s.property = %(key)s
                    ORDER BY id DESC LIMIT 1) newest WHERE newest.value = %(text)s AND newest.source = %(source)s)
                """,
                {
                    "kind": value.kind,
                    "item": value.item,
                    "key": value.key,
                    "text": value.text,
                    "source": value.source,
                    "account": account_id,
                },
            ).rowcount
    return new
