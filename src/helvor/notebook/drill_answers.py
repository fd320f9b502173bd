"""Answers to drills: what a person gave, and what a class does not yet see."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from uuid import UUID

import psycopg
from psycopg.types.json import Jsonb

from helvor.bench.practice.boxes import Answer
from helvor.notebook.pages import NotYours


@dataclass(frozen=True, slots=True)
class Given:
    """An answer as it was given: which case, and what was done."""

    id: UUID
    topic: str
    level: int
    seed: int
    given: Mapping[str, str]


def keep(conn: psycopg.Connection, account_id: int, one: Given, *, right: bool) -> None:
    """Keep an answer; sent twice it is kept once."""
    conn.execute(
        "INSERT INTO drill_answer (id, account_id, topic, level, seed, given, right_)"
        " VALUES (%s, %s, %s, %s, %s, %s, %s) ON CONFLICT (id) DO NOTHING",
        [one.id, account_id, one.topic, one.level, one.seed, Jsonb(dict(one.given)), right],
    )


def one_of(conn: psycopg.Connection, account_id: int, key: UUID) -> Given:
    """An answer of one's own.

    Raises:
        NotYours: there is none.
    """
    row = conn.execute(
        "SELECT id, topic, level, seed, given FROM drill_answer WHERE id = %s AND account_id = %s", [key, account_id]
    ).fetchone()
    if row is None:
        raise NotYours
    return Given(*row)


def answers_of(conn: psycopg.Connection, account_id: int) -> list[Answer]:
    """All answers of an account, oldest first."""
    rows = conn.execute(
        "SELECT topic, right_, at FROM drill_answer WHERE account_id = %s ORDER BY at, id", [account_id]
    )
    return [Answer(*row) for row in rows]


@dataclass(frozen=True, slots=True)
class TopicOfClass:
    """How a class answered a topic: benches that tried it, answers, right ones, benches whose last was wrong."""

    topic: str
    benches: int
    tried: int
    right: int
    last_wrong: tuple[int, ...]


def of_class(conn: psycopg.Connection, account_id: int, class_id: UUID) -> list[TopicOfClass]:
    """What the tablets of a class answered, by topic; the instructor's own answers are not among them."""
    rows = conn.execute(
        "WITH said AS (SELECT d.topic, d.right_, b.number,"
        " row_number() OVER (PARTITION BY d.topic, b.number ORDER BY d.at DESC, d.id) AS back"
        " FROM drill_answer d JOIN bench b ON b.worker_id = d.account_id"
        " JOIN instructor_of i ON i.class_id = b.class_id"
        " WHERE i.class_id = %s AND i.account_id = %s)"
        " SELECT topic, count(DISTINCT number), count(*), count(*) FILTER (WHERE right_),"
        " coalesce(array_agg(number ORDER BY number) FILTER (WHERE back = 1 AND NOT right_), '{}')"
        " FROM said GROUP BY topic ORDER BY topic",
        [class_id, account_id],
    )
    return [TopicOfClass(*counted, last_wrong=tuple(wrong)) for *counted, wrong in rows]
