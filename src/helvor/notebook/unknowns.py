"""Numbered unknowns of a class: what each sample holds, and which bench has which.

What a sample holds is read by instructors of the class and by nobody else; a bench learns its number.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

import psycopg
from psycopg.types.json import Jsonb

from helvor.core.classroom.unknowns import Sample, deal
from helvor.core.record.entry import Problem
from helvor.notebook.page_errors import NotYours

MOST_SERIES = 20


@dataclass(frozen=True, slots=True)
class Dealt:
    """Which sample a bench has, and how it came to it."""

    bench: int
    number: int
    how: str
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class Series:
    """Samples that belong together: ``Mixed powder``."""

    name: str
    samples: list[Sample]
    dealt: dict[int, Dealt]


def _mine(conn: psycopg.Connection, account_id: int, class_id: UUID) -> None:
    row = conn.execute(
        "SELECT FROM instructor_of t JOIN account a ON a.id = t.account_id AND a.role = 'instructor'"
        " WHERE t.class_id = %s AND t.account_id = %s FOR SHARE OF t",
        [class_id, account_id],
    ).fetchone()
    if row is None:
        raise NotYours


def series_of(conn: psycopg.Connection, account_id: int, class_id: UUID) -> list[Series]:
    """Every series of a class with its key, by name.

    Raises:
        NotYours: the account is no instructor of the class.
    """
    with conn.transaction():
        _mine(conn, account_id, class_id)
        samples = conn.execute(
            "SELECT series, number, holds FROM unknown_sample WHERE class_id = %s ORDER BY series, number", [class_id]
        ).fetchall()
        dealt = conn.execute(
            "SELECT d.series, b.number, d.number, d.how, a.name, d.dealt_at FROM unknown_dealt d"
            " JOIN bench b ON b.id = d.bench_id JOIN account a ON a.id = d.dealt_by WHERE d.class_id = %s",
            [class_id],
        ).fetchall()
    found: dict[str, Series] = {}
    for series, number, holds in samples:
        sample = Sample.model_validate({"number": number, "holds": holds})
        found.setdefault(series, Series(series, [], {})).samples.append(sample)
    for series, bench, number, how, by, at in dealt:
        found[series].dealt[bench] = Dealt(bench, number, how, by, at)
    return list(found.values())


def any_in(conn: psycopg.Connection, class_id: UUID) -> bool:
    """Whether a class has numbered unknowns at all."""
    row = conn.execute("SELECT EXISTS (SELECT FROM unknown_sample WHERE class_id = %s)", [class_id]).fetchone()
    return row is not None and bool(row[0])


def released(conn: psycopg.Connection, class_id: UUID) -> set[str]:
    """Series whose key benches may see."""
    rows = conn.execute("SELECT series FROM unknown_released WHERE class_id = %s", [class_id])
    return {name for (name,) in rows}


def release(conn: psycopg.Connection, account_id: int, class_id: UUID, series: str, *, seen: bool) -> None:
    """Show a series' key to the benches, or take it back.

    Raises:
        NotYours: the account is no instructor of the class, or there is no such series.
    """
    with conn.transaction():
        _mine(conn, account_id, class_id)
        _dealing(conn, class_id, series)
        if seen:
            conn.execute(
                "INSERT INTO unknown_released (class_id, series, released_by) VALUES (%s, %s, %s)"
                " ON CONFLICT DO NOTHING",
                [class_id, series, account_id],
            )
        else:
            conn.execute("DELETE FROM unknown_released WHERE class_id = %s AND series = %s", [class_id, series])


def held_at(conn: psycopg.Connection, account_id: int, bench_id: UUID) -> dict[str, str]:
    """Series → what the bench's sample held, of those that are released; for whoever may see the bench."""
    rows = conn.execute(
        "SELECT d.series, s.number, s.holds FROM unknown_dealt d JOIN bench b ON b.id = d.bench_id"
        " JOIN unknown_released r ON (r.class_id, r.series) = (d.class_id, d.series)"
        " JOIN unknown_sample s ON (s.class_id, s.series, s.number) = (d.class_id, d.series, d.number)"
        " WHERE b.id = %(bench)s AND (b.worker_id = %(account)s OR EXISTS"
        " (SELECT FROM instructor_of t WHERE t.class_id = b.class_id AND t.account_id = %(account)s))",
        {"bench": bench_id, "account": account_id},
    )
    return {series: Sample.model_validate({"number": number, "holds": holds}).words for series, number, holds in rows}


def keep(conn: psycopg.Connection, account_id: int, class_id: UUID, series: str, samples: Sequence[Sample]) -> None:
    """Write the samples of a series; what is not named any more goes, unless a bench has it.

    Raises:
        NotYours: the account is no instructor of the class.
        Problem: the name is none, or a sample that a bench has would go.
    """
    series = " ".join(series.split())
    if not 1 <= len(series) <= 40 or not series.isprintable():
        raise Problem("series", "Enter a name of at most 40 characters for the series, such as Mixed powder.")
    with conn.transaction():
        _mine(conn, account_id, class_id)
        known = {
            row[0] for row in conn.execute("SELECT DISTINCT series FROM unknown_sample WHERE class_id = %s", [class_id])
        }
        if series not in known and len(known) >= MOST_SERIES:
            raise Problem("series", f"This class has {MOST_SERIES} series, the limit.")
        numbers = [sample.number for sample in samples]
        held = conn.execute(
            "SELECT b.number, d.number FROM unknown_dealt d JOIN bench b ON b.id = d.bench_id"
            " WHERE d.class_id = %s AND d.series = %s AND d.number <> ALL(%s) ORDER BY b.number",
            [class_id, series, numbers],
        ).fetchone()
        if held is not None:
            raise Problem("samples", f"Bench {held[0]} has sample {held[1]}: assign another sample first.")
        conn.execute(
            "DELETE FROM unknown_sample WHERE class_id = %s AND series = %s AND number <> ALL(%s)",
            [class_id, series, numbers],
        )
        for sample in samples:
            conn.execute(
                "INSERT INTO unknown_sample (class_id, series, number, holds) VALUES (%s, %s, %s, %s)"
                " ON CONFLICT (class_id, series, number) DO UPDATE SET holds = excluded.holds",
                [class_id, series, sample.number, Jsonb([part.model_dump() for part in sample.holds])],
            )


def deal_out(conn: psycopg.Connection, account_id: int, class_id: UUID, series: str, seed: int) -> None:
    """Deal a series to every bench at random.

    Raises:
        NotYours: the account is no instructor of the class, or the class has no such series.
    """
    with conn.transaction():
        _mine(conn, account_id, class_id)
        numbers, benches = _dealing(conn, class_id, series)
        for bench, number in deal(numbers, list(benches), seed).items():
            _give(conn, account_id, class_id, series, benches[bench], number, f"at random, seed {seed}")


def give(
    conn: psycopg.Connection, account_id: int, class_id: UUID, series: str, chosen: Mapping[int, int | None]
) -> None:
    """Give benches samples by hand; None takes a bench's back.

    Args:
        chosen: sample by the bench's number.

    Raises:
        NotYours: the account is no instructor of the class, or the class has no such series.
        Problem: there is no such bench or sample.
    """
    with conn.transaction():
        _mine(conn, account_id, class_id)
        numbers, benches = _dealing(conn, class_id, series)
        for bench, number in chosen.items():
            if bench not in benches:
                raise Problem("bench", f"There is no bench {bench}: choose one of the class.")
            if number is None:
                conn.execute(
                    "DELETE FROM unknown_dealt WHERE class_id = %s AND series = %s AND bench_id = %s",
                    [class_id, series, benches[bench]],
                )
            elif number not in numbers:
                raise Problem("number", f"There is no sample {number} in this series.")
            else:
                _give(conn, account_id, class_id, series, benches[bench], number, "by hand")


def _dealing(conn: psycopg.Connection, class_id: UUID, series: str) -> tuple[list[int], dict[int, UUID]]:
    numbers = [
        row[0]
        for row in conn.execute(
            "SELECT number FROM unknown_sample WHERE class_id = %s AND series = %s ORDER BY number", [class_id, series]
        )
    ]
    if not numbers:
        raise NotYours
    benches: dict[int, UUID] = dict(
        conn.execute("SELECT number, id FROM bench WHERE class_id = %s ORDER BY number", [class_id]).fetchall()
    )
    return numbers, benches


def _give(
    conn: psycopg.Connection, account_id: int, class_id: UUID, series: str, bench: UUID, number: int, how: str
) -> None:
    conn.execute(
        "INSERT INTO unknown_dealt (class_id, series, bench_id, number, how, dealt_by) VALUES (%s, %s, %s, %s, %s, %s)"
        " ON CONFLICT (class_id, series, bench_id) DO UPDATE SET number = excluded.number, how = excluded.how,"
        " dealt_by = excluded.dealt_by, dealt_at = now() WHERE unknown_dealt.number <> excluded.number",
        [class_id, series, bench, number, how, account_id],
    )


def numbers_at(conn: psycopg.Connection, account_id: int, bench_id: UUID) -> list[tuple[str, int]]:
    """Series and number of every sample that a bench has; for whoever may see the bench. Never what it holds."""
    return conn.execute(
        "SELECT d.series, d.number FROM unknown_dealt d JOIN bench b ON b.id = d.bench_id WHERE b.id = %(bench)s"
        " AND (b.worker_id = %(account)s OR EXISTS"
        " (SELECT FROM instructor_of t WHERE t.class_id = b.class_id AND t.account_id = %(account)s)) ORDER BY 1",
        {"bench": bench_id, "account": account_id},
    ).fetchall()


def numbers_of(conn: psycopg.Connection, account_id: int, class_id: UUID) -> list[tuple[int, str, str, int]]:
    """Bench, pair, series and number for the labels of a class: for who teaches it. Never what it holds."""
    return conn.execute(
        "SELECT b.number, b.pair, d.series, d.number FROM unknown_dealt d JOIN bench b ON b.id = d.bench_id"
        " JOIN instructor_of t ON t.class_id = d.class_id AND t.account_id = %s"
        " WHERE d.class_id = %s ORDER BY b.number, d.series",
        [account_id, class_id],
    ).fetchall()
