"""A class at its columns, "Colours of iron": clean, overlapped, run dry, two tubes exchanged.

Typed as at the bench. What the tubes show follows from the predicted bands; a few per cent stay on
the silica.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from uuid import UUID, uuid5

import psycopg

from helvor.demo.runs import run_class
from helvor.notebook import classes

_NAMESPACE = UUID("0a7e3b52-6a6f-4f0b-8f5e-95b1d6b0c4aa")
PAIRS = ("Hedda and Ravi", "Ione and Stellan", "Corin and Adaeze", "Mirren and Joss")
A, B = "heptane", "heptane : ethyl acetate 4 : 1"


def evening(
    taken: tuple[str, str],
    flasks: tuple[str, str],
    spots: Sequence[str],
    pools: Sequence[str],
    dry: tuple[Sequence[str], Sequence[str]],
    seen: Sequence[str] = (),
    melts: tuple[str, str] = ("", ""),
) -> list[str]:
    """What a bench typed.

    Args:
        taken: g of ferrocene and acetylferrocene; flasks: A and B empty.
        spots: what the tubes show; pools: what was put together; dry: gross of A and B after each drying.
        seen: what was noted at the column; melts: ranges of A and B.
    """
    return [
        f"1: flask A {flasks[0]}",
        "done 1",
        f"2: flask B {flasks[1]}",
        "done 2",
        f"3: take ferrocene {taken[0]} g",
        f"3: take acetylferrocene {taken[1]} g",
        "done 3",
        "4: column 15 mm 150 mm",
        "4: check all",
        "done 4",
        "5: check all",
        "done 5",
        "6: check all",
        f"6: tubes 1-10 5 mL {A}",
        f"6: tubes 11-30 5 mL {B}",
        *(f"6: {line}" for line in seen),
        "done 6",
        "7: spots 1-30",
        *(f"7: spots {line}" for line in spots),
        "done 7",
        *(f"8: pool {line}" for line in pools),
        *(["done 8"] if pools else []),
        *(["done 9", "done 10", "done 11", "done 12"] if dry[0] else []),
        *(f"13: flask A ferrocene, dry dried {mass}" for mass in dry[0]),
        *(["done 13"] if dry[0] else []),
        *(f"14: flask B acetylferrocene, dry dried {mass}" for mass in dry[1]),
        *(["done 14"] if dry[1] else []),
        *(
            [
                f"15: melts ferrocene, dry {melts[0]} 1/min",
                "15: check all",
                "done 15",
                f"16: melts acetylferrocene, dry {melts[1]} 1/min",
                "16: check all",
                "done 16",
            ]
            if melts[0]
            else []
        ),
    ]


CLEAN = (
    "6 ferrocene 1",
    "7 ferrocene 3",
    "8 ferrocene 4",
    "9 ferrocene 3",
    "10 ferrocene 1",
    "21 acetylferrocene 1",
    "22 acetylferrocene 2",
    "23 acetylferrocene 3",
    "24 acetylferrocene 4",
    "25 acetylferrocene 3",
    "26 acetylferrocene 2",
    "27 acetylferrocene 1",
)

COLUMNS: dict[int, list[str]] = {
    1: evening(
        ("0.102", "0.098"),
        ("48.221", "50.118"),
        CLEAN,
        ("6-10 pool A", "21-27 pool B"),
        (("48.320", "48.318"), ("50.212", "50.211")),
        melts=("171.6-172.8", "80.3-81.4"),
    ),
    # Stepped to the stronger eluent from the first tube: the two run into each other.
    2: [
        line.replace(f"6: tubes 1-10 5 mL {A}", f"6: tubes 1-10 5 mL {B}")
        for line in evening(
            ("0.099", "0.101"),
            ("47.905", "49.660"),
            (
                "4 ferrocene 2",
                "5-6 ferrocene 4",
                "7-9 ferrocene 2",
                "8-9 acetylferrocene 1",
                "10 ferrocene 1",
                "10-11 acetylferrocene 2",
                "12-15 acetylferrocene 4",
                "16-18 acetylferrocene 2",
            ),
            ("4-7 pool A", "11-18 pool B", "8-10 gap"),
            (("47.979", "47.978"), ("49.746", "49.745")),
        )
    ],
    # The head was forgotten: the bed cracked, and ferrocene trails.
    3: evening(
        ("0.100", "0.103"),
        ("48.540", "50.402"),
        (
            "7 ferrocene 3",
            "8-9 ferrocene 4",
            "10-13 ferrocene 2",
            "14-22 ferrocene 1",
            "20-22 acetylferrocene 1",
            "23-26 acetylferrocene 3",
            "27-29 acetylferrocene 2",
        ),
        ("7-13 pool A",),
        ((), ()),
        ("head 40 mm", "head dry"),
    ),
    # Two tubes stood the wrong way round in the rack.
    4: evening(
        ("0.101", "0.100"),
        ("48.077", "49.931"),
        (
            "6 ferrocene 2",
            "7-8 ferrocene 4",
            "9 ferrocene 2",
            "11 ferrocene 1",
            "22-23 acetylferrocene 3",
            "24-25 acetylferrocene 4",
            "26 acetylferrocene 2",
        ),
        (),
        ((), ()),
    ),
}


def load(
    conn: psycopg.Connection,
    institution: int,
    ines: int,
    now: datetime,
) -> None:
    """The class, its meeting and what its benches wrote."""
    class_id = classes.add_class(conn, institution, "SEP-4", "Colours on a column", PAIRS, [ines])
    classes.name_class(conn, ines, class_id, "SEP-4", "Colours on a column", "Evening chemistry")
    starts = (now - timedelta(days=2)).replace(hour=13, minute=0, second=0, microsecond=0)
    classes.add_meeting(conn, class_id, 1, starts, starts + timedelta(hours=2, minutes=45), "Colours of iron")
    start = uuid5(_NAMESPACE, "columns")
    run_class(conn, ines, class_id, "colours-of-iron", COLUMNS, start, starts + timedelta(hours=2))
