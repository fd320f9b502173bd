"""A class at its crystals, "Acetanilide made clean": clean, flooded, weighed wet, an oil.

Typed as at the bench. Masses follow from the solubility in the procedure; a few per cent stay on glass and
paper.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from uuid import UUID, uuid5

import psycopg

from helvor.demo.runs import run_class
from helvor.notebook import classes

_NAMESPACE = UUID("c2e0a6a1-7b1f-4a0e-9d2e-5b8a1f60c1d7")
PAIRS = ("Odile and Teo", "Runa and Imre", "Sabine and Kofi", "Vesna and Lars")


def morning(
    dish: str,
    taken: str,
    solvent: Sequence[str],
    cooled: Sequence[str],
    dry: Sequence[str] = (),
    melts: str = "",
    crude: str = "106.5-111.0",
) -> list[str]:
    """What a bench typed.

    Args:
        dish: empty, g; taken: of the crude solid, g; solvent: each portion; cooled: what was seen on cooling.
        dry: gross after each drying; melts: range of the product; crude: of the crude grains.
    """
    said = [
        f"1: dish {dish}",
        "done 1",
        f"2: take crude acetanilide {taken} g",
        "done 2",
        f"3: melts crude {crude} 1/min",
        "done 3",
        "4: check all",
        *(f"4: solvent {one}" for one in solvent),
        "done 4",
        "5: check all",
        "done 5",
        "6: check all",
        *(f"6: {one}" for one in cooled),
    ]
    if dry:
        said += [
            "done 6",
            "7: check all",
            "done 7",
            "8: wash ice-cold water 2 x 2.5 mL cold",
            "done 8",
            "done 9",
            "done 10",
            "done 11",
            *(f"12: dish acetanilide, dry {mass}" for mass in dry),
            "done 12",
        ]
    if melts:
        said += ["13: check all", f"13: melts acetanilide, dry {melts} 1/min", "done 13"]
    return said


SLOWLY = (
    "temp 92 clear",
    "temp 74 first needles",
    "temp 41 needles fill half",
    "temp 25 into ice",
    "temp 2",
    "crystals yes",
)

CRYSTALS: dict[int, list[str]] = {
    1: morning(
        "28.414",
        "2.000",
        ("20 mL", "10 mL", "6 mL", "8 mL extra", "4 mL rinse"),
        SLOWLY,
        ("dried 30.106", "dried 30.104"),
        "113.2-114.1",
    ),
    # Poured in at once, and more to be safe: the liquor keeps it.
    2: morning(
        "30.250",
        "2.010",
        ("60 mL", "30 mL", "15 mL extra", "10 mL rinse"),
        ("temp 88 clear", "temp 40 first crystals", "temp 12", "crystals yes"),
        ("dried 31.582", "dried 31.581"),
        "112.8-114.0",
    ),
    # Weighed after ten minutes in air: more than can come out, and it melts low.
    3: morning(
        "29.118",
        "1.990",
        ("20 mL", "10 mL", "8 mL", "8 mL extra", "4 mL rinse"),
        SLOWLY,
        ("dried 31.126",),
        "106.0-111.4",
    ),
    # Too little water, set into ice while hot: it parted as an oil.
    4: morning("27.902", "2.050", ("15 mL", "8 mL"), ("temp 90 cloudy drops", "crystals oil")),
}


def load(
    conn: psycopg.Connection,
    institution: int,
    ines: int,
    now: datetime,
) -> None:
    """The class, its meeting and what its benches wrote."""
    class_id = classes.add_class(conn, institution, "SEP-6", "Crystals", PAIRS, [ines])
    classes.name_class(conn, ines, class_id, "SEP-6", "Crystals from water", "Morning chemistry")
    starts = (now - timedelta(days=1)).replace(hour=9, minute=0, second=0, microsecond=0)
    classes.add_meeting(conn, class_id, 1, starts, starts + timedelta(hours=2, minutes=45), "Acetanilide made clean")
    start = uuid5(_NAMESPACE, "crystals")
    run_class(conn, ines, class_id, "acetanilide-made-clean", CRYSTALS, start, starts + timedelta(hours=2))
