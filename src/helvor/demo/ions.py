"""Metal ions on paper, across the demo class: two eluents, one strip that ran over, one ratio turned round.

Iron, copper and cobalt as chlorides rise on paper in acetone with hydrochloric acid; more water holds
cobalt and copper back. Order and distances are plausible, from memory; every strip scatters a little.
"""

from __future__ import annotations

import random
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from importlib.resources import files
from uuid import UUID, uuid5

import psycopg

from helvor.core.classroom.unknowns import deal
from helvor.core.laws.planar.eluent import parse_eluent
from helvor.core.quantities.reading import Reading, parse
from helvor.core.techniques.planar import plate as planar
from helvor.demo.answers import load_strips
from helvor.notebook import pages, photographs
from helvor.notebook.pages import Draft

_NAMESPACE = UUID("5be1c2c4-0c53-4f43-9a30-3a1f8a2d7c11")
STRONG = "acetone : 6 M hydrochloric acid : water 86 : 8 : 6"
WEAK = "acetone : 6 M hydrochloric acid : water 76 : 8 : 16"
RF = {STRONG: {"Fe": 0.93, "Cu": 0.67, "Co": 0.43}, WEAK: {"Fe": 0.90, "Cu": 0.55, "Co": 0.29}}
LANES = {
    "Fe": "iron(III) chloride",
    "Cu": "copper(II) chloride",
    "Co": "cobalt(II) chloride, toxic",
    "X": "sample",
}
SEEN = {"Fe": ("brown", "yellow brown"), "Cu": ("blue", "blue"), "Co": ("pink", "pink")}
SERIES = "Metal ions"
MIXTURES = {1: ("Fe", "Co"), 2: ("Cu", "Co"), 3: ("Fe", "Cu")}
"""What the numbered samples hold; the key of the unknowns says it too."""
KEY = "1: iron, cobalt\n2: copper, cobalt\n3: iron, copper"
SEED = 28
SAMPLE_AT = {**deal(list(MIXTURES), range(1, 13), SEED), 0: 1}
"""Bench → the number of its sample, dealt as the class's benches were; the instructor tried number 1."""


@dataclass(frozen=True, slots=True)
class Strip:
    """A bench's strip, 0 for the instructor's own trial: front in mm, and what went otherwise than it should."""

    bench: int
    eluent: str
    front: float
    ran_off: bool = False
    turned_round: bool = False
    wet: bool = False


STRIPS = (
    Strip(1, STRONG, 84),
    Strip(2, WEAK, 80),
    Strip(3, STRONG, 81),
    Strip(4, WEAK, 83),
    Strip(7, STRONG, 79, wet=True),
    Strip(8, WEAK, 78),
    Strip(9, STRONG, 82),
    Strip(10, WEAK, 81),
    Strip(11, STRONG, 92, ran_off=True),
    Strip(12, WEAK, 80, turned_round=True),
    Strip(0, STRONG, 90),
)


def mm(value: float) -> Reading:
    """To a whole millimetre, as a strip is read."""
    return parse(f"{value:.0f} mm", "length")


def _set_up(width: float, height: float, origin: float) -> planar.SetUp:
    return planar.SetUp(
        phase="paper", width=mm(width), height=mm(height), origin=mm(origin), ruler="1 mm", about="Metal ions on paper"
    )


def _lanes(page: UUID, apart: float, sample: int) -> tuple[dict[str, UUID], list[Draft]]:
    key = {label: uuid5(page, f"lane {label}") for label in LANES}
    drafts = []
    for index, (label, substance) in enumerate(LANES.items(), start=1):
        role = "unknown" if label == "X" else "reference"
        name = f"sample {sample}" if label == "X" else substance
        lane = planar.Lane(at=mm(apart * index), label=label, substance=name, role=role, touches=2)
        drafts.append(Draft(key[label], lane))
    return key, drafts


def load(
    conn: psycopg.Connection,
    account: int,
    name: str,
    bench_of: Mapping[int, UUID],
    at: datetime,
) -> None:
    """A strip for nearly every bench; bench 5's is photographed and not read yet."""
    scatter = random.Random(17)  # noqa: S311  invented readings, the same at every start
    for strip in STRIPS:
        page = uuid5(_NAMESPACE, f"strip {strip.bench}")
        pages.start_page(conn, account, bench_of[strip.bench], "planar", page)
        key, lanes = _lanes(page, 16, SAMPLE_AT[strip.bench])
        drafts = [Draft(uuid5(page, "set-up"), _set_up(80, 120, 15)), *lanes]
        drafts.append(Draft(uuid5(page, "eluent"), planar.EluentUsed(eluent=parse_eluent(strip.eluent), age=1.0)))
        chamber = planar.Chamber(
            level=mm(8), lined=False, lid=True, held="standing", marked=True, dried=0 if strip.wet else 5
        )
        drafts.append(Draft(uuid5(page, "chamber"), chamber))
        front = planar.Front(ran_off=True) if strip.ran_off else planar.Front(distance=mm(strip.front))
        if strip.turned_round:
            front = planar.Front(distance=mm(23))
        drafts.append(Draft(uuid5(page, "front"), front))
        drafts += _spots(strip, page, key, scatter)
        if strip.ran_off:
            drafts.append(Draft(uuid5(page, "compare"), planar.ComparedTo(spot=uuid5(page, "spot Cu Cu"))))
        drafts = [replace(draft, at=at) for draft in drafts]
        pages.append(conn, account, name, page, lambda _, drafts=drafts: drafts)  # type: ignore[misc]
    strips = {strip.bench: uuid5(_NAMESPACE, f"strip {strip.bench}") for strip in STRIPS if strip.bench}
    load_strips(conn, account, name, strips)
    _photographed(conn, account, name, bench_of[5])


def _spots(strip: Strip, page: UUID, key: Mapping[str, UUID], scatter: random.Random) -> list[Draft]:
    drafts = []
    for label in LANES:
        for ion in MIXTURES[SAMPLE_AT[strip.bench]] if label == "X" else (label,):
            rf = RF[strip.eluent][ion] + scatter.gauss(0, 0.012)
            swatch, colour = SEEN[ion]
            spot = planar.Spot(
                lane=key[label],
                distance=mm(rf * strip.front),
                width=mm(7),
                swatch=swatch,
                colour=colour,
                seen=("daylight", "stain"),
            )
            if not (strip.turned_round and label != "Co"):
                drafts.append(Draft(uuid5(page, f"spot {label} {ion}"), spot))
    if strip.turned_round:  # the front's distance written as the spot's, and the spot's as the front's
        drafts = [
            Draft(uuid5(page, "spot Co Co"), planar.Spot(lane=key["Co"], distance=mm(strip.front), swatch="pink"))
        ]
    return drafts


def _photographed(
    conn: psycopg.Connection,
    account: int,
    name: str,
    bench: UUID,
) -> None:
    page = uuid5(_NAMESPACE, "strip 5")
    pages.start_page(conn, account, bench, "planar", page)
    _, lanes = _lanes(page, 15, SAMPLE_AT[5])
    drafts = [
        Draft(uuid5(page, "set-up"), _set_up(75, 110, 15)),
        *lanes,
        Draft(uuid5(page, "eluent"), planar.EluentUsed(eluent=parse_eluent(STRONG), age=1.5)),
        Draft(uuid5(page, "chamber"), planar.Chamber(level=mm(8), lined=False, lid=True, held="standing", marked=True)),
    ]
    pages.append(conn, account, name, page, lambda _: drafts)
    add_photograph(conn, account, name, page, "ions-daylight.jpg", "daylight")


def add_photograph(
    conn: psycopg.Connection,
    account: int,
    name: str,
    page: UUID,
    file: str,
    light: planar.Light,
) -> None:
    """A made-up photograph that ships, taken in and read as any other."""
    photo = uuid5(page, file)
    _, entries = pages.open_page(conn, account, page)
    picture = photographs.look_at(file, (files("helvor.demo") / "photographs" / file).read_bytes(), ours=True)
    photographs.keep(conn, account, page, photo, picture, light, photographs.asked_of(planar.gather(entries)))
    photographs.read_at_once(conn, photo)
    says = planar.Photographed(photo=photo, name=file, light=light)
    pages.append(conn, account, name, page, lambda _: [Draft(photo, says)])
