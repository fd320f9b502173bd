"""Two instructors with a class each, for the tests of the notebook and the pages."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from uuid import UUID, uuid4

import psycopg

from helvor.core.engine.run.reading_line import understand
from helvor.core.record.entry import Payload
from helvor.core.record.procedure import Procedure
from helvor.core.techniques.planar import plate as planar
from helvor.notebook import accounts, classes, pages, procedures
from helvor.notebook.pages import Draft, Written
from helvor.shelf.procedures import shipped_procedure
from tests.core.plates import mm

PASSWORD = "correct horse battery"


@dataclass(frozen=True)
class Teacher:
    account: int
    name: str
    email: str
    class_id: UUID
    bench: UUID


def teacher(conn: psycopg.Connection, name: str, code: str) -> Teacher:
    institution = accounts.add_institution(conn, f"{name}'s school", "Europe/London")
    email = f"{name.split(maxsplit=1)[0].lower()}@example.org"
    account = accounts.add_instructor(conn, institution, email, name, PASSWORD)
    class_id = classes.add_class(conn, institution, code, "A class", ["Ada and Bo", "Cy and Di"], [account])
    return Teacher(account, name, email, class_id, classes.benches_of(conn, class_id)[0].id)


def all_at_once(work: Callable[[int], None], how_many: int) -> None:
    """Let so many do their work at the same time, each told its number; what goes wrong for one is raised here."""
    with ThreadPoolExecutor(how_many) as pool:
        list(pool.map(work, range(how_many)))


def start(conn: psycopg.Connection, who: Teacher) -> UUID:
    return pages.start_page(conn, who.account, who.bench, "planar", uuid4())


def write(
    conn: psycopg.Connection,
    who: Teacher,
    page: UUID,
    payload: Payload,
    *,
    strikes: UUID | None = None,
    reason: str = "",
    entry: UUID | None = None,
) -> Written:
    draft = Draft(entry or uuid4(), payload, strikes, reason)
    return pages.append(conn, who.account, who.name, page, lambda _: [draft])


def plate_with_lane(conn: psycopg.Connection, who: Teacher) -> tuple[UUID, UUID]:
    """A page with a set-up, one lane and a front; its id and the lane's."""
    page, lane = start(conn, who), uuid4()
    write(conn, who, page, planar.SetUp(phase="silica", width=mm(50), height=mm(100), origin=mm(10)))
    write(conn, who, page, planar.Lane(at=mm(25), label="T"), entry=lane)
    write(conn, who, page, planar.Front(distance=mm(80)))
    return page, lane


POWDER = shipped_procedure("a-mixed-powder")


def procedure_in_use(conn: psycopg.Connection, who: Teacher, procedure: Procedure = POWDER) -> UUID:
    """A procedure of the teacher's institution, with version 1 in use."""
    key = procedures.add_procedure(conn, who.account, uuid4(), procedure, "made")
    procedures.put_in_use(conn, who.account, key, 1)
    return key


def run_of(conn: psycopg.Connection, who: Teacher, procedure: Procedure = POWDER) -> UUID:
    """A run on the teacher's first bench."""
    key = procedure_in_use(conn, who, procedure)
    return procedures.start_runs(conn, who.account, who.name, key, [who.bench], uuid4())[0]


def type_in(conn: psycopg.Connection, who: Teacher, page: UUID, *said: str) -> Written:
    """Lines typed into a run's reading line."""
    written = None
    for line in said:
        written = pages.append(
            conn,
            who.account,
            who.name,
            page,
            lambda entries, line=line: [Draft(uuid4(), understand(line, entries).payload)],
        )
    assert written is not None
    return written
