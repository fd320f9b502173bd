"""Loads the demo class through the same doors that readings come in by.

Saltmarsh Evening Institute is invented, and so is everybody in it. The plates show
paracetamol, caffeine and aspirin on silica in ethyl acetate, heptane and a trace of
acetic acid, against a tablet; a plausible order and plausible distances, from memory.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID, uuid5

import psycopg

from helvor.core.classroom.meeting import entries as log
from helvor.core.classroom.unknowns import read_samples
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Reading, parse
from helvor.core.record.entry import Payload
from helvor.core.techniques.planar import plate as planar
from helvor.demo import column, crystals, extraction, ions
from helvor.demo.runs import load_containers, load_runs
from helvor.notebook import accounts, classes, lab_log, pages, unknowns
from helvor.notebook.pages import Draft

EMAIL = "ines@saltmarsh.example"
PASSWORD = "saltmarsh-evening"  # noqa: S105  printed at every start; works on this machine only

_NAMESPACE = UUID("0b7c1f52-21f4-4d5e-8a51-2f6f1d9f9a10")
ZONE = "Europe/London"
INTO_THE_MEETING = timedelta(minutes=125)
"""How far the second meeting has come when the demo is loaded."""
PAIRS = (
    "Odile and Bram",
    "Petra and Sunil",
    "Aoife and Tomas",
    "Wren and Kasimir",
    "Noor and Felix",
    "Imke and Joao",
    "Tamsin and Levi",
    "Mirja and Otto",
    "Saskia and Dev",
    "Yara and Callum",
    "Brigid and Anton",
    "Freya and Idris",
)

TABLET = "ethyl acetate : heptane : acetic acid 70 : 29 : 1"
P, A, C, T = "P", "A", "C", "T"
_SUBSTANCE = {P: "paracetamol", A: "aspirin", C: "caffeine", T: "tablet extract", "PT": "paracetamol over tablet"}


def mm(text: float | str) -> Reading:
    return parse(f"{text} mm", "length")


@dataclass
class DemoPlate:
    """A plate as a bench would have written it. Spots: lane → [(distance, extras)]."""

    bench: int
    front: str = ""
    spots: Sequence[tuple[str, str, Mapping[str, Any]]] = ()
    lanes: Sequence[str] = (P, A, C, T)
    level: str = "5"
    eluent: str = TABLET
    ran_off: bool = False
    lined: bool | None = True
    compare: tuple[str, int] | None = None
    corrections: Sequence[tuple[int, str, str]] = field(default_factory=tuple)
    photo: str = ""


LAMP: Mapping[str, Any] = {"seen": ("254",)}
ENDS = {"P": (2.8, 2.6), "A": (3.0, 2.8), "C": (2.4, 2.2), "T": (2.8, 2.6)}


def spot(lane: str, distance: str, *, width: str = "7.5", **extra: Any) -> tuple[str, str, dict[str, Any]]:
    """A dark spot under the lamp with ends a few millimetres around its centre."""
    down, up = ENDS[lane[0]]
    centre = float(distance)
    return (
        lane,
        distance,
        {
            "seen": ("254",),
            "width": mm(width),
            "tail": mm(f"{centre - down:.1f}"),
            "head": mm(f"{centre + up:.1f}"),
            **extra,
        },
    )


# Benches in the order of their numbers; what is odd about one stands beside it.
PLATES: tuple[DemoPlate, ...] = (
    DemoPlate(
        1,
        "80.0",
        [spot(P, "38.0"), spot(A, "49.5"), spot(C, "11.5"), spot(T, "49.0"), spot(T, "38.5"), spot(T, "11.5")],
    ),
    DemoPlate(
        2,
        "79.5",
        [spot(P, "37.5"), spot(A, "49.0"), spot(C, "11.0"), spot(T, "49.5"), spot(T, "37.5"), spot(T, "11.0")],
    ),
    # The front was marked, the spots not read yet.
    DemoPlate(3, "78.0"),
    # A co-spot between, a streak in the tablet's lane, one spot read again.
    DemoPlate(
        4,
        "81.0",
        [
            (
                P,
                "38.5",
                {
                    "seen": ("254", "stain"),
                    "width": mm("8.0"),
                    "tail": mm("29.5"),
                    "head": mm("41.5"),
                    "strength": "heavy",
                },
            ),
            spot(A, "50.0", seen=("254", "365")),
            spot(C, "12.0"),
            spot("PT", "50.5", seen=("254", "365")),
            spot("PT", "38.0"),
            spot("PT", "12.5"),
            spot(T, "50.5", seen=("254", "365")),
            spot(T, "38.5", seen=("254", "stain")),
            spot(T, "12.0"),
        ],
        lanes=(P, A, C, "PT", T),
        corrections=((7, "39.5", "misread"),),
    ),
    # Spot and front exchanged: the ratio comes out above one.
    DemoPlate(5, "38.0", [spot(P, "80.0")], lanes=(P, T)),
    DemoPlate(6, "80.5", [spot(P, "38.5"), spot(A, "50.0"), spot(C, "12.0"), spot(T, "50.0"), spot(T, "38.5")]),
    # Ran over the top; only relative values are left.
    DemoPlate(
        7,
        "",
        [spot(P, "44.0"), spot(A, "57.0"), spot(C, "13.5"), spot(T, "56.5"), spot(T, "44.0")],
        ran_off=True,
        compare=(P, 0),
    ),
    # Not read yet: photographed under the lamp, the spots are proposed.
    DemoPlate(8, photo="tablet-254.jpg"),
    # Measured from the bottom edge.
    DemoPlate(
        9,
        "88.0",
        [spot(P, "48.0"), spot(A, "58.5"), spot(C, "21.5"), spot(T, "58.0"), spot(T, "48.0"), spot(T, "21.5")],
    ),
    # The eluent stood above the origin line.
    DemoPlate(10, "", [], level="12"),
    # Pure ethyl acetate with acid: everything ran high.
    DemoPlate(
        11,
        "80.0",
        [spot(P, "61.5"), spot(A, "69.0"), spot(T, "69.5"), spot(T, "62.0")],
        lanes=(P, A, T),
        eluent="1 % acetic acid in ethyl acetate",
    ),
)


def load(
    conn: psycopg.Connection,
) -> None:
    """Load the demo into an empty database, whole or not at all."""
    with conn.transaction():
        _load(conn)


def _load(
    conn: psycopg.Connection,
) -> None:
    institution = accounts.add_institution(conn, "Saltmarsh Evening Institute", ZONE)
    ines = accounts.add_instructor(conn, institution, EMAIL, "Ines Marlow", PASSWORD, is_demo=True)
    class_id = classes.add_class(conn, institution, "SEP-2", "Separations at the bench", PAIRS, [ines])
    classes.name_class(conn, ines, class_id, "SEP-2", "Separations at the bench", "Evening chemistry")
    rosa = accounts.add_account(
        conn, institution, "rosa@saltmarsh.example", "Rosa Tideway", PASSWORD, "assistant", is_demo=True
    )
    conn.execute("INSERT INTO instructor_of (class_id, account_id) VALUES (%s, %s)", [class_id, rosa])
    now = datetime.now(UTC)
    second = (now - INTO_THE_MEETING).replace(second=0, microsecond=0)
    topics = ("Inside the tablet", "A mixed powder", "Chalk from two solutions")
    for number, topic in enumerate(topics, start=1):
        starts = second + timedelta(days=7 * (number - 2))
        classes.add_meeting(conn, class_id, number, starts, starts + timedelta(hours=2, minutes=45), topic)
    _class_of_tomorrow(conn, institution, ines, second)
    bench_of = {bench.number: bench.id for bench in classes.benches_of(conn, class_id)}
    last_week = second - timedelta(days=7) + timedelta(hours=2)
    for plate in PLATES:
        _write(conn, ines, bench_of[plate.bench], plate, last_week)
    _running(conn, ines, bench_of[12], now)
    numbered = {n: b for n, b in bench_of.items() if n is not None}
    ions.load(conn, ines, "Ines Marlow", {0: classes.front_bench(conn, ines).id, **numbered}, last_week)
    load_runs(conn, ines, "Ines Marlow", numbered)
    load_containers(conn, ines, class_id)
    extraction.load(conn, institution, ines, now)
    extraction.load_earlier(conn, institution, ines, now)
    column.load(conn, institution, ines, now)
    crystals.load(conn, institution, ines, now)
    _in_the_room(conn, ines, class_id, second, now)


def _class_of_tomorrow(conn: psycopg.Connection, institution: int, ines: int, today: datetime) -> None:
    """A class that begins tomorrow, for its prep."""
    class_id = classes.add_class(conn, institution, "SEP-3", "First separations", [""] * 16, [ines])
    classes.name_class(conn, ines, class_id, "SEP-3", "First separations", "Evening chemistry")
    for number, topic in enumerate(("Inside the tablet", "Chalk from two solutions"), start=1):
        starts = (today + timedelta(days=7 * number - 6)).replace(hour=10, minute=0)
        classes.add_meeting(conn, class_id, number, starts, starts + timedelta(hours=2, minutes=45), topic)


def _in_the_room(conn: psycopg.Connection, ines: int, class_id: UUID, began: datetime, now: datetime) -> None:
    """The log of the meeting under way, and the unknowns of the one before."""
    unknowns.keep(conn, ines, class_id, ions.SERIES, read_samples(ions.KEY))
    unknowns.deal_out(conn, ines, class_id, ions.SERIES, ions.SEED)
    book: tuple[tuple[float, Payload], ...] = (
        (0, log.Began()),
        (2, log.Absent(bench=12, who="Idris", makes_up=(now + timedelta(days=5)).date())),
        (31, log.Broke(bench=6, what="watch glass")),
        (
            58,
            log.Happened(
                bench=10,
                what="a finger on the hotplate",
                done="20 min under cool running water, first aid given",
            ),
        ),
        (64, log.Paused(why="fire alarm, a drill")),
        (71, log.WentOn()),
        (96, log.StaysOver(bench=9, what="salt in beaker 9", place="desiccator")),
        (104, log.Wasted(bench=2, bottle="sink", matter="sink", amount=parse("30 mL", "volume"), what="rinses")),
        (112, log.Said(words="Beads and salt back into their jars, labelled")),
        (118, log.RoomTimer(label="round with the jars", minutes=25)),
    )
    for minutes, says in book:
        key = uuid5(class_id, f"day {minutes}")
        at = began + timedelta(minutes=minutes)
        lab_log.write(conn, ines, "Ines Marlow", class_id, 2, Draft(key, says, at=at))


def _write(
    conn: psycopg.Connection,
    account_id: int,
    bench_id: UUID,
    plate: DemoPlate,
    at: datetime,
) -> None:
    page_id = uuid5(_NAMESPACE, f"tablet {plate.bench}")
    pages.start_page(conn, account_id, bench_id, "planar", page_id)
    drafts = [replace(draft, at=at) for draft in (*_spotted(plate, page_id), *_developed(plate, page_id))]
    pages.append(conn, account_id, "Ines Marlow", page_id, lambda _: drafts)
    if plate.photo:
        ions.add_photograph(conn, account_id, "Ines Marlow", page_id, plate.photo, "254")


def _lane_key(page_id: UUID, label: str) -> UUID:
    return uuid5(page_id, f"lane {label}")


def _spotted(plate: DemoPlate, page_id: UUID) -> Iterator[Draft]:
    """The plate and its lanes, before it stands in the chamber."""
    width, height, origin = mm(60 if len(plate.lanes) > 4 else 50), mm(100), mm(10)
    set_up = planar.SetUp(
        phase="silica",
        backing="aluminium",
        indicator=True,
        width=width,
        height=height,
        origin=origin,
        ruler="0.5 mm",
    )
    yield Draft(uuid5(page_id, "set-up"), set_up)
    for index, label in sorted(enumerate(plate.lanes, start=1), key=lambda pair: len(pair[1])):
        role = "co-spot" if len(label) > 1 else "unknown" if label == T else "reference"
        lane = planar.Lane(
            at=mm(10 * index),
            label=label,
            substance=_SUBSTANCE[label],
            role=role,
            touches=3,
            combines=tuple(_lane_key(page_id, part) for part in label) if role == "co-spot" else (),
        )
        yield Draft(_lane_key(page_id, label), lane)


def _developed(plate: DemoPlate, page_id: UUID) -> Iterator[Draft]:
    """Eluent, chamber, front, spots, and what was corrected afterwards."""
    yield Draft(uuid5(page_id, "eluent"), planar.EluentUsed(eluent=parse_eluent(plate.eluent)))
    yield Draft(uuid5(page_id, "chamber"), planar.Chamber(level=mm(plate.level), lined=plate.lined, lid=True))
    if plate.front or plate.ran_off:
        distance = mm(plate.front) if plate.front else None
        yield Draft(uuid5(page_id, "front"), planar.Front(distance=distance, ran_off=plate.ran_off))

    def spot(index: int) -> planar.Spot:
        label, distance, extra = plate.spots[index]
        return planar.Spot(lane=_lane_key(page_id, label), distance=mm(distance), **extra)

    for index in range(len(plate.spots)):
        yield Draft(uuid5(page_id, f"spot {index}"), spot(index))
    if plate.compare:
        compared = planar.ComparedTo(spot=uuid5(page_id, f"spot {plate.compare[1]}"))
        yield Draft(uuid5(page_id, "compare"), compared)
    for index, distance_text, reason in plate.corrections:
        moved = planar.moved(spot(index), mm(distance_text))
        yield Draft(uuid5(page_id, f"again {index}"), moved, uuid5(page_id, f"spot {index}"), reason)


def _running(
    conn: psycopg.Connection,
    account_id: int,
    bench_id: UUID,
    now: datetime,
) -> None:
    """A plate in its chamber, with its front read twice while it rises: (z + 5 mm)² = 350 mm²/min · t."""
    _write(conn, account_id, bench_id, DemoPlate(12), now - timedelta(minutes=12))
    page_id = uuid5(_NAMESPACE, "tablet 12")
    drafts = [
        Draft(uuid5(page_id, "in"), planar.Developing(), at=now - timedelta(minutes=7.5)),
        Draft(uuid5(page_id, "rising 1"), planar.FrontSeen(distance=mm("21.5")), at=now - timedelta(minutes=5.5)),
        Draft(uuid5(page_id, "rising 2"), planar.FrontSeen(distance=mm("39.0")), at=now - timedelta(minutes=2)),
    ]
    pages.append(conn, account_id, "Ines Marlow", page_id, lambda _: drafts)
