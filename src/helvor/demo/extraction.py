"""A class that did "Three from one" last week and weighed its crystals yesterday, with ordinary mistakes in it.

Typed as at the bench. Masses follow from what the layers should hold, less a few per cent on glass
and paper; the mistakes stand beside their bench.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from uuid import UUID, uuid5

import psycopg

from helvor.demo.answers import load_layers
from helvor.demo.runs import PROCEDURE_IDS, run_class, write
from helvor.notebook import classes, forget, procedures

_NAMESPACE = UUID("5d0b8c0e-8a13-4a5f-9a0d-6d2a7e51c9b4")
PAIRS = (
    "Cormac and Neave",
    "Juno and Tarek",
    "Ottoline and Bram",
    "Sefton and Maia",
    "Wynne and Ludo",
    "Pell and Anouk",
)


def funnel(step: int, liquid: str, portions: int, extract: str, rest: str, beaker: str, more: str = "") -> list[str]:
    """What is typed at a funnel: each portion in, vented, the lower layer out; the upper one at the end."""
    volume = {1: "10", 3: "15"}[portions]
    said = [f"{step}: check all"]
    for number in range(portions):
        said += [f"{step}: take {liquid} {volume} mL", f"{step}: vent 1", f"{step}: vent 4"]
        if number == 1 and more:
            said += [f"{step}: {line}" for line in more.split("; ")]
        said.append(f"{step}: drain lower {float(volume) - 0.5 * (not number):g} mL {extract} {beaker}")
    return [*said, f"{step}: drain upper {rest} funnel", f"done {step}"]


_WATER_WASH = (
    "4: take water 10 mL",
    "4: vent 1",
    "4: drain lower 10 mL water wash beaker B",
    "4: drain upper ether after water funnel",
    "done 4",
    "done 5",
    "6: check all",
)
"""The ether washed, and the acid extracts on their way to pH 2."""
_SOLIDS_AND_DRYING = (
    "7: check all",
    "7: filtrate clear",
    "done 7",
    "8: check all",
    "8: take 6 M sodium hydroxide 22.5 mL",
    "8: ph blue",
    "done 8",
    "9: check all",
    "9: filtrate clear",
    "done 9",
    "10: take brine 15 mL",
    "10: vent 1",
    "10: drain lower 15.5 mL spent brine beaker C",
    "10: drain upper ether after brine flask 125",
    "done 10",
    "11: check all",
    "11: agent 1.5 g caked",
    "11: agent 1.0 g free",
    "11: tried clear and free",
    "done 11",
)
"""Both solids filtered off, and the ether dried."""


def three_from_one(
    taken: tuple[str, str, str],
    biphenyl: tuple[str, Sequence[str]],
    cinnamic: tuple[str, Sequence[str]],
    benzocaine: tuple[str, Sequence[str]],
    *,
    rag: str = "",
    ph: str = "ph red",
    stops_at: int = 0,
) -> list[str]:
    """A bench's evening and its weighings a week later: each product's tare and what the balance said, dry.

    Args:
        rag: what was typed of an emulsion at the second portion of base.
        ph: what the paper said at pH 2; stops_at: the step before which the record ends.
    """
    said = [
        f"1: take cinnamic acid {taken[0]} g",
        f"1: take benzocaine {taken[1]} g",
        f"1: take biphenyl {taken[2]} g",
        "1: take tert-butyl methyl ether 60 mL",
        "done 1",
        *funnel(2, "3 M hydrochloric acid", 3, "acid extracts", "ether after acid", "beaker A"),
        *funnel(3, "1 M sodium hydroxide", 3, "base extracts", "ether after base", "beaker B", rag),
        *_WATER_WASH,
        "6: take 6 M hydrochloric acid 7.5 mL",
        f"6: {ph}",
        "done 6",
        *_SOLIDS_AND_DRYING,
        f"12: round flask {biphenyl[0]}",
        "done 12",
        "done 13",
        "14: note bath 45 °C, hood",
        "done 14",
        "done 15",
        *(f"16: round flask biphenyl crystals dried {mass}" for mass in biphenyl[1]),
        "done 16",
        f"17: dish C {cinnamic[0]}",
        "done 17",
        f"18: dish B {benzocaine[0]}",
        "done 18",
        "done 19",
        *(f"20: dish C cinnamic acid crystals dried {mass}" for mass in cinnamic[1]),
        *(["done 20"] if cinnamic[1] else []),
        *(f"21: dish B benzocaine crystals dried {mass}" for mass in benzocaine[1]),
        *(["done 21"] if benzocaine[1] else []),
    ]
    end = next((i for i, line in enumerate(said) if line.startswith(f"{stops_at}: ")), len(said)) if stops_at else None
    return said[:end]


def _thrown_away(said: list[str]) -> list[str]:
    """The acid extracts went down the waste before the benzocaine was out of them."""
    kept = [line for line in said if not line.startswith(("8: ", "9: ", "18: ", "21: "))]
    kept = [line for line in kept if line not in ("done 8", "done 9", "done 18", "done 21")]
    at = next(i for i, line in enumerate(kept) if line.startswith("10: "))
    gone = [
        "8: gone acid extracts beaker A emptied while clearing up",
        "skip 8 thrown away",
        "skip 9 nothing to filter",
    ]
    return [*kept[:at], *gone, *kept[at:], "skip 18 no benzocaine", "skip 21 no benzocaine"]


LAYERS: dict[int, list[str]] = {
    1: three_from_one(
        ("1.004", "0.998", "1.002"),
        ("62.418", ("63.402", "63.391", "63.391")),
        ("38.215", ("39.162", "39.161")),
        ("36.870", ("37.762", "37.761")),
    ),
    2: three_from_one(
        ("0.997", "1.006", "1.001"),
        ("61.877", ("62.851", "62.846", "62.845")),
        ("37.904", ("38.832", "38.832")),
        ("38.112", ("38.990", "38.989")),
    ),
    # Shaken too hard: a rag that only brine cleared.
    3: three_from_one(
        ("1.001", "1.003", "0.999"),
        ("63.020", ("63.990", "63.972", "63.971")),
        ("39.441", ("40.348", "40.347")),
        ("37.206", ("38.095", "38.094")),
        rag="rag 3 mm wait; rag 2 mm swirl; rag gone brine",
    ),
    # Beaker A was emptied before the benzocaine was out of it.
    4: _thrown_away(
        three_from_one(
            ("1.002", "1.000", "1.005"), ("62.155", ("63.131", "63.128")), ("38.690", ("39.630", "39.629")), ("", ())
        )
    ),
    # The paper was yellow, and it was filtered all the same: half the acid stayed dissolved.
    5: three_from_one(
        ("0.999", "1.002", "1.000"),
        ("61.940", ("62.920", "62.917")),
        ("37.512", ("38.089", "38.088")),
        ("38.477", ("39.371", "39.370")),
        ph="ph yellow",
    ),
    # Was away; makes it up now, with the second portion of base in the funnel.
    6: three_from_one(("1.003", "0.999", "1.001"), ("", ()), ("", ()), ("", ()), stops_at=4)[:-7],
}


EARLIER: dict[int, list[str]] = {
    1: three_from_one(
        ("1.002", "1.001", "0.999"),
        ("62.011", ("62.951", "62.950")),
        ("38.402", ("39.311", "39.310")),
        ("36.915", ("37.769", "37.768")),
    ),
    2: three_from_one(
        ("0.998", "1.004", "1.003"),
        ("61.540", ("62.470", "62.468")),
        ("37.733", ("38.652", "38.651")),
        ("38.020", ("38.871", "38.870")),
    ),
    3: three_from_one(
        ("1.005", "0.997", "1.000"),
        ("63.118", ("64.085", "64.084")),
        ("39.005", ("39.896", "39.895")),
        ("37.440", ("38.329", "38.328")),
    ),
    4: three_from_one(
        ("1.001", "1.002", "1.004"),
        ("62.727", ("63.689", "63.688")),
        ("38.116", ("39.052", "39.051")),
        ("38.233", ("39.093", "39.092")),
    ),
    5: three_from_one(
        ("0.999", "1.000", "0.997"),
        ("61.901", ("62.828", "62.827")),
        ("37.918", ("38.838", "38.837")),
        ("37.007", ("37.870", "37.869")),
    ),
}
"""The same evening in spring, in a class that is put away: for holding this one against it."""


def load_earlier(
    conn: psycopg.Connection,
    institution: int,
    ines: int,
    now: datetime,
) -> None:
    """A class of half a year ago, archived, without names."""
    class_id = classes.add_class(conn, institution, "SEP-1", "Layers and salts, spring", [""] * len(EARLIER), [ines])
    classes.name_class(conn, ines, class_id, "SEP-1", "Layers and salts, spring", "Evening chemistry")
    then = (now - timedelta(weeks=26)).replace(hour=13, minute=0, second=0, microsecond=0)
    for number, starts in ((1, then - timedelta(days=7)), (2, then)):
        classes.add_meeting(conn, class_id, number, starts, starts + timedelta(hours=2, minutes=45), "Three from one")
    start = uuid5(_NAMESPACE, "spring")
    run_class(conn, ines, class_id, "three-from-one", EARLIER, start, then + timedelta(hours=2))
    forget.archive(conn, ines, class_id, away=True)


def load(
    conn: psycopg.Connection,
    institution: int,
    ines: int,
    now: datetime,
) -> None:
    """The class, its two meetings and what its benches wrote."""
    class_id = classes.add_class(conn, institution, "SEP-5", "Layers and salts", PAIRS, [ines])
    classes.name_class(conn, ines, class_id, "SEP-5", "Layers and salts", "Evening chemistry")
    yesterday = (now - timedelta(days=1)).replace(hour=13, minute=0, second=0, microsecond=0)
    for number, starts in ((1, yesterday - timedelta(days=7)), (2, yesterday)):
        classes.add_meeting(conn, class_id, number, starts, starts + timedelta(hours=2, minutes=45), "Three from one")
    bench_of = {b.number: b.id for b in classes.benches_of(conn, class_id) if b.number is not None}
    runs = procedures.start_runs(
        conn,
        ines,
        "Ines Marlow",
        PROCEDURE_IDS["three-from-one"],
        [bench_of[number] for number in LAYERS],
        uuid5(_NAMESPACE, "layers"),
    )
    for (number, said), page in zip(LAYERS.items(), runs, strict=True):
        write(conn, ines, "Ines Marlow", page, said, None if number == 6 else yesterday + timedelta(hours=1))
    load_layers(conn, ines, "Ines Marlow", dict(zip(LAYERS, runs, strict=True)))
