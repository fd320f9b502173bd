"""The demo's procedures, and a class half-way through one of them, with ordinary mistakes in it.

Readings are typed as at the bench, through the reading line. The mixed powder is one part
each of camphor, potassium chloride and glass beads; losses are a few per cent, the mistakes
stand beside their bench.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta
from uuid import UUID, uuid5

import psycopg

from helvor.core.engine.run.reading_line import beside, understand
from helvor.core.quantities.reading import parse
from helvor.core.record.container import Filled, MadeUp, Moved, Tared
from helvor.core.record.entry import Entry, Payload
from helvor.core.techniques.registered import TECHNIQUES
from helvor.notebook import classes, containers, pages, procedures
from helvor.notebook.pages import Draft
from helvor.shelf.procedures import shipped_procedure

_NAMESPACE = UUID("f0a1f3de-5f8e-4f6b-8a5d-2c1a4a0c7d31")
PROCEDURES = (
    "a-mixed-powder",
    "inside-the-tablet",
    "chalk-from-two-solutions",
    "sulfate-in-garden-salt",
    "three-from-one",
    "colours-of-iron",
    "acetanilide-made-clean",
)

PROCEDURE_IDS = {name: uuid5(_NAMESPACE, name) for name in PROCEDURES}

# Bench → what was typed, in order. A line "n: text" is written beside step n.
POWDER: dict[int, Sequence[str]] = {
    1: (
        "1: dish 41.306",
        "done 1",
        "2: dish powder 44.312",
        "done 2",
        "3: check all",
        "3: note white fumes, frost on the cold glass",
        "3: tried a new deposit",
        "3: tried no new deposit",
        "done 3",
        "done 4",
        "5: dish residue dried 43.327",
        "5: dish residue dried 43.325",
        "done 5",
        "6: beaker + watch glass 68.214",
        "done 6",
        "done 7",
        "8: note beads settle at once",
        "done 8",
        "done 9",
        "done 10",
        "done 11",
        "12: dish beads dried 42.291",
        "12: dish beads dried 42.290",
        "done 12",
        "done 13",
        "14: beaker + watch glass salt dried 69.241",
        "14: beaker + watch glass salt dried 69.205",
        "14: beaker + watch glass salt dried 69.204",
        "done 14",
        "done 15",
    ),
    2: (
        "1: dish 39.872",
        "done 1",
        "2: dish powder 42.881",
        "done 2",
        "done 3",
        "done 4",
        "5: dish residue dried 41.893",
        "5: dish residue dried 41.892",
        "done 5",
        "6: beaker + watch glass 71.045",
        "done 6",
        "done 7",
        "done 8",
        "done 9",
        "done 10",
        "done 11",
        "12: dish beads dried 40.862",
        "12: dish beads dried 40.861",
        "done 12",
        "done 13",
        "14: beaker + watch glass salt dried 72.031",
        "14: beaker + watch glass salt dried 72.030",
        "done 14",
        "done 15",
    ),
    3: ("1: dish 40.118", "done 1", "2: dish powder 43.120", "done 2", "3: timer 15 cold glass test"),
    # Weighed wet and taken down as if it meant something.
    4: (
        "1: dish 42.550",
        "done 1",
        "2: dish powder 45.561",
        "done 2",
        "done 3",
        "done 4",
        "5: dish residue dried 44.566",
        "5: dish residue dried 44.565",
        "done 5",
        "6: beaker + watch glass 66.902",
        "done 6",
        "done 7",
        "done 8",
        "12: dish beads wet 44.031",
    ),
    5: (
        "1: dish 40.667",
        "done 1",
        "2: dish powder 43.676",
        "done 2",
        "done 3",
        "done 4",
        "5: dish residue dried 42.702",
        "5: dish residue dried 42.688",
        "done 5",
        "6: beaker + watch glass 70.338",
        "done 6",
        "done 7",
    ),
    # The beaker was never weighed empty.
    6: (
        "1: dish 38.941",
        "done 1",
        "2: dish powder 41.945",
        "done 2",
        "done 3",
        "done 4",
        "5: dish residue dried 40.962",
        "5: dish residue dried 40.961",
        "done 5",
        "skip 6 forgotten",
        "done 7",
        "done 8",
        "done 9",
        "done 10",
        "done 11",
        "12: dish beads dried 39.926",
        "12: dish beads dried 39.925",
        "done 12",
        "done 13",
        "14: beaker + watch glass salt dried 67.481",
    ),
    7: (
        "1: dish 41.980",
        "done 1",
        "2: dish powder 44.990",
        "done 2",
        "done 3",
        "done 4",
        "5: dish residue dried 44.021",
        "5: dish residue dried 44.001",
        "done 5",
        "6: beaker + watch glass 69.777",
        "done 6",
        "done 7",
        "done 8",
        "9: timer 35 evaporate",
    ),
    # The dish went on the balance warm.
    8: (
        "1: dish 40.004",
        "done 1",
        "2: dish powder 43.010",
        "done 2",
        "3: tried a new deposit",
        "done 3",
        "5: dish residue dried 42.031",
    ),
    9: (
        "1: dish 39.415",
        "done 1",
        "2: dish powder 42.420",
        "done 2",
        "done 3",
        "done 4",
        "5: dish residue dried 41.436",
        "5: dish residue dried 41.435",
        "done 5",
        "6: beaker + watch glass 70.120",
        "done 6",
        "done 7",
        "done 8",
        "done 9",
        "done 10",
        "done 11",
        "12: dish beads dried 40.401",
        "12: dish beads dried 40.400",
        "done 12",
        "done 13",
        # Not dry yet: the sum is above what went in.
        "14: beaker + watch glass salt dried 71.302",
        "14: beaker + watch glass salt dried 71.244",
    ),
    10: ("1: dish 43.112", "done 1", "2: dish powder 46.118", "done 2"),
    11: (
        "1: dish 41.529",
        "done 1",
        "2: dish powder 44.536",
        "done 2",
        "done 3",
        "done 4",
        "5: dish residue dried 43.541",
        "5: dish residue dried 43.540",
        "done 5",
        "6: beaker + watch glass 67.667",
        "done 6",
        "done 7",
        "done 8",
        "done 9",
        "done 10",
        "11: timer 11 oven, then cool",
    ),
}


_PRECIPITATED = (
    "6: take barium chloride A 12.0 mL",
    "6: check all",
    "6: tried no new cloud",
    "done 6",
    "7: take barium chloride B 12.0 mL",
    "7: check all",
    "7: tried no new cloud",
    "done 7",
    "done 8",
    "done 9",
    "10: check all",
    "10: pour 113 mL",
    "10: pour 10 mL rinse",
    "10: filtrate clear",
    "done 10",
)
"""Both samples precipitated, digested, and the first filtered."""
_WASHED = (
    "12: wash hot wash water A 5 x 5 mL hot",
    "done 12",
    "13: wash hot wash water B 5 x 5 mL hot",
    "done 13",
    "done 14",
    "done 15",
    "done 16",
    "done 17",
)
"""Both washed free of chloride and put into the oven."""


def determinations(
    papers: tuple[str, str, str],
    samples: tuple[str, str, str],
    gross: tuple[Sequence[str], Sequence[str]],
    blank_after: str = "",
    filtrate_b: str = "clear",
) -> Sequence[str]:
    """What a bench typed for two determinations of sulfate.

    Args:
        papers: A, B and the blank, air-dry; samples: the bottle before A, between, and after B.
        gross: paper and sulfate after each drying.
        blank_after: the blank from the oven; it was forgotten where this is empty.
    """
    a, b, blank = papers
    said = [
        f"1: paper A airdry {a}",
        "done 1",
        f"2: paper B airdry {b}",
        "done 2",
        f"3: blank paper airdry {blank}",
        "done 3",
        f"4: take garden salt A {samples[0]} to {samples[1]}",
        "4: take water A 100 mL",
        "4: take dilute acid A 1.0 mL",
        "done 4",
        f"5: take garden salt B {samples[1]} to {samples[2]}",
        "5: take water B 100 mL",
        "5: take dilute acid B 1.0 mL",
        "done 5",
        *_PRECIPITATED,
        "11: check all",
        "11: pour 113 mL",
        "11: pour 10 mL rinse",
        f"11: filtrate {filtrate_b}",
        "done 11",
        *_WASHED,
    ]
    for step, letter, readings in ((18, "A", gross[0]), (19, "B", gross[1])):
        said += [f"{step}: paper {letter} barium sulfate {letter} dried {reading}" for reading in readings]
        said.append(f"done {step}")
    said += [f"20: blank paper airdry {blank_after}", "done 20"] if blank_after else ["skip 20 forgotten"]
    return [*said, "done 21"]


SULFATE: dict[int, Sequence[str]] = {
    1: determinations(
        ("0.842", "0.851", "0.838"),
        ("12.403", "11.891", "11.386"),
        (("1.106", "1.104", "1.104"), ("1.110", "1.109")),
        "0.800",
    ),
    2: determinations(
        ("0.845", "0.839", "0.841"), ("14.220", "13.722", "13.201"), (("1.099", "1.098"), ("1.105", "1.105")), "0.803"
    ),
    # The blank was not weighed again: the papers' own water is missing from both nets.
    4: determinations(
        ("0.848", "0.836", "0.843"), ("13.008", "12.501", "11.989"), (("1.107", "1.106"), ("1.098", "1.097"))
    ),
    # Fine solid ran through the second paper and was let go.
    6: determinations(
        ("0.840", "0.852", "0.846"),
        ("11.902", "11.399", "10.884"),
        (("1.097", "1.096"), ("1.095", "1.095")),
        "0.808",
        "cloudy accepted",
    ),
}
"""Garden salt with 24.2 % sulfate (62 % of it magnesium sulfate heptahydrate), found as barium sulfate a week ago."""

CHALK: Sequence[str] = (
    "1: beaker A 72.418",
    "done 1",
    "2: take calcium chloride dihydrate 1.512 g",
    "done 2",
    "done 3",
    "4: take sodium carbonate 1.308 g",
    "done 4",
    "done 5",
    "6: note white at once, then thick as milk",
    "done 6",
    "done 7",
    "done 8",
    "done 9",
    "done 10",
    "11: beaker A chalk dried 73.702",
    "11: beaker A chalk dried 73.501",
    "11: beaker A chalk dried 73.450",
)
"""On the front bench: still drying, and above what is possible."""


def load_runs(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    bench_of: Mapping[int, UUID],
) -> None:
    """Put the procedures in use and carry one of them out half-way."""
    ids = PROCEDURE_IDS
    for name, key in ids.items():
        procedures.add_procedure(conn, account_id, key, shipped_procedure(name), "came with the demo")
        procedures.put_in_use(conn, account_id, key, 1)
    start = uuid5(_NAMESPACE, "powder class")
    benches = [bench_of[number] for number in sorted(bench_of)]
    runs = procedures.start_runs(conn, account_id, author, ids["a-mixed-powder"], benches, start)
    run_of = dict(zip(sorted(bench_of), runs, strict=True))
    for bench, said in POWDER.items():
        write(conn, account_id, author, run_of[bench], said)
    _bench_8_was_warm(conn, account_id, author, run_of[8])
    last_week = datetime.now(UTC) - timedelta(days=7)
    finished = procedures.start_runs(
        conn,
        account_id,
        author,
        ids["sulfate-in-garden-salt"],
        [bench_of[number] for number in SULFATE],
        uuid5(_NAMESPACE, "sulfate"),
    )
    for page, said in zip(finished, SULFATE.values(), strict=True):
        write(conn, account_id, author, page, said, last_week)
    front = conn.execute("SELECT id FROM bench WHERE account_id = %s", [account_id]).fetchone()
    if front is None:
        raise RuntimeError("the account has no front bench")
    chalk = procedures.start_runs(
        conn, account_id, author, ids["chalk-from-two-solutions"], [front[0]], uuid5(_NAMESPACE, "chalk")
    )
    write(conn, account_id, author, chalk[0], CHALK)


def load_containers(conn: psycopg.Connection, account_id: int, class_id: UUID) -> None:
    """Glass of the class with its tares, and a stock bottle as it was really made."""
    soda = MadeUp(
        substance="sodium carbonate",
        formula="Na2CO3",
        mass=parse("26.518 g", "mass"),
        volume=parse("500.0 mL", "volume"),
        tolerance=parse("0.25 mL", "volume"),
    )
    glass: tuple[tuple[str, str, tuple[Payload, ...]], ...] = (
        (
            "dish 3",
            "dish",
            (Tared(mass=parse("40.118 g", "mass")), Filled(content="powder", bench=3), Moved(place="hood")),
        ),
        (
            "dish 7",
            "dish",
            (Tared(mass=parse("41.980 g", "mass")), Filled(content="beads", bench=7), Moved(place="oven")),
        ),
        (
            "beaker 9",
            "beaker",
            (Tared(mass=parse("70.120 g", "mass")), Filled(content="salt", bench=9), Moved(place="desiccator")),
        ),
        ("small dish 2", "dish", (Tared(mass=parse("18.204 g", "mass")), Moved(place="cupboard"))),
        ("soda 0.5 M", "bottle", (soda, Moved(place="stockroom"))),
    )
    for label, kind, notes in glass:
        key = uuid5(class_id, label)
        containers.add(conn, account_id, class_id, key, label, kind)
        for number, says in enumerate(notes):
            containers.note(conn, account_id, class_id, key, uuid5(key, str(number)), says)


BETWEEN_DRYINGS, BETWEEN_READINGS, SINCE_THE_LAST = 15.0, 2.5, 2.0
"""Minutes between two weighings of the same thing after drying, between other readings, and before now."""


def times(said: Sequence[str], now: datetime) -> list[datetime]:
    """When each line was typed: the last a moment ago, dryings evenly spaced, steps done as soon as they were."""
    passed, minutes = 0.0, list[float]()
    for number, line in enumerate(said):
        again = number > 0 and " dried " in line and line.split(" dried ")[0] == said[number - 1].split(" dried ")[0]
        passed += BETWEEN_DRYINGS if again else 0.3 if line.startswith("done") else BETWEEN_READINGS
        minutes.append(passed)
    return [now - timedelta(minutes=passed - at + SINCE_THE_LAST) for at in minutes]


def write(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    page_id: UUID,
    said: Sequence[str],
    until: datetime | None = None,
) -> None:
    """Type lines into a run's reading line, one after another, the last of them a moment ago or at *until*.

    Each line is read against the run as the lines before left it; the page is worked out once, at the end.
    """
    at = times(said, until or datetime.now(UTC))

    def compose(entries: list[Entry]) -> list[Draft]:
        drafts = list[Draft]()
        for number, line in enumerate(said):
            key, text = beside(line, entries[0].payload.procedure)  # type: ignore[attr-defined]  # a run follows
            payload = understand(text, entries, key, TECHNIQUES, sure=True).payload
            draft = Draft(uuid5(page_id, f"line {number}"), payload, at=at[number])
            drafts.append(draft)
            entries.append(Entry(draft.id, len(entries) + 1, payload, None, "", author, at[number]))
        return drafts

    pages.append(conn, account_id, author, page_id, compose)


def _bench_8_was_warm(
    conn: psycopg.Connection,
    account_id: int,
    author: str,
    page_id: UUID,
) -> None:
    def compose(entries: list[Entry]) -> list[Draft]:
        last = entries[-1]
        warm = last.payload.model_copy(update={"hot": True})
        return [Draft(uuid5(page_id, "warm"), warm, last.id, "the dish was still warm")]

    pages.append(conn, account_id, author, page_id, compose)


def run_class(
    conn: psycopg.Connection,
    ines: int,
    class_id: UUID,
    procedure: str,
    said: Mapping[int, Sequence[str]],
    start: UUID,
    until: datetime,
) -> None:
    """Start a procedure's runs on the benches of a class and write what each typed.

    Args:
        said: bench → its lines; start: names the start, so that it happens once; until: when the last was typed.
    """
    bench_of = {b.number: b.id for b in classes.benches_of(conn, class_id) if b.number is not None}
    benches = [bench_of[number] for number in said]
    runs = procedures.start_runs(conn, ines, "Ines Marlow", PROCEDURE_IDS[procedure], benches, start)
    for lines, page in zip(said.values(), runs, strict=True):
        write(conn, ines, "Ines Marlow", page, lines, until)
